// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/uncertainty.h"

#include "core/quantity.h"

#include <boost/math/distributions/normal.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <stdexcept>

namespace kuvio {
namespace {

constexpr double kBoundToStandard = 0.57735026918962576;  // 1/sqrt(3), JCGM 100:2008, 4.3.7

std::string_view trimmed(std::string_view s) {
  while (!s.empty() && s.front() == ' ') s.remove_prefix(1);
  while (!s.empty() && s.back() == ' ') s.remove_suffix(1);
  return s;
}

double lag_one(std::span<const double> values, double mean) {
  double num = 0, den = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const double d = values[i] - mean;
    den += d * d;
    if (i + 1 < values.size()) num += d * (values[i + 1] - mean);
  }
  return den > 0 ? num / den : 0;
}

void widen(Repeatability& out, std::span<const double> residuals) {
  if (out.n < 10) return;
  const double r = lag_one(residuals, 0);
  if (r <= 1 / std::sqrt(static_cast<double>(out.n))) return;  // not told apart from chance
  const double effective = std::max(2.0, static_cast<double>(out.n) * (1 - r) / (1 + r));
  out.u *= std::sqrt(static_cast<double>(out.n) / effective);
  out.freedom = effective - 1;
}

}  // namespace

Accuracy parse_accuracy(std::string_view text) {
  Accuracy out;
  std::string_view rest = trimmed(text);
  for (const std::string_view sign : {"+-", "\u00b1"}) {
    if (rest.starts_with(sign)) rest = trimmed(rest.substr(sign.size()));
  }
  if (const auto paren = rest.find('('); paren != std::string_view::npos) {
    std::string inside(rest.substr(paren));
    std::erase(inside, ' ');
    if (inside != "(k=2)") {
      throw std::invalid_argument("\"" + std::string(text) +
                                  "\": only (k=2) may stand in brackets");
    }
    out.expanded = true;
    rest = trimmed(rest.substr(0, paren));
  }
  if (rest.empty())
    throw std::invalid_argument("an accuracy needs a form such as \"0.08 % + 40 nA\"");
  while (!rest.empty()) {
    const auto plus = rest.find('+', 1);
    const std::string_view term = trimmed(rest.substr(0, plus));
    rest = plus == std::string_view::npos ? std::string_view{} : trimmed(rest.substr(plus + 1));
    if (term.ends_with('%') || term.ends_with("ppm")) {
      out.gain += parse_quantity(term, Dimension::ratio);
    } else if (term.ends_with('V')) {
      out.offset += parse_quantity(term, Dimension::voltage);
    } else {
      out.offset += parse_quantity(term, Dimension::current);
    }
  }
  if (out.gain < 0 || out.offset < 0) {
    throw std::invalid_argument("\"" + std::string(text) + "\": an accuracy cannot be negative");
  }
  return out;
}

std::string to_string(const Accuracy& accuracy) {
  return fmt::format("{:g} % + {:g} nA{}", accuracy.gain * 100, accuracy.offset * 1e9,
                     accuracy.expanded ? " (k=2)" : "");
}

double student_t(double freedom, double level) {
  const double tail = 0.5 + level / 2;
  if (freedom <= 0 || freedom > 1e6) return quantile(boost::math::normal(), tail);
  return quantile(boost::math::students_t(freedom), tail);
}

double student_p(double t, double freedom) {
  const double x = std::fabs(t);
  if (!std::isfinite(x)) return 0;
  if (freedom <= 0 || freedom > 1e6) return 2 * cdf(complement(boost::math::normal(), x));
  return 2 * cdf(complement(boost::math::students_t(freedom), x));
}

Expanded combine(std::span<const Component> components, double level) {
  Expanded out;
  double variance = 0, welch = 0;
  const Component* largest = nullptr;
  for (const Component& c : components) {
    variance += c.u * c.u;
    if (c.freedom > 0) welch += std::pow(c.u, 4) / c.freedom;
    if (!largest || c.u > largest->u) largest = &c;
  }
  out.u = std::sqrt(variance);
  out.freedom = welch > 0 ? variance * variance / welch : 0;
  out.coverage_factor = student_t(out.freedom, level);
  if (largest && largest->rectangular && largest->u > 0) {
    const double rest = std::sqrt(std::max(0.0, variance - largest->u * largest->u));
    if (rest <= 0.3 * largest->u) {
      const double rectangle = std::sqrt(3.0) * level * largest->u;
      const double others = out.coverage_factor * rest;
      out.U = std::hypot(rectangle, others);
      out.coverage_factor = out.U / out.u;
      return out;
    }
  }
  out.U = out.coverage_factor * out.u;
  return out;
}

std::vector<Component> accuracy_components(const Accuracy& accuracy, double reading) {
  const double scale = accuracy.expanded ? 0.5 : kBoundToStandard;
  return {{accuracy.gain * std::fabs(reading) * scale, 0, !accuracy.expanded},
          {accuracy.offset * scale, 0, !accuracy.expanded}};
}

Repeatability repeatability(std::span<const double> values) {
  const std::vector<double> ones(values.size(), 1.0);
  return ratio_of_sums(values, ones);
}

Repeatability ratio_of_sums(std::span<const double> y, std::span<const double> x) {
  Repeatability out;
  out.n = y.size();
  const double total = std::accumulate(x.begin(), x.end(), 0.0);
  if (y.empty() || total <= 0) return out;
  const auto n = static_cast<double>(y.size());
  out.mean = std::accumulate(y.begin(), y.end(), 0.0) / total;
  if (y.size() < 2) return out;
  const double x_mean = total / n;
  std::vector<double> residuals(y.size());
  double squares = 0;
  for (std::size_t i = 0; i < y.size(); ++i) {
    residuals[i] = (y[i] - out.mean * x[i]) / x_mean;
    squares += residuals[i] * residuals[i];
  }
  out.sd = std::sqrt(squares / (n - 1));
  out.u = out.sd / std::sqrt(n);
  out.freedom = n - 1;
  widen(out, residuals);
  return out;
}

std::string_view to_string(Verdict verdict) {
  switch (verdict) {
    case Verdict::within:
      return "within";
    case Verdict::over:
      return "over";
    case Verdict::too_close:
      return "too close";
    case Verdict::no_data:
      return "no data";
  }
  return "no data";
}

Verdict judge_upper(double measured, double U, double limit, bool lower_bound) {
  if (measured - U > limit) return Verdict::over;
  if (measured + U <= limit && !lower_bound) return Verdict::within;
  return Verdict::too_close;
}

Verdict judge_lower(double low, double high, double limit) {
  if (low >= limit) return Verdict::within;
  if (high < limit) return Verdict::over;
  return Verdict::too_close;
}

Verdict worse(Verdict a, Verdict b) {
  const auto rank = [](Verdict v) {
    switch (v) {
      case Verdict::over:
        return 3;
      case Verdict::no_data:
        return 2;
      case Verdict::too_close:
        return 1;
      case Verdict::within:
        return 0;
    }
    return 0;
  };
  return rank(a) >= rank(b) ? a : b;
}

}  // namespace kuvio
