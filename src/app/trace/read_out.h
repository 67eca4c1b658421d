// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/foot_part.h"
#include "app/engine/view_state.h"
#include "app/engine/views_fwd.h"
#include "core/number_text.h"

#include <vector>

namespace kuvio::app {

/// Figures of the span, and of the whole capture, once they are there.
struct Readings {
  SpanReadingPtr span, whole;
};

/// The read-out sentence: of the span, or with no span of the visit pointed at or picked, or else
/// of the capture as a whole. Empty while a span's figures are on their way.
std::vector<FootPart> read_out(const ViewState& view, const Readings& readings, ChargeUnit unit);

/// What all channels hold at one of the moments of a reading, the channel `first` before the
/// others: "31:39.712 · 7.01 mA · 3.587 V".
QString instant_text(const MomentsReading& reading, std::size_t at, double width,
                     const std::string& first);

}  // namespace kuvio::app
