// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace kuvio {

/// How a channel's samples stand for time.
enum class SampleKind {
  instant,   ///< the value at t_i, straight lines between; n samples cover [t_0, t_(n-1)]
  averaged,  ///< the mean over [t_i, t_i + period); n samples cover n periods
};

/// Why a stretch of time carries no usable samples. Flagged samples are never data.
enum class Flag {
  over_range,   ///< above what the range can show (9.9E37)
  below_range,  ///< below it (-9.9E37)
  not_a_number,
  dropped,       ///< lost between the input and the book
  range_change,  ///< taken while the instrument changed its range
};

/// For people: "over range", "not a number", "lost", "while the range changed".
const char* describe(Flag flag);

/// A stretch of flagged samples.
struct FlagRun {
  Flag flag = Flag::dropped;
  double from_s = 0, to_s = 0;  ///< s from the capture's start
  std::int64_t samples = 0;
};

}  // namespace kuvio
