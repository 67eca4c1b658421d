// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/foot_part.h"
#include "app/engine/view_state.h"
#include "app/engine/views_fwd.h"
#include "core/number_text.h"

#include <vector>

namespace kuvio::app {

/// The read-out sentence: of the span, or with no span of the visit pointed at or picked, or else
/// of the capture as a whole. `reading` is that of the span, once it is there. Empty while a span's
/// figures are on their way.
std::vector<FootPart> read_out(const ViewState& view, const SpanReadingPtr& reading,
                               ChargeUnit unit);

}  // namespace kuvio::app
