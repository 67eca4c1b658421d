// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>

namespace kuvio::book {

/// How samples lie in a blob: little-endian IEEE 754, 4 or 8 bytes each.
enum class Encoding { f4, f8 };
std::size_t bytes_per_sample(Encoding encoding);
const char* to_string(Encoding encoding);

/// Whole numbers behind values: value = gain * (k / divisor) + offset, as doubles compute it and
/// the encoding rounds it. An instrument's codes (gain, offset), or decimals of a text (divisor).
struct Lattice {
  double gain = 1, offset = 0, divisor = 1;
  bool operator==(const Lattice&) const = default;
};

}  // namespace kuvio::book
