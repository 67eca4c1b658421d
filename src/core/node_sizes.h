// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>

namespace kuvio {

/// Numbers of samples, aligned to their own count within a block, whose sums and extremes every
/// trace has ready, the largest first.
inline constexpr std::array<std::int64_t, 3> kNodeSizes{65536, 4096, 256};

}  // namespace kuvio
