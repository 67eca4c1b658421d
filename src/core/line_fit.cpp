// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/line_fit.h"

#include <boost/math/distributions/fisher_f.hpp>

#include <algorithm>
#include <cmath>
#include <map>
#include <vector>

namespace kuvio {
namespace {

constexpr double kRounding = 1e-6;  // of the largest: what is nearer to the line is on it

struct Sums {
  double x = 0, y = 0;            // means
  double xx = 0, xy = 0, yy = 0;  // about them
};

Sums sums_of(std::span<const FitPoint> points) {
  Sums out;
  const double n = static_cast<double>(points.size());
  for (const FitPoint& p : points) {
    out.x += p.x / n;
    out.y += p.y / n;
  }
  for (const FitPoint& p : points) {
    out.xx += (p.x - out.x) * (p.x - out.x);
    out.xy += (p.x - out.x) * (p.y - out.y);
    out.yy += (p.y - out.y) * (p.y - out.y);
  }
  return out;
}

/// Of points that share their x: the means' distances from the line against the scatter within.
std::optional<double> lack_of_fit(std::span<const FitPoint> points, const LineFit& line) {
  std::map<double, std::vector<double>> groups;
  for (const FitPoint& p : points) groups[p.x].push_back(p.y);
  const double lack_freedom = static_cast<double>(groups.size()) - 2;
  const double pure_freedom = static_cast<double>(points.size() - groups.size());
  if (lack_freedom < 1 || pure_freedom < 2) return std::nullopt;
  double pure = 0, lack = 0;
  for (const auto& [x, ys] : groups) {
    double mean = 0;
    for (const double y : ys) mean += y / static_cast<double>(ys.size());
    for (const double y : ys) pure += (y - mean) * (y - mean);
    const double off = mean - line.base - line.slope * x;
    lack += static_cast<double>(ys.size()) * off * off;
  }
  if (!(pure > 0)) return lack > 0 ? 0 : 1;
  const boost::math::fisher_f_distribution<> f(lack_freedom, pure_freedom);
  return boost::math::cdf(boost::math::complement(f, lack / lack_freedom / (pure / pure_freedom)));
}

/// A term in x^2 beside the line: what is left of x^2 and of y when a line is taken out of each.
std::optional<double> curved(std::span<const FitPoint> points, const LineFit& line) {
  if (points.size() < 5) return std::nullopt;
  const double middle = (line.from_x + line.to_x) / 2, half = (line.to_x - line.from_x) / 2;
  std::vector<FitPoint> squares;
  for (const FitPoint& p : points) {
    const double x = (p.x - middle) / half;
    squares.push_back({x, x * x});
  }
  const Sums s = sums_of(squares);
  double qq = 0, qr = 0, rr = 0;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const double q = squares[i].y - s.y - s.xy / s.xx * (squares[i].x - s.x);
    const double r = points[i].y - line.base - line.slope * points[i].x;
    qq += q * q;
    qr += q * r;
    rr += r * r;
  }
  if (!(qq > 1e-12)) return std::nullopt;  // two different x: every parabola fits
  const double freedom = static_cast<double>(points.size()) - 3;
  const double left = std::max(0.0, rr - qr * qr / qq);
  if (!(left > 0)) return qr == 0 ? 1 : 0;
  return student_p(std::fabs(qr / qq) / std::sqrt(left / freedom / qq), freedom);
}

}  // namespace

Component LineFit::slope_component() const { return {"scatter about the line", slope_u, freedom}; }
Component LineFit::base_component() const { return {"scatter about the line", base_u, freedom}; }

std::optional<LineFit> fit_line(std::span<const FitPoint> points) {
  if (points.size() < 2) return std::nullopt;
  LineFit out;
  out.points = points.size();
  const auto [low, high] = std::minmax_element(
      points.begin(), points.end(), [](const FitPoint& a, const FitPoint& b) { return a.x < b.x; });
  out.from_x = low->x;
  out.to_x = high->x;
  const Sums s = sums_of(points);
  if (!(s.xx > 0)) return std::nullopt;
  out.slope = s.xy / s.xx;
  out.base = s.y - out.slope * s.x;
  if (points.size() == 2) return out;
  out.freedom = static_cast<double>(points.size()) - 2;
  double squares = 0;
  for (const FitPoint& p : points) {
    const double off = p.y - out.base - out.slope * p.x;
    squares += off * off;
  }
  out.scatter = std::sqrt(squares / *out.freedom);
  out.slope_u = out.scatter / std::sqrt(s.xx);
  out.base_u = out.scatter * std::sqrt(1 / static_cast<double>(points.size()) + s.x * s.x / s.xx);
  double largest = 0;
  for (const FitPoint& p : points) largest = std::max(largest, std::fabs(p.y));
  if (out.scatter <= kRounding * largest) {
    if (points.size() > 3) out.straight_p = 1;
    return out;
  }
  out.straight_p = lack_of_fit(points, out);
  if (!out.straight_p) out.straight_p = curved(points, out);
  return out;
}

}  // namespace kuvio
