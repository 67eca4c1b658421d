// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <vector>

namespace kuvio {

/// Samples taken together.
struct WeightedPoint {
  double y = 0, weight = 0;
  std::int64_t from = 0, to = 0;  // samples of its block
};

/// Optimal partitioning of points into stretches of one mean each, a penalty for each change, with
/// functional pruning (Maidstone et al. 2017): of every mean it is known which change before is
/// best for it, as pieces of the real line.
class Partition {
public:
  explicit Partition(double penalty) : penalty_(penalty) {}

  /// Where stretches begin, from 0 on. False: given up.
  template <typename GoingOn>
  bool cut(const std::vector<WeightedPoint>& points, std::vector<std::size_t>& begins,
           const GoingOn& going_on) {
    double low = std::numeric_limits<double>::infinity(),
           high = -std::numeric_limits<double>::infinity();
    for (const WeightedPoint& p : points) {
      low = std::min(low, p.y);
      high = std::max(high, p.y);
    }
    std::vector<std::size_t> before(points.size());
    pieces_ = {{low, high, 0, 0, 0, 0}};
    for (std::size_t i = 0; i < points.size(); ++i) {
      if (i % 65536 == 0 && !going_on(i)) return false;
      double best = std::numeric_limits<double>::infinity();
      std::size_t from = 0;
      for (Piece& p : pieces_) {
        p.add(points[i]);
        const double least = p.least();
        if (least < best) {
          best = least;
          from = p.from;
        }
      }
      before[i] = from;
      if (i + 1 < points.size()) prune(best + penalty_, i + 1);
    }
    begins.clear();
    for (std::size_t at = points.size(); at > 0; at = before[at - 1])
      begins.push_back(before[at - 1]);
    std::reverse(begins.begin(), begins.end());
    return true;
  }

private:
  /// a m^2 + b m + c for means in [low, high], where the last change was at `from`.
  struct Piece {
    double low = 0, high = 0, a = 0, b = 0, c = 0;
    std::size_t from = 0;

    void add(const WeightedPoint& p) {
      a += p.weight;
      b -= 2 * p.weight * p.y;
      c += p.weight * p.y * p.y;
    }
    double value(double m) const { return (a * m + b) * m + c; }
    double least() const { return value(std::clamp(-b / (2 * a), low, high)); }
  };

  /// A change now would cost `cost` at any mean: where a piece costs more it goes.
  void prune(double cost, std::size_t now) {
    kept_.clear();
    const auto fresh = [&](double low, double high) {
      if (!(high > low)) return;
      if (!kept_.empty() && kept_.back().from == now && kept_.back().high >= low) {
        kept_.back().high = high;
      } else {
        kept_.push_back({low, high, 0, 0, cost, now});
      }
    };
    for (const Piece& p : pieces_) {
      const double middle = -p.b / (2 * p.a), least = p.value(middle);
      if (least >= cost) {
        fresh(p.low, p.high);
        continue;
      }
      const double reach = std::sqrt((cost - least) / p.a);
      const double low = std::max(p.low, middle - reach), high = std::min(p.high, middle + reach);
      if (!(high > low)) {
        fresh(p.low, p.high);
        continue;
      }
      fresh(p.low, low);
      kept_.push_back(p);
      kept_.back().low = low;
      kept_.back().high = high;
      fresh(high, p.high);
    }
    if (kept_.empty()) kept_.push_back({pieces_.front().low, pieces_.back().high, 0, 0, cost, now});
    pieces_.swap(kept_);
  }

  double penalty_;
  std::vector<Piece> pieces_, kept_;
};

}  // namespace kuvio
