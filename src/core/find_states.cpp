// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find_states.h"

#include "core/change_points.h"
#include "core/clusters.h"
#include "core/level_number.h"
#include "core/node_sizes.h"
#include "core/noise_scale.h"
#include "core/number_text.h"
#include "core/quantiles.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>
#include <numeric>
#include <span>
#include <stdexcept>

namespace kuvio {
namespace {

constexpr double kFewSamples = 1.5e6;  // so many are all looked at one by one
/// Samples that are cut at a time, so that memory is bounded; a level that goes on over such a seam
/// is two stretches, of one state.
constexpr std::int64_t kAtOnce = 64 * kNodeSizes.front();
constexpr double kInfinity = std::numeric_limits<double>::infinity();
constexpr double kNoLevel = std::numeric_limits<double>::quiet_NaN();

/// Makes points of a part of a block: nodes that show no more than noise, else groups of samples
/// that don't, else single samples.
class Gatherer {
public:
  Gatherer(const Trace& trace, const NoiseScale& scale, bool all)
      : trace_(trace), scale_(scale), all_(all) {}

  /// `from` stands at a node's begin.
  void gather(const Block& block, std::int64_t from, std::int64_t to,
              std::vector<WeightedPoint>& out) {
    if (all_) return singly(block, from, to, out);
    for (std::int64_t at = from; at < to; at += kNodeSizes.front())
      descend(block, at, std::min(to, at + kNodeSizes.front()), 0, out);
  }

private:
  /// What a node may show and be one point: its range, and how far its variance is above the
  /// noise's, which has `usual` of its size in the mean square that was summed.
  struct Quiet {
    double range = 0, sigmas = 5, usual = 1;
  };
  bool quiet(const CellSum& s, double n, const Quiet& most, double& mean) const {
    mean = s.q / n;
    if (scale_.at(s.hi) - scale_.at(s.lo) > most.range) return false;
    const double noise = scale_.noise(mean), square = s.r / n - mean * mean;
    return square < noise * noise * most.usual * (1 + most.sigmas * std::sqrt(2 / n));
  }
  void descend(const Block& block, std::int64_t from, std::int64_t to, std::size_t level,
               std::vector<WeightedPoint>& out) {
    const bool timed = block.period == 0;
    const CellSum s = trace_.sum(block, from, to);
    const double length =
        timed ? static_cast<double>(tick_of(trace_, block, to) - tick_of(trace_, block, from))
              : static_cast<double>(to - from);
    const double usual = trace_.kind() == SampleKind::averaged ? 1 : 2.0 / 3;
    double mean = 0;
    if (length > 0 && quiet(s, length, {7 + 0.5 * std::log(length), 5, usual}, mean)) {
      out.push_back({scale_.at(mean), static_cast<double>(to - from), from, to});
      return;
    }
    if (level + 1 == kNodeSizes.size())
      return timed ? singly(block, from, to, out) : in_groups(block, from, to, out);
    const std::int64_t size = kNodeSizes[level + 1];
    for (std::int64_t at = from; at < to; at += size)
      descend(block, at, std::min(to, at + size), level + 1, out);
  }
  /// The smallest node, where something happens: mostly it happens in a few of its samples. Groups
  /// that are calm, beside calm ones at their level, are a point each; so all of a change, and
  /// what it leads from and to, is looked at sample by sample.
  void in_groups(const Block& block, std::int64_t from, std::int64_t to,
                 std::vector<WeightedPoint>& out) {
    constexpr std::size_t kGroup = 8;
    constexpr Quiet kCalm{5, 2.5};
    constexpr double kSameLevel = 1.75;  // means of eight: 3.5 deviations of their difference
    values_.resize(static_cast<std::size_t>(to - from));
    trace_.read(block, from, values_);
    levels_.clear();
    for (std::size_t i = 0; i < values_.size(); i += kGroup) {
      const std::span<const double> group =
          std::span(values_).subspan(i, std::min(kGroup, values_.size() - i));
      double mean = 0;
      const bool calm = quiet(sum_of(group), static_cast<double>(group.size()), kCalm, mean);
      levels_.push_back(calm ? scale_.at(mean) : kNoLevel);
    }
    const auto beside = [&](std::size_t g, std::size_t other) {
      return other >= levels_.size() || std::fabs(levels_[g] - levels_[other]) < kSameLevel;
    };
    for (std::size_t g = 0; g < levels_.size(); ++g) {
      const std::size_t i = g * kGroup, n = std::min(kGroup, values_.size() - i);
      if (!std::isnan(levels_[g]) && beside(g, g - 1) && beside(g, g + 1)) {
        const auto index = from + static_cast<std::int64_t>(i);
        out.push_back(
            {levels_[g], static_cast<double>(n), index, index + static_cast<std::int64_t>(n)});
      } else {
        add_values(i, n, from, out);
      }
    }
  }
  static CellSum sum_of(std::span<const double> values) {
    CellSum out{values.front(), values.front(), 0, 0};
    for (const double v : values) {
      out.q += v;
      out.r += v * v;
      out.lo = std::min(out.lo, v);
      out.hi = std::max(out.hi, v);
    }
    return out;
  }
  void singly(const Block& block, std::int64_t from, std::int64_t to,
              std::vector<WeightedPoint>& out) {
    constexpr std::int64_t kPiece = 65536;
    for (std::int64_t at = from; at < to; at += kPiece) {
      values_.resize(static_cast<std::size_t>(std::min(kPiece, to - at)));
      trace_.read(block, at, values_);
      add_values(0, values_.size(), at, out);
    }
  }
  /// Of the values that were read from `first` on, `n` from the i-th on.
  void add_values(std::size_t i, std::size_t n, std::int64_t first,
                  std::vector<WeightedPoint>& out) const {
    for (std::size_t k = i; k < i + n; ++k) {
      const auto index = first + static_cast<std::int64_t>(k);
      out.push_back({scale_.at(values_[k]), 1, index, index + 1});
    }
  }

  const Trace& trace_;
  const NoiseScale& scale_;
  bool all_;
  std::vector<double> values_, levels_;
};

/// A stretch at one level.
struct Stretch {
  double y = 0, weight = 0;
  std::size_t block = 0;
  std::int64_t from = 0, to = 0;
};

/// Whether a stretch only leads from the level before to the one after: part of a row of short ones
/// that all go the same way, and short as a whole beside what it lies between.
bool leads_over(const std::vector<Stretch>& all, std::size_t i) {
  constexpr double kShort = 12;  // samples; what lasts longer is a stay
  if (all[i].weight < 3) return true;
  if (all[i].weight >= kShort || i == 0 || i + 1 == all.size()) return false;
  const double way = all[i + 1].y > all[i - 1].y ? 1 : -1;
  const auto goes_on = [&](std::size_t j) {
    return all[j].block == all[j + 1].block && way * (all[j + 1].y - all[j].y) > 0;
  };
  std::size_t first = i, last = i;
  while (first > 0 && goes_on(first - 1) && (first == i || all[first].weight < kShort)) --first;
  while (last + 1 < all.size() && goes_on(last) && (last == i || all[last].weight < kShort)) ++last;
  // What it lies between is no part of the row.
  if (first == i || last == i) return false;
  double row = 0;
  for (std::size_t j = first + 1; j < last; ++j) row += all[j].weight;
  // One step on the way may be a state; several are hardly ever.
  const double most = last - first > 2 ? 1 : 0.5;
  return row < most * std::min(all[first].weight, all[last].weight);
}

/// What a stretch tells of its state's level: its own mean is known to the noise over its samples,
/// and visits of one state differ by about the noise of one.
double weight_of(const Stretch& s) { return 1 / (1 / s.weight + 1); }

double seconds(const Trace& trace, const Stretch& s) {
  const Block& block = trace.blocks()[s.block];
  return trace.time_base().seconds(tick_of(trace, block, s.to)) -
         trace.time_base().seconds(tick_of(trace, block, s.from));
}

/// Whether a stretch lies mostly in what is left out.
bool left_out(const Trace& trace, const Stretch& s, const FindSettings& settings) {
  const Block& block = trace.blocks()[s.block];
  const double from = trace.time_base().seconds(tick_of(trace, block, s.from)),
               to = trace.time_base().seconds(tick_of(trace, block, s.to));
  double in = 0;
  for (const auto& [a, b] : settings.leave_out)
    in += std::max(0.0, std::min(b, to) - std::max(a, from));
  return in > (to - from) / 2;
}

/// The stretches that points were cut into.
void add_stretches(const std::vector<WeightedPoint>& points, const std::vector<std::size_t>& begins,
                   std::size_t block, std::vector<Stretch>& out) {
  for (std::size_t k = 0; k < begins.size(); ++k) {
    const std::size_t end = k + 1 < begins.size() ? begins[k + 1] : points.size();
    Stretch s{0, 0, block, points[begins[k]].from, points[end - 1].to};
    for (std::size_t i = begins[k]; i < end; ++i) {
      s.y += points[i].weight * points[i].y;
      s.weight += points[i].weight;
    }
    s.y /= s.weight;
    out.push_back(s);
  }
}

std::vector<Stretch> stretches_of(const Trace& trace, const NoiseScale& scale,
                                  const FindSettings& settings, bool& given_up) {
  const double n = static_cast<double>(trace.samples());
  Gatherer gatherer(trace, scale, n <= kFewSamples);
  Partition partition(3 * std::log(std::max(n, 20.0)));
  std::vector<Stretch> out;
  std::vector<WeightedPoint> points;
  std::vector<std::size_t> begins;
  double done = 0;
  for (std::size_t b = 0; b < trace.blocks().size(); ++b) {
    const Block& block = trace.blocks()[b];
    for (std::int64_t at = 0; at < block.count; at += kAtOnce) {
      points.clear();
      gatherer.gather(block, at, std::min(block.count, at + kAtOnce), points);
      given_up = !partition.cut(points, begins, [&](std::size_t i) {
        const double share = (done + static_cast<double>(points[i].from)) / n;
        return !settings.going_on || settings.going_on(share);
      });
      if (given_up) return out;
      add_stretches(points, begins, b, out);
    }
    done += static_cast<double>(block.count);
  }
  return out;
}

/// How long a change from one level to another takes where it is slow (s): nineteen of twenty take
/// no longer. 0 where changes are sharp.
double ramp_of(const Trace& trace, const std::vector<Stretch>& all,
               const std::vector<bool>& leading) {
  std::vector<double> rows;
  bool going_on = false;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (leading[i] && going_on) rows.back() += seconds(trace, all[i]);
    if (leading[i] && !going_on) rows.push_back(seconds(trace, all[i]));
    going_on = leading[i];
  }
  return 2 * rows.size() > all.size() / 8 && !rows.empty() ? quantile(rows, 0.95) : 0;
}

/// Which cluster a stretch belongs to.
std::size_t nearest(const std::vector<double>& centres, double y) {
  std::size_t out = 0;
  for (std::size_t c = 1; c < centres.size(); ++c) {
    if (std::fabs(y - centres[c]) < std::fabs(y - centres[out])) out = c;
  }
  return out;
}

/// One stay after another, by cluster.
struct Stay {
  std::size_t level = 0;
  double length_s = 0;
};

/// How long (s) a stay on another level than these two is: half of the time on others lies in
/// longer ones.
double stay_on_others(const std::vector<Stay>& stays, std::size_t base, std::size_t burst) {
  std::vector<double> lengths;
  for (const Stay& s : stays) {
    if (s.level != base && s.level != burst) lengths.push_back(s.length_s);
  }
  std::sort(lengths.begin(), lengths.end());
  double left = std::accumulate(lengths.begin(), lengths.end(), 0.0) / 2;
  for (const double length : lengths) {
    left -= length;
    if (left <= 0) return length;
  }
  return 0;
}

/// Whether one of two neighbouring levels is but bursts on top of the other, or the other way
/// round: it is nearly always entered from it and left to it, at least three times in a row, not
/// much more seldom than its own length, such rows lie between other states, and bursts and pauses
/// are short beside these. A device that sleeps and measures in turn, and sends now and then, does
/// not sleep in bursts.
bool is_burst(const std::vector<Stay>& stays, std::size_t base, std::size_t burst) {
  std::size_t visits = 0, between = 0, rows = 0, in_rows = 0;
  std::vector<double> lengths, pauses;
  for (std::size_t i = 0; i < stays.size(); ++i) {
    if (stays[i].level != burst) continue;
    ++visits;
    const bool framed =
        i > 0 && i + 1 < stays.size() && stays[i - 1].level == base && stays[i + 1].level == base;
    between += framed ? 1 : 0;
  }
  if (visits < 6 || static_cast<double>(between) < 0.8 * static_cast<double>(visits)) return false;
  for (std::size_t i = 0; i < stays.size();) {
    std::size_t end = i, bursts = 0;
    while (end < stays.size() && (stays[end].level == base || stays[end].level == burst)) {
      bursts += stays[end].level == burst ? 1 : 0;
      (stays[end].level == burst ? lengths : pauses).push_back(stays[end].length_s);
      ++end;
    }
    if (bursts > 0 && i > 0 && end < stays.size()) {
      ++rows;
      in_rows += bursts;
    }
    i = std::max(end, i + 1);
  }
  constexpr double kMostPause = 50, kShort = 4;
  if (rows < 2 || in_rows < 3 * rows) return false;
  const double pause = median(pauses), length = median(lengths);
  return pause < kMostPause * length &&
         kShort * std::max(pause, length) <= stay_on_others(stays, base, burst);
}

/// Joins levels of which one is only bursts on the other: where each of the clusters that stay
/// begins. The level nearest to zero, where a device rests, stays a state of its own.
std::vector<std::size_t> without_bursts(const Trace& trace, const NoiseScale& scale,
                                        const std::vector<Stretch>& all,
                                        const std::vector<double>& centres,
                                        std::vector<std::size_t> bounds) {
  std::vector<std::size_t> of(centres.size());
  std::iota(of.begin(), of.end(), std::size_t{0});
  const auto rest = static_cast<std::size_t>(std::min_element(centres.begin(), centres.end(),
                                                              [&](double a, double b) {
                                                                return std::fabs(scale.level(a)) <
                                                                       std::fabs(scale.level(b));
                                                              }) -
                                             centres.begin());
  for (bool any = true; any;) {
    any = false;
    std::vector<Stay> stays;
    for (const Stretch& s : all) {
      const std::size_t level = of[nearest(centres, s.y)];
      if (stays.empty() || stays.back().level != level) stays.push_back({level, 0});
      stays.back().length_s += seconds(trace, s);
    }
    for (std::size_t c = 0; c + 2 < bounds.size() && !any; ++c) {
      if (of[rest] == c || of[rest] == c + 1) continue;
      if (!is_burst(stays, c, c + 1) && !is_burst(stays, c + 1, c)) continue;
      bounds.erase(bounds.begin() + static_cast<std::ptrdiff_t>(c) + 1);
      for (std::size_t& o : of) o -= o > c ? 1 : 0;
      any = true;
    }
  }
  return bounds;
}

/// The share of normal noise that lies so many deviations over its mean and more.
double share_over(double deviations) { return std::erfc(deviations / std::numbers::sqrt2) / 2; }

/// How many samples a visit must hold so that noise about a level makes hardly one (a tenth of one
/// in `samples`): it passes the threshold that lies `enters` deviations away, and does not come
/// back over the release, `stays` away, for all the others.
double samples_against_noise(double samples, double enters, double stays) {
  constexpr double kFalseOnes = 0.1;
  const double expected = samples * share_over(enters);
  if (expected <= kFalseOnes) return 0;
  return 1 + std::log(kFalseOnes / expected) / std::log(share_over(stays));
}

/// On the scale of noise.
struct Level {
  double centre = 0, spread = 0;
};

/// How long (s) a visit to each state must last so that it is no noise about a neighbour's level.
std::vector<double> against_noise(const NoiseScale& scale, const FoundStates& found,
                                  const std::vector<Level>& highest,
                                  const std::vector<Level>& lowest, double sample_s) {
  std::vector<double> out(found.levels.size());
  const auto at_least = [&](std::size_t c, std::size_t neighbour, double enters, double stays) {
    const double samples = found.levels[neighbour].time_s / sample_s;
    out[c] = std::max(out[c], sample_s * samples_against_noise(samples, enters, stays));
  };
  for (std::size_t c = 0; c + 1 < out.size(); ++c) {
    const Band &below = found.recipe.states[c].level, &above = found.recipe.states[c + 1].level;
    const double low = highest[c].centre, high = lowest[c + 1].centre;
    at_least(c + 1, c, scale.at(above.low) - low, scale.at(above.release_low) - low);
    at_least(c, c + 1, high - scale.at(below.high), high - scale.at(below.release_high));
  }
  return out;
}

/// What a stretch shows, but for its ends.
struct Within {
  double mean = 0, noise = 0;  ///< in the trace's unit
  double samples = 0;
};
Within within(const Trace& trace, const Stretch& s) {
  const Block& block = trace.blocks()[s.block];
  // A sample at its end may lie half in the next one, and so does the line from an instant there.
  const std::int64_t all = s.to - s.from, end = all < 3 ? 0 : std::max<std::int64_t>(1, all / 10);
  const std::int64_t from = s.from + end;
  const std::int64_t to = s.to - end - (trace.kind() == SampleKind::instant ? 1 : 0);
  if (to <= from) {
    double value = 0;
    trace.read(block, from, {&value, 1});
    return {value, 0, 1};
  }
  const auto samples = static_cast<double>(to - from);
  const double length =
      block.period == 0
          ? static_cast<double>(tick_of(trace, block, to) - tick_of(trace, block, from))
          : samples;
  const CellSum sum = trace.sum(block, from, to);
  const double mean = sum.q / length, square = sum.r / length - mean * mean;
  return {mean, std::sqrt(std::max(0.0, square)), samples};
}

/// Whether noise hides a level: it is under a tenth of that, or under what a mean of so many
/// samples is known to. Fewer than ten cannot tell.
bool is_nothing(double level, const Within& longest) {
  return longest.samples >= 10 &&
         std::fabs(level) < longest.noise * (0.1 + 3 / std::sqrt(longest.samples));
}

std::string name_of(double level, const std::string& unit, const std::vector<StateRule>& others) {
  // With a plain space: a name is typed into recipes and budgets, where a thin one cannot be.
  std::string plain = "At " + with_prefix(level, unit, 2);
  if (const auto thin = plain.find("\u2009"); thin != std::string::npos)
    plain.replace(thin, 3, " ");
  std::string out = plain;
  for (int n = 2;
       std::any_of(others.begin(), others.end(), [&](const StateRule& r) { return r.name == out; });
       ++n)
    out = plain + " (" + std::to_string(n) + ")";
  return out;
}

/// A limit that all of a trace keeps well below: a rule needs one, also where it is the only one.
/// Of nothing at all a millionth of the unit.
double beyond(const NoiseScale& scale) {
  const double most = scale.most(), room = std::max(std::fabs(most), most - scale.least());
  return room > 0 ? to_digits(most + 2 * room, 2) : 1e-6;
}

/// The recipe of clusters: `fine` as they were found, `bounds` once bursts are part of what they
/// stand on.
FoundStates proposed(const Trace& trace, const NoiseScale& scale, const FindSettings& settings,
                     const Clusters& clusters, const std::vector<const Stretch*>& taking_part,
                     const std::vector<std::size_t>& fine, const std::vector<std::size_t>& bounds,
                     double ramp_s, FoundStates out) {
  const double sample_s = (trace.to_s() - trace.from_s()) /
                          static_cast<double>(std::max<std::int64_t>(1, trace.samples()));
  std::vector<Level> lowest, highest;  // of each state, of the clusters that it is made of
  std::vector<double> least_s;         // how long its shortest stretch lasts (s)
  std::vector<const Stretch*> longest;
  const auto level_of = [&](std::size_t from, std::size_t to) {
    const double n = static_cast<double>(to - from);
    return Level{clusters.mean(from, to), std::sqrt(1 + clusters.squares(from, to) / n)};
  };
  for (std::size_t c = 0; c + 1 < bounds.size(); ++c) {
    const auto first = std::find(fine.begin(), fine.end(), bounds[c]),
               last = std::find(fine.begin(), fine.end(), bounds[c + 1]);
    lowest.push_back(level_of(*first, *(first + 1)));
    highest.push_back(level_of(*(last - 1), *last));
    FoundLevel level;
    double sum = 0;
    least_s.push_back(kInfinity);
    longest.push_back(taking_part[bounds[c]]);
    for (std::size_t i = bounds[c]; i < bounds[c + 1]; ++i) {
      const double length = seconds(trace, *taking_part[i]);
      level.time_s += length;
      sum += length * within(trace, *taking_part[i]).mean;
      least_s.back() = std::min(least_s.back(), length);
      if (length > seconds(trace, *longest.back())) longest.back() = taking_part[i];
    }
    level.level = level.time_s > 0 ? sum / level.time_s : scale.level(lowest.back().centre);
    out.levels.push_back(level);
  }
  out.recipe.name = "Found states";
  // Half-way on a scale of ratios where both levels keep well away from it, so that the next build
  // may draw several times as much and still be in its state; else by how far each spreads.
  const auto threshold = [&](std::size_t c) {
    const Level &a = highest[c], &b = lowest[c + 1];
    const double low = scale.level(a.centre), high = scale.level(b.centre);
    if (3 * (a.spread + b.spread) < b.centre - a.centre)
      return low > 0 ? scale.at(std::sqrt(low * high)) : (a.centre + b.centre) / 2;
    return (a.centre * b.spread + b.centre * a.spread) / (a.spread + b.spread);
  };
  // Three digits are enough, where they leave the threshold well between its levels.
  const auto rounded = [&](double level, std::size_t c) {
    const double gap = scale.level(lowest[c + 1].centre) - scale.level(highest[c].centre);
    const double three = to_digits(level, 3);
    return std::fabs(three - level) < 0.025 * gap ? three : level;
  };
  // A level is left for good half-way to its neighbour, at the latest.
  const auto slack = [&](std::size_t c, double centre) {
    return std::min({1.5, 0.25 * (lowest[c + 1].centre - highest[c].centre),
                     0.5 * std::fabs(threshold(c) - centre)});
  };
  for (std::size_t c = 0; c < out.levels.size(); ++c) {
    StateRule rule;
    const double level = out.levels[c].level;
    rule.name = name_of(is_nothing(level, within(trace, *longest[c])) ? 0 : level, settings.unit,
                        out.recipe.states);
    if (c > 0) {
      rule.level.low = rounded(scale.level(threshold(c - 1)), c - 1);
      rule.level.release_low = std::min(
          rule.level.low,
          rounded(scale.level(threshold(c - 1) - slack(c - 1, highest[c - 1].centre)), c - 1));
    }
    if (c + 1 < out.levels.size()) {
      rule.level.high = rounded(scale.level(threshold(c)), c);
      rule.level.release_high = std::max(
          rule.level.high, rounded(scale.level(threshold(c) + slack(c, lowest[c + 1].centre)), c));
    }
    if (out.levels.size() == 1) rule.level.high = rule.level.release_high = beyond(scale);
    out.recipe.states.push_back(std::move(rule));
  }
  const std::vector<double> quiet_s = against_noise(scale, out, highest, lowest, sample_s);
  // Against flicker and slow changes alone: the next build may stay for less than this one did.
  for (std::size_t c = 0; c < out.levels.size(); ++c)
    out.recipe.states[c].shortest_s =
        to_digits(std::min(least_s[c] / 2, std::max({5 * sample_s, 1.1 * ramp_s, quiet_s[c]})), 2);
  return out;
}

}  // namespace

FoundStates find_states(const Trace& trace, const FindSettings& settings) {
  if (trace.samples() < 20) throw std::invalid_argument("it holds fewer than 20 samples");
  const std::function<bool()> going_on = [&] { return !settings.going_on || settings.going_on(0); };
  const NoiseScale scale(trace, going_on);
  FoundStates out;
  out.given_up = !going_on();
  if (out.given_up) return out;
  std::vector<Stretch> all = stretches_of(trace, scale, settings, out.given_up);
  if (out.given_up) return out;
  std::vector<const Stretch*> taking_part;
  std::vector<bool> leading(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    leading[i] = leads_over(all, i);
    if (!leading[i] && !left_out(trace, all[i], settings)) taking_part.push_back(&all[i]);
  }
  if (taking_part.empty()) {
    for (const Stretch& s : all) taking_part.push_back(&s);
  }
  std::sort(taking_part.begin(), taking_part.end(),
            [](const Stretch* a, const Stretch* b) { return a->y < b->y; });
  std::vector<double> values, weights;
  for (const Stretch* s : taking_part) {
    values.push_back(s->y);
    weights.push_back(weight_of(*s));
  }
  Clusters clusters(values, weights);
  const std::size_t k = settings.levels
                            ? std::clamp<std::size_t>(*settings.levels, 1, clusters.size())
                            : number_of_levels(clusters, taking_part.size());
  clusters.cost(k);
  const std::vector<std::size_t> fine = clusters.bounds(k);
  std::vector<std::size_t> bounds = fine;
  if (!settings.levels) {
    std::vector<double> middles;
    for (std::size_t c = 0; c < k; ++c) middles.push_back(clusters.mean(fine[c], fine[c + 1]));
    bounds = without_bursts(trace, scale, all, middles, std::move(bounds));
  }
  return proposed(trace, scale, settings, clusters, taking_part, fine, bounds,
                  ramp_of(trace, all, leading), std::move(out));
}

}  // namespace kuvio
