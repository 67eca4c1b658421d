// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

namespace kuvio {

/// Which of several tests hold together: Holm's step-down (Holm 1979) on their p-values keeps the
/// chance of any false one at `level`, however the tests hang together.
std::vector<bool> step_down(const std::vector<double>& p, double level = 0.05);

}  // namespace kuvio
