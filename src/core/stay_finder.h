// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/beside.h"
#include "core/rejected.h"
#include "core/stays.h"

#include <functional>
#include <vector>

namespace kuvio {

/// The stays of a block that are what their rules ask for, those with moments on them. What was
/// turned away is told to `tally`; `noise` is asked for where it is needed.
std::vector<Stay> find_stays(const Trace& trace, const Recipe& recipe, const Beside& beside,
                             const Block& block, const std::function<double()>& noise,
                             Tally& tally);

}  // namespace kuvio
