// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/desk.h"
#include "app/engine/view_state.h"
#include "app/engine/views_fwd.h"

#include <vector>

namespace kuvio::app {

/// The read-out sentence: of the span, or with no span of the visit pointed at or picked, or else
/// of the capture as a whole. `reading` is that of the span, once it is there. Empty while a span's
/// figures are on their way.
std::vector<FootPart> read_out(const ViewState& view, const SpanReadingPtr& reading,
                               ChargeUnit unit);

/// A moment with as many digits as a span of this width can use.
QString moment_text(double t, double width);

}  // namespace kuvio::app
