// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/noise_scale.h"

#include "core/noise.h"
#include "core/quantiles.h"
#include "core/trace.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace kuvio {
namespace {

constexpr std::int64_t kRun = 32;     // samples of a run that shows its noise
constexpr std::size_t kRuns = 6000;   // of them, all over the trace
constexpr double kLeastShare = 0.05;  // of a level, that its noise is at least
constexpr double kStep = 0.02, kBin = 0.35;
constexpr double kInfinity = std::numeric_limits<double>::infinity();
/// What the best split of normal values into two leaves of their deviation, about 0.6, made whole.
constexpr double kOfTwo = 1.6;
/// A run of which that split leaves less than so much has two levels: of a swing 0.44 is left, of a
/// ramp 0.5.
constexpr double kTwoLevels = 0.28;
constexpr int kToAndFro = 3;  // times that a run goes from one level to the other, in bursts

/// Standard deviations about one level and about the nearer of two, the two that leave the least.
struct Deviations {
  double about_one = 0, about_two = 0;
  double between = 0;  ///< the largest value that belongs to the lower of the two
};
Deviations deviations_of(std::vector<double> values) {
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

/// The noise of a run: its deviations from its median; of one that goes to and fro between two
/// levels those from the nearer one, since their distance is no noise. A single change of level
/// leaves the run as noisy as it looks: it is not to speak.
double noise_of_run(std::vector<double>& values, double middle) {
  const Deviations d = deviations_of(values);
  if (d.about_two < kTwoLevels * d.about_one) {
    int changes = 0;
    for (std::size_t i = 1; i < values.size(); ++i)
      changes += (values[i] > d.between) != (values[i - 1] > d.between) ? 1 : 0;
    if (changes >= kToAndFro) return kOfTwo * d.about_two;
  }
  for (double& v : values) v = std::fabs(v - middle);
  return 1.4826 * median(values);
}

}  // namespace

NoiseScale::NoiseScale(const Trace& trace, const std::function<bool()>& going_on)
    : zero_(quiet_noise(trace)), least_(kInfinity), most_(-kInfinity) {
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
  std::map<int, std::vector<std::pair<double, double>>> runs;
  const double every = std::max<double>(
      static_cast<double>(kRun), static_cast<double>(trace.samples()) / static_cast<double>(kRuns));
  std::vector<double> values;
  double next = 0, seen = 0;
  std::size_t read = 0;
  for (const Block& block : trace.blocks()) {
    for (; next < seen + static_cast<double>(block.count); next += every) {
      const auto at = static_cast<std::int64_t>(next - seen);
      const std::int64_t n = std::min(kRun, block.count - at);
      if (n < kRun / 2) continue;
      if (++read % 64 == 0 && going_on && !going_on()) break;
      values.resize(static_cast<std::size_t>(n));
      trace.read(block, at, values);
      for (const double v : values) {
        least_ = std::min(least_, v);
        most_ = std::max(most_, v);
      }
      const double steps = noise_of_steps(values);
      const double middle = median(values);
      const double t = std::asinh(middle / zero_);
      runs[static_cast<int>(std::floor(t / kBin))].emplace_back(
          t, std::max(steps, noise_of_run(values, middle)));
    }
    seen += static_cast<double>(block.count);
    const CellSum all = trace.sum(block, 0, block.count);
    least_ = std::min(least_, all.lo);
    most_ = std::max(most_, all.hi);
  }
  for (auto& [bin, all] : runs) {
    if (all.size() < 3 && runs.size() > 1) continue;
    std::vector<double> sizes, places;
    for (const auto& [t, size] : all) {
      places.push_back(t);
      sizes.push_back(size);
    }
    // Runs with a change of level in them show more: the lower ones speak, of few the lowest.
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
