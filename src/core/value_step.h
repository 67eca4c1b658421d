// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

namespace kuvio {

/// The step that whatever digitised (or printed) values left between them, in their unit: the least
/// difference of two, where nearly all that lie next to each other are whole numbers of it apart.
/// Nothing of values that were never digitised, and of `few` different ones or fewer.
std::optional<double> value_step(std::vector<double> values, std::size_t few = 8);

}  // namespace kuvio
