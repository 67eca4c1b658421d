// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/repeatability.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <vector>

namespace kuvio {
namespace {

double correlation_of_neighbours(std::span<const double> deviations) {
  double num = 0, den = 0;
  for (std::size_t i = 0; i < deviations.size(); ++i) {
    den += deviations[i] * deviations[i];
    if (i + 1 < deviations.size()) num += deviations[i] * deviations[i + 1];
  }
  return den > 0 ? num / den : 0;
}

/// By how much correlation multiplies the variance of a mean of n values.
double variance_factor(std::span<const double> deviations) {
  const auto n = static_cast<double>(deviations.size());
  if (n < 4) return 1;
  const double raw = correlation_of_neighbours(deviations);
  double r = std::clamp(raw + (1 + 4 * raw) / n, 0.0, 0.98);
  r = std::clamp(r + 5 * r * (1 - r) / n, 0.0, 0.98);
  return std::clamp((1 + r) / (1 - r), 1.0, n / 2);
}

/// `freedom` is that of independent values.
void widen(Repeatability& out, std::span<const double> deviations, double freedom) {
  const double f = variance_factor(deviations);
  const auto n = static_cast<double>(out.n);
  // Neighbours that go together also make the spread look smaller than it is.
  out.u *= std::sqrt(f * (n - 1) / (n - f));
  out.freedom = std::max(1e-3, (freedom + 1) / f - 1);
  if (f > 1) out.freedom = std::max(1.0, *out.freedom);
}

}  // namespace

std::optional<Component> Repeatability::component(const std::string& name, double weight) const {
  if (n < 2 || !freedom) return std::nullopt;
  return Component{name, u * std::fabs(weight), freedom, Origin::scatter};
}

Repeatability repeatability(std::span<const double> values) {
  Repeatability out;
  out.n = values.size();
  if (values.empty()) return out;
  const auto n = static_cast<double>(values.size());
  out.mean = std::accumulate(values.begin(), values.end(), 0.0) / n;
  if (values.size() < 2) return out;
  std::vector<double> deviations(values.size());
  double squares = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    deviations[i] = values[i] - out.mean;
    squares += deviations[i] * deviations[i];
  }
  out.sd = std::sqrt(squares / (n - 1));
  out.u = out.sd / std::sqrt(n);
  widen(out, deviations, n - 1);
  return out;
}

namespace {

/// Neighbours are looked at only where the terms have an order.
Repeatability jackknife(std::span<const double> y, std::span<const double> x, bool in_order) {
  Repeatability out;
  double sum_y = 0, sum_x = 0, square_x = 0;
  for (std::size_t i = 0; i < y.size(); ++i) {
    if (!(x[i] > 0)) continue;
    ++out.n;
    sum_y += y[i];
    sum_x += x[i];
    square_x += x[i] * x[i];
  }
  if (out.n == 0) return out;
  out.mean = sum_y / sum_x;
  if (out.n < 2) return out;
  const auto n = static_cast<double>(out.n);
  std::vector<double> without;
  std::vector<double> deviations;
  double squares = 0;
  for (std::size_t i = 0; i < y.size(); ++i) {
    if (!(x[i] > 0)) continue;
    const double residual = y[i] - out.mean * x[i];
    without.push_back(out.mean - residual / (sum_x - x[i]));
    deviations.push_back(residual * n / sum_x);
    squares += deviations.back() * deviations.back();
  }
  out.sd = std::sqrt(squares / (n - 1));
  const double middle = std::accumulate(without.begin(), without.end(), 0.0) / n;
  double spread = 0;
  for (const double w : without) spread += (w - middle) * (w - middle);
  out.u = std::sqrt((n - 1) / n * spread);
  const double freedom = sum_x * sum_x / square_x - 1;
  if (in_order) {
    widen(out, deviations, freedom);
  } else {
    out.freedom = std::max(1e-3, freedom);
  }
  return out;
}

}  // namespace

Repeatability ratio_of_sums(std::span<const double> y, std::span<const double> x) {
  return jackknife(y, x, true);
}

Repeatability ratio_over_captures(std::span<const double> y, std::span<const double> x,
                                  std::span<const std::size_t> captures) {
  std::map<std::size_t, std::pair<double, double>> sums;
  for (std::size_t i = 0; i < y.size(); ++i) {
    if (!(x[i] > 0)) continue;
    sums[captures[i]].first += y[i];
    sums[captures[i]].second += x[i];
  }
  Repeatability visits = jackknife(y, x, true);
  if (sums.size() < kCapturesOfBuild) return visits;
  std::vector<double> all_y, all_x;
  for (const auto& [capture, sum] : sums) {
    all_y.push_back(sum.first);
    all_x.push_back(sum.second);
  }
  Repeatability out = jackknife(all_y, all_x, false);
  out.groups = sums.size();
  out.n = visits.n;
  out.sd = visits.sd;
  return out;
}

}  // namespace kuvio
