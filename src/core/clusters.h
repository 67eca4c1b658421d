// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <limits>
#include <utility>
#include <vector>

namespace kuvio {

/// Optimal clusters of numbers in rising order, each with a weight: least weighted squares, by
/// dynamic programming (Wang and Song 2011), its steps by divide and conquer.
class Clusters {
public:
  Clusters(std::vector<double> values, const std::vector<double>& weights)
      : values_(std::move(values)), sums_(values_.size() + 1) {
    for (std::size_t i = 0; i < values_.size(); ++i) {
      sums_[i + 1][0] = sums_[i][0] + weights[i];
      sums_[i + 1][1] = sums_[i][1] + weights[i] * values_[i];
      sums_[i + 1][2] = sums_[i][2] + weights[i] * values_[i] * values_[i];
    }
    best_.assign(1,
                 std::vector<double>(values_.size() + 1, std::numeric_limits<double>::infinity()));
    best_[0][0] = 0;
    cut_.assign(1, {});
  }

  std::size_t size() const { return values_.size(); }
  /// Least sum of squares with k clusters; asked for with rising k.
  double cost(std::size_t k) {
    while (best_.size() <= k) {
      best_.emplace_back(size() + 1, std::numeric_limits<double>::infinity());
      cut_.emplace_back(size() + 1, 0);
      fill(best_.size() - 1, best_.size() - 1, size(), best_.size() - 2, size() - 1);
    }
    return best_[k][size()];
  }
  /// Where each of k clusters begins, and the end.
  std::vector<std::size_t> bounds(std::size_t k) const {
    std::vector<std::size_t> out{size()};
    for (std::size_t n = k; n > 0; --n) out.push_back(cut_[n][out.back()]);
    std::reverse(out.begin(), out.end());
    return out;
  }
  double mean(std::size_t from, std::size_t to) const {
    return (sums_[to][1] - sums_[from][1]) / (sums_[to][0] - sums_[from][0]);
  }
  double squares(std::size_t from, std::size_t to) const {
    const double w = sums_[to][0] - sums_[from][0], s = sums_[to][1] - sums_[from][1];
    return std::max(0.0, sums_[to][2] - sums_[from][2] - (w > 0 ? s * s / w : 0));
  }

private:
  /// Divide and conquer: where the last cluster begins rises with its end.
  void fill(std::size_t k, std::size_t low, std::size_t high, std::size_t from, std::size_t to) {
    if (low > high) return;
    const std::size_t middle = (low + high) / 2;
    for (std::size_t at = from; at <= std::min(to, middle - 1); ++at) {
      const double cost = best_[k - 1][at] + squares(at, middle);
      if (cost < best_[k][middle]) {
        best_[k][middle] = cost;
        cut_[k][middle] = at;
      }
    }
    if (middle > low) fill(k, low, middle - 1, from, cut_[k][middle]);
    fill(k, middle + 1, high, cut_[k][middle], to);
  }

  std::vector<double> values_;
  std::vector<std::array<double, 3>> sums_;
  std::vector<std::vector<double>> best_;
  std::vector<std::vector<std::size_t>> cut_;
};

}  // namespace kuvio
