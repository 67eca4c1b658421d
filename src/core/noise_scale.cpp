// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/noise_scale.h"

#include "core/noise.h"
#include "core/quantiles.h"
#include "core/trace.h"
#include "core/value_step.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <span>
#include <utility>

namespace kuvio {
namespace {

constexpr std::int64_t kRun = 32;    // samples of a run that shows its noise
constexpr std::size_t kRuns = 6000;  // of them, all over the trace
constexpr double kQuietest = 4;      // runs that are quieter than the quietest level is taken to be
constexpr double kLeastShare = 0.05;  // of a level, that its noise is at least
constexpr double kStep = 0.02, kBin = 0.35;
/// Noise of a value that goes to and fro between two neighbouring steps, of the step.
constexpr double kOfStep = 0.5;
constexpr std::size_t kFew = 5;  // values that tell of no step
constexpr double kInfinity = std::numeric_limits<double>::infinity();
/// The deviation about the nearer of two levels, made whole: what the best split takes from it.
constexpr double kOfTwo = 1.1;
/// A run has two levels if so much of its deviation is left about the nearer of them: of noise the
/// best split leaves 0.6, of a ramp 0.5, of a swing 0.44.
constexpr double kTwoLevels = 0.28;
constexpr int kToAndFro = 2;  // times that it goes from one to the other, at least, in bursts

/// A level, and the noise there.
struct Told {
  double level = 0, noise = 0;
};

/// Standard deviations about one level and about the nearer of two, the two that leave the least.
struct Deviations {
  double about_one = 0, about_two = 0;
  double between = 0;  ///< the largest value that belongs to the lower of the two
};
Deviations deviations_of(std::span<const double> run) {
  std::vector<double> values(run.begin(), run.end());
  std::sort(values.begin(), values.end());
  double sum = 0, squares = 0;
  for (const double v : values) {
    sum += v - values.front();
    squares += (v - values.front()) * (v - values.front());
  }
  const double n = static_cast<double>(values.size()), one = sum * sum / n;
  Deviations out;
  double below = 0, two = one;
  for (std::size_t i = 0; i + 1 < values.size(); ++i) {
    below += values[i] - values.front();
    const double m = static_cast<double>(i) + 1;
    const double parted = below * below / m + (sum - below) * (sum - below) / (n - m);
    if (parted <= two) continue;
    two = parted;
    out.between = values[i];
  }
  out.about_one = std::sqrt(std::max(0.0, squares - one) / n);
  out.about_two = std::sqrt(std::max(0.0, squares - two) / n);
  return out;
}

/// How often values go from one of two levels to the other.
int changes_about(std::span<const double> values, double between) {
  int out = 0;
  for (std::size_t i = 1; i < values.size(); ++i)
    out += (values[i] > between) != (values[i - 1] > between) ? 1 : 0;
  return out;
}

/// The longer of the two parts of a run with a change of level in it, without the samples beside
/// the change; all of the run where the best split leaves more of its deviation than such a change
/// does: of noise alone nearly nine tenths, of a swing more, of a change by a factor of two a half.
std::span<const double> of_one_level(std::span<const double> values) {
  constexpr std::size_t kLeast = 3;
  constexpr double kChange = 0.65;
  const double n = static_cast<double>(values.size());
  double sum = 0, squares = 0;
  for (const double v : values) {
    sum += v - values.front();
    squares += (v - values.front()) * (v - values.front());
  }
  const double one = sum * sum / n;
  double before = 0, two = one;
  std::size_t split = 0;
  for (std::size_t i = 0; i + kLeast < values.size(); ++i) {
    before += values[i] - values.front();
    const double m = static_cast<double>(i) + 1;
    const double parted = before * before / m + (sum - before) * (sum - before) / (n - m);
    if (i + 1 < kLeast || parted <= two) continue;
    two = parted;
    split = i + 1;
  }
  if (split == 0 || squares - two > kChange * kChange * (squares - one)) return values;
  return 2 * split > values.size() ? values.first(split - 1) : values.subspan(split + 1);
}

/// What a run tells: its deviations from its median, or the differences of neighbours if they are
/// larger. One that goes to and fro between two levels tells of the deviations from the nearer one,
/// since their distance is no noise; one with a change of level of what comes before it or after it
/// alone, and of nothing where that is less than half of it.
std::optional<Told> told_by(std::span<const double> run) {
  while (true) {
    std::vector<double> values(run.begin(), run.end());
    const double middle = median(values), steps = noise_of_steps(run);
    const Deviations d = deviations_of(run);
    if (d.about_two < kTwoLevels * d.about_one && changes_about(run, d.between) >= kToAndFro)
      return Told{middle, std::max(steps, kOfTwo * d.about_two)};
    const std::span<const double> part = of_one_level(run);
    if (part.size() < kRun / 2) return std::nullopt;
    if (part.size() == run.size()) {
      for (double& v : values) v = std::fabs(v - middle);
      return Told{middle, std::max(steps, 1.4826 * median(values))};
    }
    run = part;
  }
}

}  // namespace

NoiseScale::NoiseScale(const Trace& trace, const std::function<bool()>& going_on)
    : least_(kInfinity), most_(-kInfinity) {
  gather(trace, going_on);
  build();
}

double NoiseScale::at(double x) const {
  const double t = std::asinh(x / zero_);
  const double place =
      std::clamp((t - first_) / kStep, 0.0, static_cast<double>(table_.size() - 2));
  const auto i = static_cast<std::size_t>(place);
  // Beyond the table the line of its end goes on.
  const double part = (t - first_) / kStep - static_cast<double>(i);
  return table_[i] + part * (table_[i + 1] - table_[i]);
}

double NoiseScale::level(double y) const {
  const auto above = std::lower_bound(table_.begin() + 1, table_.end() - 1, y);
  const auto i = static_cast<std::size_t>(above - table_.begin()) - 1;
  const double part = (y - table_[i]) / (table_[i + 1] - table_[i]);
  return zero_ * std::sinh(first_ + kStep * (static_cast<double>(i) + part));
}

double NoiseScale::noise(double x) const {
  const double t = std::asinh(x / zero_);
  double log_noise = std::log(zero_);
  if (!bins_.empty()) {
    const auto above = bins_.lower_bound(t);
    if (above == bins_.begin()) {
      log_noise = above->second;
    } else if (above == bins_.end()) {
      // Beyond what was seen it grows as its level does.
      const auto& last = *bins_.rbegin();
      log_noise = last.second + std::log(std::cosh(t) / std::cosh(last.first));
    } else {
      const auto below = std::prev(above);
      const double part = (t - below->first) / (above->first - below->first);
      log_noise = below->second + part * (above->second - below->second);
    }
  }
  return std::max({std::exp(log_noise), zero_, kLeastShare * std::fabs(x)});
}

void NoiseScale::gather(const Trace& trace, const std::function<bool()>& going_on) {
  std::vector<Told> all_told;
  std::vector<double> all_values;
  const double every = std::max<double>(
      static_cast<double>(kRun), static_cast<double>(trace.samples()) / static_cast<double>(kRuns));
  std::vector<double> values;
  double next = 0, seen = 0;
  std::size_t read = 0;
  // Not at equal distances: devices do things at equal distances, too.
  constexpr double kGolden = 0.6180339887498949;
  double part = 0.5;
  for (const Block& block : trace.blocks()) {
    for (; next < seen + static_cast<double>(block.count); next += every) {
      part = std::fmod(part + kGolden, 1.0);
      const auto at = std::min(static_cast<std::int64_t>(next - seen + part * (every - kRun)),
                               std::max<std::int64_t>(0, block.count - kRun));
      const std::int64_t n = std::min(kRun, block.count - at);
      if (n < kRun / 2) continue;
      if (++read % 64 == 0 && going_on && !going_on()) break;
      values.resize(static_cast<std::size_t>(n));
      trace.read(block, at, values);
      all_values.insert(all_values.end(), values.begin(), values.end());
      for (const double v : values) {
        least_ = std::min(least_, v);
        most_ = std::max(most_, v);
      }
      if (const std::optional<Told> told = told_by(values)) all_told.push_back(*told);
    }
    seen += static_cast<double>(block.count);
    const CellSum all = trace.sum(block, 0, block.count);
    least_ = std::min(least_, all.lo);
    most_ = std::max(most_, all.hi);
  }
  std::vector<double> noises;
  for (const Told& told : all_told) noises.push_back(told.noise);
  // The quietest level's, however seldom it is visited.
  const double n = static_cast<double>(noises.size());
  const double quiet =
      noises.empty() ? quiet_noise(trace) : quantile(noises, std::min(0.5, kQuietest / n));
  // Of values that mostly stand on one step of their digits no run shows the noise.
  const double digits = kOfStep * value_step(std::move(all_values), kFew).value_or(0);
  zero_ = std::max({quiet, digits, 1e-6 * std::max(std::fabs(least_), std::fabs(most_)), 1e-15});
  std::map<int, std::vector<std::pair<double, double>>> runs;
  for (const Told& told : all_told) {
    const double t = std::asinh(told.level / zero_);
    runs[static_cast<int>(std::floor(t / kBin))].emplace_back(t, told.noise);
  }
  for (auto& [bin, all] : runs) {
    if (all.size() < 3 && runs.size() > 1) continue;
    std::vector<double> sizes, places;
    for (const auto& [t, size] : all) {
      places.push_back(t);
      sizes.push_back(size);
    }
    // Runs with more than one change of level in them show more: the lower ones speak, of few the
    // lowest.
    constexpr double kMany = 12;
    const double share = 0.4 * std::min(1.0, static_cast<double>(all.size() - 1) / kMany);
    bins_[median(places)] = std::log(std::max(quantile(sizes, share), zero_));
  }
}

void NoiseScale::build() {
  first_ = std::asinh(least_ / zero_) - 0.5;
  const double last = std::asinh(most_ / zero_) + 0.5;
  const auto n = static_cast<std::size_t>((last - first_) / kStep) + 3;
  table_.assign(n, 0);
  for (std::size_t i = 1; i < n; ++i) {
    const double t = first_ + kStep * (static_cast<double>(i) - 0.5);
    table_[i] = table_[i - 1] + kStep * zero_ * std::cosh(t) / noise(zero_ * std::sinh(t));
  }
}

}  // namespace kuvio
