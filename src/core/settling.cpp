// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/settling.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace kuvio {

SteadyWatch::SteadyWatch(double window_s, double relative, double absolute)
    : window_s_(window_s), relative_(relative), absolute_(absolute) {}

void SteadyWatch::add(double t, double value) {
  const double place = t / window_s_ * kPieces;
  const auto piece = static_cast<std::int64_t>(std::floor(place));
  if (!any_ || piece < piece_ || piece > piece_ + 1) {
    means_.clear();
    any_ = true;
    from_its_start_ = place - std::floor(place) < 1e-6;
    piece_ = piece;
    sum_ = 0;
    count_ = 0;
  } else if (piece == piece_ + 1) {
    if (from_its_start_) means_.push_back(sum_ / static_cast<double>(count_));
    from_its_start_ = true;
    if (means_.size() > kPieces) means_.pop_front();
    piece_ = piece;
    sum_ = 0;
    count_ = 0;
  }
  sum_ += value;
  ++count_;
}

std::optional<double> SteadyWatch::spread() const {
  if (means_.size() < kPieces) return std::nullopt;
  const auto [least, most] = std::minmax_element(means_.begin(), means_.end());
  return *most - *least;
}

std::optional<double> SteadyWatch::mean() const {
  if (means_.size() < kPieces) return std::nullopt;
  return std::accumulate(means_.begin(), means_.end(), 0.0) / kPieces;
}

bool SteadyWatch::steady() const {
  const auto apart = spread();
  return apart && *apart <= std::max(relative_ * std::fabs(*mean()), absolute_);
}

}  // namespace kuvio
