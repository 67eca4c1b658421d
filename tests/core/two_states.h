// SPDX-License-Identifier: GPL-3.0-or-later
// A trace of two states, and the recipe that splits it.
#pragma once

#include "core/recipe.h"
#include "core/trace.h"

#include <vector>

namespace kuvio::test {

/// n rounds of sleep and work; the work of round i draws work[i] for 100 ms.
inline MemoryTrace rounds(const std::vector<double>& work) {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values;
  for (const double w : work) {
    values.insert(values.end(), 900, 2e-6);
    values.insert(values.end(), 100, w);
  }
  values.insert(values.end(), 500, 2e-6);
  trace.append(0, 1, values);
  return trace;
}

inline const Recipe kTwo{
    "two", "", {{"Sleep", {-1, 1e-4, -1, 1e-4}, 0, 0}, {"Work", {1e-4, 1, 1e-4, 1}, 0, 0}}};

}  // namespace kuvio::test
