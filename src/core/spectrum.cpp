// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/spectrum.h"

#include "core/measure.h"
#include "core/quantiles.h"

#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <memory>
#include <numbers>
#include <numeric>
#include <optional>
#include <utility>

namespace kuvio {
namespace {

constexpr std::int64_t kMost = 1 << 20, kLeast = 16;
constexpr std::int64_t kNeededForNoise =
    64;                             // samples: fewer bins do not separate a line from noise
constexpr double kDominant = 0.2;   // of all that swings
constexpr double kBeyondNoise = 7;  // e^-7: once in a thousand
constexpr double kLowBins = 4;      // the first bins have no other side to be judged by

struct Free {
  void operator()(void* p) const { fftw_free(p); }
};
template <typename T>
std::unique_ptr<T[], Free> room(std::size_t n) {
  return std::unique_ptr<T[], Free>(static_cast<T*>(fftw_malloc(n * sizeof(T))));
}

void run(const auto& make) {
  // Only the planner minds several threads, unless it is informed of them, once.
  static const bool safe = (fftw_make_planner_thread_safe(), true);
  fftw_plan plan = safe ? make() : nullptr;
  fftw_execute(plan);
  fftw_destroy_plan(plan);
}

struct Piece {
  const Block* block = nullptr;
  std::int64_t first = 0, count = 0;
};

/// The longest evenly spaced piece inside a span; of a very long one its middle.
Piece longest(const Trace& trace, double from_s, double to_s) {
  const TimeBase base = trace.time_base();
  Piece best;
  for (const Block& b : trace.blocks()) {
    if (b.period == 0 || static_cast<long double>(b.end) < base.ticks(from_s) ||
        static_cast<long double>(b.start) > base.ticks(to_s))
      continue;
    std::int64_t first = cell_at(trace, b, base.ticks(from_s));
    if (base.seconds(tick_of(trace, b, first)) < from_s) ++first;
    const std::int64_t last = cell_at(trace, b, base.ticks(to_s));
    if (last - first + 1 > best.count) best = {&b, first, last - first + 1};
  }
  if (best.count > kMost) {
    best.first += (best.count - kMost) / 2;
    best.count = kMost;
  }
  return best;
}

void take_off_trend(std::vector<double>& v) {
  const auto n = static_cast<double>(v.size());
  double mean = 0, slope = 0;
  for (const double x : v) mean += x / n;
  for (std::size_t i = 0; i < v.size(); ++i)
    slope += (static_cast<double>(i) - (n - 1) / 2) * (v[i] - mean);
  slope /= n * (n * n - 1) / 12;
  for (std::size_t i = 0; i < v.size(); ++i)
    v[i] -= mean + slope * (static_cast<double>(i) - (n - 1) / 2);
}

constexpr std::size_t kFirst = 5;  // bins, periods in the piece

/// Noise around a bin.
struct Background {
  double power = 0;  ///< mean of a bin
  double bins = 0;   ///< independent ones that it rests on; a Hann window joins three in two
  /// How far over it a line lies at least that noise reaches once in e^7 spans of `n` bins: the
  /// quotient of two exponentials' sums (1 and `bins` of them).
  double least_line(std::size_t n) const {
    return bins * std::expm1((std::log(static_cast<double>(n)) + kBeyondNoise) / bins);
  }
};

/// Of the bins on either side that a line there does not reach, by their medians, and between the
/// sides as a power law has it.
Background background(const std::vector<double>& power, std::size_t at) {
  constexpr std::size_t kReach = 3;  // half the width of a Hann window's line, and one more
  const std::size_t width = std::max<std::size_t>(12, at / 2);
  const auto side = [&](std::size_t from, std::size_t to) {
    return median({power.begin() + static_cast<std::ptrdiff_t>(from),
                   power.begin() + static_cast<std::ptrdiff_t>(to)}) /
           std::numbers::ln2;  // mean of an exponential of that median
  };
  const std::size_t above = std::min(power.size() - 1, at + kReach);
  const std::size_t top = std::min(power.size(), above + width);
  const double high = side(above, top);
  const double means = static_cast<double>(top - above) / 1.5;
  if (at < kReach + 4) return {kLowBins * high, means};
  const std::size_t bottom = at - std::min(at - 1, kReach + width);
  const double low = side(bottom, at - kReach);
  const double both = means + static_cast<double>(at - kReach - bottom) / 1.5;
  return {std::max(high, std::sqrt(low * high)), both};
}

/// Power of what varies, behind a Hann window.
std::vector<double> power_of(std::vector<double> v) {
  take_off_trend(v);
  const auto n = static_cast<double>(v.size());
  for (std::size_t i = 0; i < v.size(); ++i)
    v[i] *= 0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / n);
  const auto bins = transform(v);
  std::vector<double> out(bins.size());
  for (std::size_t i = 0; i < bins.size(); ++i) out[i] = std::norm(bins[i]);
  return out;
}

/// By how much a bin stands over what noise may make of its surroundings.
double over_noise(const std::vector<double>& power, std::size_t at, const Background& noise,
                  double rounding) {
  return power[at] / ((noise.power + rounding) * noise.least_line(power.size()));
}

/// Bins that may be the clearest line, at most `kTried`. What lies around a bin is as wide as the
/// bin is high, so it changes slowly: it is found at every fiftieth part of the way, and the lower
/// of two neighbours taken. All bins by their own surroundings would take a time that grows with
/// their square.
std::vector<std::size_t> likely_lines(const std::vector<double>& power, double rounding) {
  constexpr std::size_t kTried = 200, kEach = 400;  // below that bins are judged by their own
  constexpr double kStep = 1.02;
  std::vector<std::pair<double, std::size_t>> likely;
  std::optional<Background> before, after;
  double at = kEach, next = kEach;
  for (std::size_t i = kFirst; i + 1 < power.size(); ++i) {  // the last bin has no neighbour
    const bool peak = power[i] >= power[i - 1] && power[i] >= power[i + 1];
    if (i < kEach) {
      if (peak) likely.emplace_back(over_noise(power, i, background(power, i), rounding), i);
      continue;
    }
    while (static_cast<double>(i) >= next) {
      at = next;
      next = std::max(at + 1, at * kStep);
      before = after ? *after : background(power, static_cast<std::size_t>(at));
      after = background(power,
                         std::min(power.size() - 2, static_cast<std::size_t>(std::llround(next))));
    }
    if (!peak) continue;
    const Background& lower = before->power < after->power ? *before : *after;
    likely.emplace_back(over_noise(power, i, lower, rounding), i);
  }
  const auto most = static_cast<std::ptrdiff_t>(std::min(kTried, likely.size()));
  std::partial_sort(likely.begin(), likely.begin() + most, likely.end(), std::greater<>());
  std::vector<std::size_t> out;
  for (std::ptrdiff_t i = 0; i < most; ++i)
    out.push_back(likely[static_cast<std::size_t>(i)].second);
  return out;
}

/// The line that stands highest over its own surroundings, as noise may rise towards low
/// frequencies; none where noise alone may well make one as high.
std::optional<std::size_t> clearest_line(const std::vector<double>& power, double rounding) {
  std::optional<std::size_t> out;
  double most = 1;
  for (const std::size_t i : likely_lines(power, rounding)) {
    const double over = over_noise(power, i, background(power, i), rounding);
    if (over > most) {
      most = over;
      out = i;
    }
  }
  return out;
}

/// Where the peak lies between bins: a parabola through the logarithms of three finds a Hann
/// window's to a few per cent of a bin.
double between_bins(const std::vector<double>& power, std::size_t peak) {
  const double a = std::log(power[peak - 1] + 1e-300), b = std::log(power[peak]),
               c = std::log(power[peak + 1] + 1e-300);
  const double bend = a - 2 * b + c;
  return static_cast<double>(peak) + (bend < 0 ? std::clamp(0.5 * (a - c) / bend, -0.5, 0.5) : 0);
}

}  // namespace

std::vector<std::complex<double>> transform(std::span<const double> values) {
  const std::size_t n = values.size();
  auto in = room<double>(n);
  std::vector<std::complex<double>> out(n / 2 + 1);
  std::copy(values.begin(), values.end(), in.get());  // planning by estimate leaves it alone
  run([&] {
    return fftw_plan_dft_r2c_1d(static_cast<int>(n), in.get(),
                                reinterpret_cast<fftw_complex*>(out.data()), FFTW_ESTIMATE);
  });
  return out;
}

std::vector<double> transform_back(std::span<const std::complex<double>> bins, std::size_t n) {
  std::vector<std::complex<double>> in(bins.begin(), bins.end());
  std::vector<double> out(n);
  run([&] {
    return fftw_plan_dft_c2r_1d(static_cast<int>(n), reinterpret_cast<fftw_complex*>(in.data()),
                                out.data(), FFTW_ESTIMATE);
  });
  return out;
}

std::optional<Ripple> ripple(const Trace& trace, double from_s, double to_s) {
  const Piece piece = longest(trace, from_s, to_s);
  if (piece.count < kLeast) return std::nullopt;
  const auto n = static_cast<double>(piece.count);
  const double length = n * trace.time_base().seconds(piece.block->period);
  std::vector<double> v(static_cast<std::size_t>(piece.count));
  trace.read(*piece.block, piece.first, v);
  Ripple out;
  const SpanFigures all = measure(trace, from_s, to_s);
  out.peak_to_peak = all.max.value_or(0) - all.min.value_or(0);
  out.from_s = trace.time_base().seconds(tick_of(trace, *piece.block, piece.first));
  out.to_s = out.from_s + length;
  out.resolution_hz = 2 / length;  // half the width of a Hann window's line
  if (piece.count < kNeededForNoise) return out;
  double level = 0;
  for (const double x : v) level = std::max(level, std::fabs(x));
  // What rounding leaves of a flat line is no ripple.
  const double rounding = std::pow(1e-13 * level * n, 2);
  const std::vector<double> power = power_of(std::move(v));
  const auto peak = clearest_line(power, rounding);
  if (!peak) return out;
  const double near = power[*peak - 1] + power[*peak] + power[*peak + 1];
  if (near < kDominant * std::accumulate(power.begin(), power.end(), 0.0)) return out;
  const double at = between_bins(power, *peak);
  // Fewer than five periods are a change of level, not a ripple.
  if (at < static_cast<double>(kFirst)) return out;
  out.frequency_hz = at / length;
  // A Hann window spreads a sine's power over three bins; its own mean square is 3/8.
  out.amplitude = 2 * std::sqrt(near / (0.375 * n * n));
  return out;
}

}  // namespace kuvio
