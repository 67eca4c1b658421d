// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/uncertainty.h"

#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <boost/math/tools/toms748_solve.hpp>

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace kuvio {
namespace {

constexpr double kSqrt3 = 1.7320508075688772;
constexpr double kManyFreedoms = 1e6;
/// With fewer an interval says nothing, and its ends are beyond what a double holds.
constexpr double kLeastFreedom = 0.01;

/// Where a rising function passes zero between two points (Alefeld, Potra and Shi 1995).
template <typename Function>
double root(Function f, double low, double high) {
  const double at_low = f(low), at_high = f(high);
  if (at_low >= 0) return low;
  if (at_high <= 0) return high;
  std::uintmax_t most = 60;
  const auto found = boost::math::tools::toms748_solve(
      f, low, high, at_low, at_high, boost::math::tools::eps_tolerance<double>(36), most);
  return (found.first + found.second) / 2;
}

/// Integral of the normal distribution function: z Phi(z) + phi(z).
double integral_of_phi(double z) {
  const boost::math::normal normal;
  return z * cdf(normal, z) + pdf(normal, z);
}

/// P(|R + N| <= x) of R uniform on ±half and N normal with standard deviation s.
double within(double x, double half, double s) {
  if (s <= half * 1e-6) return std::min(1.0, x / half);
  const double a = integral_of_phi((x + half) / s) - integral_of_phi((x - half) / s);
  const double b = integral_of_phi((half - x) / s) - integral_of_phi((-half - x) / s);
  return std::clamp((a - b) * s / (2 * half), 0.0, 1.0);
}

/// x with P(|R + N| <= x) = level. A normal distribution where the bound is next to nothing.
double quantile_beside_bound(double half, double s, double level) {
  const double z = student_t({}, level);
  if (half <= s * 1e-3) return z * std::hypot(s, half / kSqrt3);
  return root([&](double x) { return within(x, half, s) - level; }, 0, half + std::max(z, 1.0) * s);
}

}  // namespace

double student_t(std::optional<double> freedom, double level) {
  const double tail = (1 - level) / 2;
  if (!freedom || *freedom > kManyFreedoms)
    return quantile(complement(boost::math::normal(), tail));
  return quantile(complement(boost::math::students_t(std::max(*freedom, kLeastFreedom)), tail));
}

double student_p(double t, std::optional<double> freedom) {
  const double x = std::fabs(t);
  if (!std::isfinite(x)) return 0;
  if (!freedom || *freedom > kManyFreedoms) return 2 * cdf(complement(boost::math::normal(), x));
  return 2 * cdf(complement(boost::math::students_t(std::max(*freedom, kLeastFreedom)), x));
}

Expanded expand(std::span<const Component> components, double level) {
  Expanded out;
  double variance = 0, scatter = 0, stated = 0, largest_bound = 0;
  for (const Component& c : components) {
    if (!(c.u > 0)) continue;
    variance += c.u * c.u;
    if (c.origin == Origin::scatter) {
      const double part = student_t(c.freedom, level) * c.u;
      scatter += part * part;
    } else {
      stated += c.u * c.u;
      if (c.origin == Origin::bound) largest_bound = std::max(largest_bound, c.u);
    }
  }
  out.u = std::sqrt(variance);
  double bounds = 0;
  if (stated > 0) {
    const double rest = std::sqrt(std::max(0.0, stated - largest_bound * largest_bound));
    bounds = quantile_beside_bound(kSqrt3 * largest_bound, rest, level);
  }
  out.U = std::sqrt(scatter + bounds * bounds);
  out.coverage_factor = out.u > 0 ? out.U / out.u : student_t({}, level);
  return out;
}

double chance_of(double value, std::span<const Component> components) {
  const double far = std::fabs(value);
  if (far == 0) return 1;
  if (!(expand(components).u > 0)) return 0;
  // The interval grows as the chance left outside it shrinks: sought on that chance's logarithm.
  const double log_chance = root(
      [&](double x) {
        const double U = expand(components, -std::expm1(x)).U;
        return (far - U) / (far + U);
      },
      std::log(1e-15), -1e-9);
  return std::exp(log_chance);
}

std::vector<Component> scaled(std::vector<Component> components, double by) {
  for (Component& c : components) c.u *= std::fabs(by);
  return components;
}

void append(std::vector<Component>& components, const std::vector<Component>& more) {
  components.insert(components.end(), more.begin(), more.end());
}

}  // namespace kuvio
