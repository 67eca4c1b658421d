// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/settled_level.h"

#include "core/measure.h"
#include "core/quantiles.h"
#include "core/running_integral.h"

#include <boost/math/tools/minima.hpp>

#include <algorithm>
#include <cmath>
#include <vector>

namespace kuvio {
namespace {

constexpr int kParts = 16;
constexpr std::size_t kFewest = 4;  // parts that are left
constexpr double kLong = 300'000;   // samples: whole nodes give what is asked of it

double mean_of(std::span<const double> values) {
  double sum = 0;
  for (const double v : values) sum += v;
  return sum / static_cast<double>(values.size());
}

/// Scatter of single means, whatever smooth drift they have.
double scatter_of(std::span<const double> means) {
  std::vector<double> bends;
  for (std::size_t i = 1; i + 1 < means.size(); ++i)
    bends.push_back(std::fabs(means[i + 1] - 2 * means[i] + means[i - 1]));
  return median(bends) / (0.6745 * std::sqrt(6.0));
}

/// How far a straight line through the means goes from the first to the last, and the standard
/// uncertainty of that by their scatter.
struct Drift {
  double size = 0, u = 0;
  bool clear() const { return std::fabs(size) > 2 * u; }
};
Drift drift_of(std::span<const double> means, double scatter) {
  const double n = static_cast<double>(means.size()), middle = (n - 1) / 2;
  if (n < 2) return {};
  double xx = 0, xy = 0;
  for (std::size_t i = 0; i < means.size(); ++i) {
    const double x = static_cast<double>(i) - middle;
    xx += x * x;
    xy += x * means[i];
  }
  return {xy / xx * (n - 1), scatter / std::sqrt(xx) * (n - 1)};
}

/// An exponential of one time constant, fitted to means of equal parts.
struct Exponential {
  double squares = 0;   // of what is left
  double level = 0;     // that it goes to
  double variance = 0;  // of the level, over that of a mean
};
Exponential exponential(std::span<const double> means, double log_tau) {
  const double tau = std::exp(log_tau), n = static_cast<double>(means.size());
  std::vector<double> e;
  for (std::size_t i = 0; i < means.size(); ++i)
    e.push_back(std::exp(-static_cast<double>(i) / tau));
  const double e_mean = mean_of(e), mean = mean_of(means);
  double ee = 0, em = 0;
  for (std::size_t i = 0; i < means.size(); ++i) {
    ee += (e[i] - e_mean) * (e[i] - e_mean);
    em += (e[i] - e_mean) * means[i];
  }
  Exponential out;
  const double height = em / ee;
  out.level = mean - height * e_mean;
  out.variance = 1 / n + e_mean * e_mean / ee;
  for (std::size_t i = 0; i < means.size(); ++i) {
    const double left = means[i] - out.level - height * e[i];
    out.squares += left * left;
  }
  return out;
}

/// The level that an exponential through the means goes to; nothing where none describes them.
std::optional<SettledLevel> decayed(std::span<const double> means, double scatter) {
  if (means.size() < 6) return std::nullopt;
  const double n = static_cast<double>(means.size());
  const double first = std::log(0.05), last = std::log(2 * n);
  const auto squares = [&](double t) { return exponential(means, t).squares; };
  constexpr int kGrid = 60;
  int least = 0;
  const auto at = [&](int k) { return first + (last - first) * k / (kGrid - 1); };
  for (int k = 1; k < kGrid; ++k) least = squares(at(k)) < squares(at(least)) ? k : least;
  const double best = boost::math::tools::brent_find_minima(squares, at(std::max(0, least - 1)),
                                                            at(std::min(kGrid - 1, least + 1)), 40)
                          .first;
  const Exponential fit = exponential(means, best);
  const double mean = mean_of(means);
  double all = 0;
  for (const double m : means) all += (m - mean) * (m - mean);
  constexpr double kDescribes = 0.02, kNoMore = 4;
  if (fit.squares > kDescribes * all && fit.squares > kNoMore * scatter * scatter * (n - 3))
    return std::nullopt;
  const double variance = std::max(scatter * scatter, fit.squares / (n - 3));
  // How far the time constant may lie: where the squares rise by four times the variance.
  const double limit = fit.squares + 4 * variance;
  double far = 0;
  for (const double end : {first, last}) {
    double inside = best, outside = end;
    if (squares(end) <= limit) {
      inside = end;
    } else {
      for (int i = 0; i < 40; ++i) {
        const double middle = (inside + outside) / 2;
        (squares(middle) <= limit ? inside : outside) = middle;
      }
    }
    far = std::max(far, std::fabs(exponential(means, inside).level - fit.level));
  }
  return SettledLevel{fit.level, std::hypot(far / 2, std::sqrt(variance * fit.variance))};
}

}  // namespace

SettledLevel settled_of(std::span<const double> means) {
  if (means.size() < 3) return {mean_of(means), std::nullopt};
  const double scatter = scatter_of(means);
  std::span<const double> rest = means;
  Drift drift = drift_of(rest, scatter);
  if (drift.clear()) {
    if (const auto level = decayed(means, scatter)) return *level;
  }
  while (rest.size() > kFewest && drift.clear()) {
    const double middle = median({rest.begin(), rest.end()});
    const bool front = std::fabs(rest.front() - middle) >= std::fabs(rest.back() - middle);
    rest = front ? rest.subspan(1) : rest.first(rest.size() - 1);
    drift = drift_of(rest, scatter);
  }
  const double hidden = (std::fabs(drift.size) + 2 * drift.u) / 2;
  return {mean_of(rest), std::hypot(scatter / std::sqrt(static_cast<double>(rest.size())),
                                    hidden / std::sqrt(3.0))};
}

std::optional<SettledLevel> settled_level(const Trace& trace, const Visit& visit) {
  // Beside an edge's cell lies another level.
  const double begin = visit.begins.empty() ? visit.from_s : visit.begins.to_s;
  const double end = visit.ends.empty() ? visit.to_s : visit.ends.from_s;
  const double whole = trace.to_s() - trace.from_s();
  const double samples =
      whole > 0 ? static_cast<double>(trace.samples()) * (end - begin) / whole : 0;
  const int parts = static_cast<int>(std::clamp(samples / 2, 1.0, double(kParts)));
  const double width = (end - begin) / parts;
  std::vector<double> means;
  for (int i = 0; i < parts; ++i) {
    const double from = begin + width * i;
    const double to = i + 1 == parts ? end : from + width;
    // The outer parts end just where the visit does: beside it lies another level. Of a long visit
    // they begin a little inside it, and whole nodes give them.
    const bool first_part = i == 0, last_part = i + 1 == parts;
    const double inset = samples > kLong ? width / 16 : 0;
    const bool exact = (first_part || last_part) && inset == 0;
    const double a = first_part ? from + inset : from, b = last_part ? to - inset : to;
    const auto m = exact ? measure(trace, a, b).mean() : mean_about(trace, a, b, 1.0 / 64);
    if (m) means.push_back(*m);
  }
  if (means.empty()) return std::nullopt;
  return settled_of(means);
}

}  // namespace kuvio
