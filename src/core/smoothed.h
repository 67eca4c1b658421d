// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recipe.h"
#include "core/trace.h"

#include <algorithm>
#include <cstdint>
#include <functional>
#include <span>
#include <vector>

namespace kuvio {

/// The samples of a block as a running maximum, mean or median of a window around each, cut at the
/// block's ends. The mean is taken on the scale asinh(x / noise), so that a burst counts by decades
/// as it is drawn, and zero and negative currents are fine.
class Smoothed {
public:
  /// Without a window its values are the samples. `noise` is asked for where a mean needs it.
  Smoothed(const Trace& trace, const Block& block, const Smoothing& smoothing,
           const std::function<double()>& noise);

  /// Samples [from, from + out.size()).
  void read(std::int64_t from, std::span<double> out);
  /// The samples that the values of [from, to) are made of.
  std::int64_t first_of(std::int64_t from) const;
  std::int64_t end_of(std::int64_t to) const;
  bool smooths() const { return smoothing_.over_s > 0; }
  /// How many are best read at once by whoever may need few: no fewer than a window takes with it.
  std::size_t piece() const {
    return static_cast<std::size_t>(std::clamp<std::int64_t>(2 * half_, 256, 65536));
  }

private:
  struct Window {
    std::size_t begin = 0, end = 0;
  };
  void find_windows(std::int64_t from, std::size_t count);
  void maxima(std::span<double> out);
  void means(std::span<double> out);
  void medians(std::span<double> out);
  std::int64_t tick(std::int64_t at) const;

  const Trace& trace_;
  const Block& block_;
  Smoothing smoothing_;
  const std::function<double()>& noise_;
  std::int64_t half_ticks_ = 0, half_ = 0;  // of the window; samples where they are even
  std::vector<double> raw_;
  std::vector<std::int64_t> times_;
  std::vector<Window> windows_;
  std::int64_t raw_from_ = 0;
};

}  // namespace kuvio
