// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <span>

namespace kuvio {

/// The noise of samples by the median of neighbours' differences (over 0.6745 sqrt(2)): robust
/// against edges. Two values or more.
double noise_of_steps(std::span<const double> values);

/// The noise of a trace's samples where it is quietest, in the channel's unit: the scale below
/// which levels are the same. By the median of neighbours' differences (over 0.6745 sqrt(2), robust
/// against edges) in short stretches all over the trace, the lower quartile of them; at least a
/// millionth of the largest value met, and more than nothing. Costs some four thousand samples.
double quiet_noise(const Trace& trace);

}  // namespace kuvio
