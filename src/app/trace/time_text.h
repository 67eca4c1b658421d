// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include <optional>
#include <utility>

namespace kuvio::app {

/// Where somebody wants to go: a moment, or a stretch of time.
struct TimeTarget {
  double from_s = 0;
  std::optional<double> to_s;
};

/// Reads "12.5", "12.5 s", "350 ms", "1:02:03.25", "2:30"; a sign makes it relative to `here`
/// ("+200 ms"); two of them with ".." or "to" between are a stretch, where a sign on the second
/// counts from the first ("12.5 .. +80 ms"). Nothing when it is none of these.
std::optional<TimeTarget> parse_time_target(const QString& text, double here);

/// A moment with as many digits as a span of this width can use.
QString moment_text(double t, double width);

}  // namespace kuvio::app
