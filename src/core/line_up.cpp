// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/line_up.h"

#include "core/cycles.h"
#include "core/quantiles.h"
#include "core/running_integral.h"
#include "core/spectrum.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <limits>
#include <numbers>
#include <vector>

namespace kuvio {
namespace {

constexpr std::size_t kGrid = 1 << 15;  // points of the longer trace on the first grid
constexpr std::size_t kWindow =
    512;  // points of a window when refining: what lies beside an edge only blurs it
constexpr double kShare = 1.0 / 16;  // of a cell of the first grid
constexpr int kFiner = 16;           // times each refinement
constexpr std::size_t kPlaces = 9;   // windows that are refined
constexpr double kLeast = 0.55;      // correlation below which nothing is offered
constexpr double kClear = 0.5;       // correlation below which a window says nothing
constexpr double kBetter = 0.05;     // by which it must exceed the next best

/// Means over the cells of a grid; no number where nothing was observed.
struct Gridded {
  double from_s = 0, step_s = 1;
  std::vector<double> mean;
};

/// `share`: of a cell, by which its ends may lie beside it.
Gridded grid(const Trace& trace, double from_s, double step_s, std::size_t n, double share) {
  Gridded out{from_s, step_s, std::vector<double>(n, std::nan(""))};
  for (std::size_t i = 0; i < n; ++i) {
    const double a = from_s + static_cast<double>(i) * step_s, b = a + step_s;
    if (b <= trace.from_s() || a >= trace.to_s()) continue;
    if (const auto mean = mean_about(trace, a, b, share)) out.mean[i] = *mean;
  }
  return out;
}

double quantile_or_zero(const std::vector<double>& v, double share) {
  return v.empty() ? 0 : quantile(v, share);
}

/// Level below which a trace does not show much: what it is quieter than for a tenth of the time,
/// its noise (three times the spread that the median of its steps gives), a millionth of its peak.
double quiet_level(const Gridded& g) {
  std::vector<double> levels, steps;
  double top = 0;
  for (std::size_t i = 0; i < g.mean.size(); ++i) {
    if (std::isnan(g.mean[i])) continue;
    levels.push_back(std::fabs(g.mean[i]));
    top = std::max(top, levels.back());
    if (i > 0 && !std::isnan(g.mean[i - 1])) steps.push_back(std::fabs(g.mean[i] - g.mean[i - 1]));
  }
  const double noise = 1.4826 / std::numbers::sqrt2 * quantile_or_zero(steps, 0.5);
  return std::max({quantile_or_zero(levels, 0.1), 3 * noise, top * 1e-6, 1e-300});
}

/// Values on the scale to be correlated, and a 1 where there is one.
struct Scaled {
  std::vector<double> value, there;
};

Scaled scale(const Gridded& g, double quiet, std::size_t padded) {
  Scaled out{std::vector<double>(padded, 0.0), std::vector<double>(padded, 0.0)};
  double mean = 0, n = 0;
  for (std::size_t i = 0; i < g.mean.size(); ++i) {
    if (std::isnan(g.mean[i])) continue;
    out.value[i] = std::asinh(g.mean[i] / quiet);
    out.there[i] = 1;
    mean += out.value[i];
    n += 1;
  }
  for (std::size_t i = 0; i < g.mean.size(); ++i) {
    if (out.there[i] > 0) out.value[i] -= mean / n;  // smaller numbers, smaller errors
  }
  return out;
}

/// Sum over i of a[i + lag] * b[i], for every lag; negative lags from the end.
std::vector<double> cross(const std::vector<std::complex<double>>& a,
                          const std::vector<std::complex<double>>& b, std::size_t n) {
  std::vector<std::complex<double>> product(a.size());
  for (std::size_t i = 0; i < a.size(); ++i) product[i] = a[i] * std::conj(b[i]);
  std::vector<double> out = transform_back(product, n);
  for (double& v : out) v /= static_cast<double>(n);
  return out;
}

/// Correlation where too little overlaps to have one: less than any.
constexpr double kNoOverlap = -std::numeric_limits<double>::infinity();

/// Pearson's r of what overlaps, for every lag in [first, last]; `kNoOverlap` where too little
/// does. `weight` becomes the most that there was to correlate: the root of the product of both
/// squares.
std::vector<double> correlations(const Gridded& a, double quiet_a, const Gridded& b, double quiet_b,
                                 std::ptrdiff_t first, std::ptrdiff_t last, double least_overlap,
                                 double* weight = nullptr) {
  std::size_t n = 1;
  while (n < a.mean.size() + b.mean.size()) n *= 2;
  const Scaled sa = scale(a, quiet_a, n), sb = scale(b, quiet_b, n);
  const auto squared = [](std::vector<double> v) {
    for (double& x : v) x *= x;
    return v;
  };
  const auto fa = transform(sa.value), fb = transform(sb.value), ma = transform(sa.there),
             mb = transform(sb.there), qa = transform(squared(sa.value)),
             qb = transform(squared(sb.value));
  const auto ab = cross(fa, fb, n), count = cross(ma, mb, n), sum_a = cross(fa, mb, n),
             sum_b = cross(ma, fb, n), square_a = cross(qa, mb, n), square_b = cross(ma, qb, n);
  std::vector<double> out;
  for (std::ptrdiff_t lag = first; lag <= last; ++lag) {
    const auto k = static_cast<std::size_t>(lag < 0 ? lag + static_cast<std::ptrdiff_t>(n) : lag);
    const double c = std::round(count[k]);
    double r = kNoOverlap;
    if (c >= std::max(8.0, least_overlap)) {
      const double va = square_a[k] - sum_a[k] * sum_a[k] / c,
                   vb = square_b[k] - sum_b[k] * sum_b[k] / c;
      // What is left of rounding in the sums must not pass for a spread.
      const bool spread =
          va > 1e-9 * square_a[k] && vb > 1e-9 * square_b[k] && va > 1e-12 && vb > 1e-12;
      r = spread ? (ab[k] - sum_a[k] * sum_b[k] / c) / std::sqrt(va * vb) : 0;
      if (weight && spread) *weight = std::max(*weight, std::sqrt(va * vb));
    }
    out.push_back(std::min(r, 1.0));
  }
  return out;
}

struct Peak {
  std::ptrdiff_t at = -1;
  double r = kNoOverlap;
};

Peak highest(const std::vector<double>& r) {
  Peak out;
  for (std::size_t i = 0; i < r.size(); ++i) {
    if (r[i] > out.r) out = {static_cast<std::ptrdiff_t>(i), r[i]};
  }
  return out;
}

/// The best that stands on a hill of its own: beyond where the peak's flanks have come down.
double next_hill(const std::vector<double>& r, const Peak& peak) {
  double out = -1;
  for (const int side : {-1, 1}) {
    double least = peak.r;
    for (std::ptrdiff_t i = peak.at; i >= 0 && i < static_cast<std::ptrdiff_t>(r.size());
         i += side) {
      const double v = r[static_cast<std::size_t>(i)];
      if (v == kNoOverlap) continue;
      least = std::min(least, v);
      // A rise of a fifth of what the correlation fell to is another hill.
      if (v > least + 0.2 * (peak.r - least) && least < 0.9 * peak.r) out = std::max(out, v);
    }
  }
  return out;
}

double least_step(const Trace& t) {
  double out = 0;
  for (const Block& b : t.blocks()) {
    const double step = b.period > 0 ? t.time_base().seconds(b.period)
                                     : t.time_base().seconds(b.end - b.start) /
                                           static_cast<double>(std::max<std::int64_t>(1, b.count));
    if (step > 0) out = out > 0 ? std::min(out, step) : step;
  }
  return out > 0 ? out : 1e-6;
}

/// Cells of a grid with the steepest edges, far from each other.
std::vector<std::size_t> steepest(const Gridded& g, double quiet, std::size_t from,
                                  std::size_t to) {
  const std::size_t width = std::max<std::size_t>(4, (to - from) / 64);
  std::vector<std::pair<double, std::size_t>> edges;
  for (std::size_t at = from; at < to; at += width) {
    std::pair<double, std::size_t> most{0, at};
    for (std::size_t i = std::max<std::size_t>(1, at); i < std::min(to, at + width); ++i) {
      const double step =
          std::fabs(std::asinh(g.mean[i] / quiet) - std::asinh(g.mean[i - 1] / quiet));
      if (step > most.first) most = {step, i};
    }
    edges.push_back(most);
  }
  std::sort(edges.rbegin(), edges.rend());
  std::vector<std::size_t> out;
  for (const auto& [step, where] : edges) {
    if (out.size() < kPlaces && step > 0) out.push_back(where);
  }
  return out;
}

/// Two traces around a moment of the reference, at offsets near one.
class OffsetCorrelation {
public:
  OffsetCorrelation(const Trace& reference, double quiet_a, const Trace& other, double quiet_b)
      : reference_(reference), other_(other), quiet_a_(quiet_a), quiet_b_(quiet_b) {}

  /// Correlation at `reach` steps to either side of the offset, times how much there is to
  /// correlate.
  std::vector<double> around(double at_s, double offset, double step, std::size_t reach) const {
    constexpr std::size_t kHalf = kWindow / 2;
    const double begin = at_s - step * static_cast<double>(kHalf);
    const Gridded a = grid(reference_, begin, step, kWindow, 0);
    // The other is gridded where it would lie, wider by the reach on both sides.
    const Gridded b = grid(other_, begin - static_cast<double>(reach) * step - offset, step,
                           kWindow + 2 * reach, 0);
    double weight = 0;
    auto r =
        correlations(b, std::max(quiet_b_, quiet_level(b)), a, std::max(quiet_a_, quiet_level(a)),
                     0, static_cast<std::ptrdiff_t>(2 * reach), kWindow / 4.0, &weight);
    if (highest(r).r < kClear) weight = 0;  // mere noise has no say
    for (double& v : r) v = v == kNoOverlap ? 0 : v * weight;
    return r;
  }

  /// The offset at the top of such a curve.
  static std::optional<double> top(const std::vector<double>& curve, double offset, double step) {
    const Peak peak = highest(curve);
    if (!(peak.r > 0)) return std::nullopt;
    const std::size_t middle = curve.size() / 2;
    double shift = static_cast<double>(peak.at) - static_cast<double>(middle);
    const auto k = static_cast<std::size_t>(peak.at);
    if (k > 0 && k + 1 < curve.size()) {
      const double bend = curve[k - 1] - 2 * curve[k] + curve[k + 1];
      if (bend < 0) shift += std::clamp(0.5 * (curve[k - 1] - curve[k + 1]) / bend, -0.5, 0.5);
    }
    return offset - shift * step;
  }

private:
  const Trace& reference_;
  const Trace& other_;
  double quiet_a_, quiet_b_;
};

/// Down to the finest samples: each place by itself, as their clocks may differ, then all together
/// around what the middle one says.
double refine(const OffsetCorrelation& correlation, const std::vector<double>& places,
              double offset, double uncertain_s, double finest_s,
              const std::function<bool()>& going_on) {
  std::vector<double> found;
  for (const double at : places) {
    if (going_on && !going_on()) return offset;
    double here = offset, step = uncertain_s;
    bool all = true;
    while (step > finest_s && all) {
      constexpr std::size_t reach = 2 * static_cast<std::size_t>(kFiner);
      step = std::max(finest_s, step / kFiner);
      const auto next =
          OffsetCorrelation::top(correlation.around(at, here, step, reach), here, step);
      all = next.has_value();
      if (all) here = *next;
    }
    if (all) found.push_back(here);
  }
  if (found.empty()) return offset;
  offset = quantile_or_zero(found, 0.5);
  std::vector<double> sum(2 * kFiner + 1, 0.0);
  for (const double at : places) {
    const auto curve = correlation.around(at, offset, finest_s, kFiner);
    for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += curve[i];
  }
  return OffsetCorrelation::top(sum, offset, finest_s).value_or(offset);
}

}  // namespace

LineUp line_up(const Trace& reference, const Trace& other, double overlap,
               const std::function<bool()>& going_on) {
  LineUp out;
  const double length_a = reference.to_s() - reference.from_s(),
               length_b = other.to_s() - other.from_s();
  if (!(length_a > 0) || !(length_b > 0)) {
    out.why_not = "one of them holds no samples";
    return out;
  }
  const double finest = std::max(least_step(reference), least_step(other));
  const double step = std::max(finest, std::max(length_a, length_b) / static_cast<double>(kGrid));
  const auto cells = [&](double length) {
    return std::max<std::size_t>(1, static_cast<std::size_t>(length / step));
  };
  const Gridded a = grid(reference, reference.from_s(), step, cells(length_a), kShare),
                b = grid(other, other.from_s(), step, cells(length_b), kShare);
  const double quiet_a = quiet_level(a), quiet_b = quiet_level(b);
  const auto na = static_cast<std::ptrdiff_t>(a.mean.size()),
             nb = static_cast<std::ptrdiff_t>(b.mean.size());
  const double least = overlap * static_cast<double>(std::min(na, nb));
  if (going_on && !going_on()) {
    out.why_not = "it was cancelled";
    return out;
  }
  const auto r = correlations(a, quiet_a, b, quiet_b, 1 - nb, na - 1, least);
  const Peak peak = highest(r);
  out.correlation = std::max(0.0, peak.r);
  out.next_best = std::max(0.0, next_hill(r, peak));
  const std::ptrdiff_t lag = peak.at + 1 - nb;
  out.offset_s = reference.from_s() + static_cast<double>(lag) * step - other.from_s();
  out.confidence =
      std::clamp((out.correlation - out.next_best) / std::max(1e-9, 1 - out.next_best), 0.0, 1.0);
  if (out.correlation < kLeast) {
    out.why_not = "no offset gives a usable match";
    return out;
  }
  if (out.correlation - out.next_best < kBetter * out.correlation) {
    out.why_not = "another offset fits equally well";
    return out;
  }
  const auto from = static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, lag)),
             to = static_cast<std::size_t>(std::min(na, lag + nb));
  std::vector<double> places;
  for (const std::size_t place : steepest(a, quiet_a, from, to))
    places.push_back(a.from_s + static_cast<double>(place) * step);
  out.offset_s = refine(OffsetCorrelation(reference, quiet_a, other, quiet_b), places, out.offset_s,
                        step, finest, going_on);
  return out;
}

std::optional<double> line_up_entries(const Visits& reference, const Visits& other,
                                      const std::string& state, int n) {
  const auto entry = [&](const Visits& visits) -> std::optional<double> {
    int seen = 0;
    for (std::size_t i = 0; i < visits.size(); ++i) {
      if (visits[i].state == state && is_entry(visits, i) && ++seen == n) return visits[i].from_s;
    }
    return std::nullopt;
  };
  const auto a = entry(reference), b = entry(other);
  if (!a || !b) return std::nullopt;
  return *a - *b;
}

}  // namespace kuvio
