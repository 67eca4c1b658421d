// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/trace_views.h"

#include <cstdint>
#include <functional>

namespace kuvio::app {

/// Null when the span holds nothing. `going_on` as for kuvio::distribution.
SpreadViewPtr spread_of(const Trace& trace, const SpreadRequest& request, std::int64_t at_most,
                        const std::function<bool()>& going_on);

}  // namespace kuvio::app
