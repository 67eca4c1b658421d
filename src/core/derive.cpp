// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/derive.h"

#include "core/compensated_sum.h"
#include "core/measure.h"
#include "core/trimmed.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <utility>

namespace kuvio {
namespace {

constexpr std::int64_t kPiece = 4096;
constexpr std::array<std::pair<DerivedBy, std::string_view>, 7> kKeys{
    {{DerivedBy::product, "product"},
     {DerivedBy::difference, "difference"},
     {DerivedBy::sum, "sum"},
     {DerivedBy::ratio, "ratio"},
     {DerivedBy::running, "running"},
     {DerivedBy::rolling_mean, "rolling mean"},
     {DerivedBy::referred, "referred"}}};

/// Some cells of a block with the times that they begin and end at.
class Cells {
public:
  explicit Cells(const Trace& trace) : trace_(trace), base_(trace.time_base()) {}

  /// Has cells [from, from + n) of a block ready.
  void load(const Block& block, std::int64_t from) {
    from_ = from;
    const std::int64_t n = std::min(kPiece, block.count - from);
    last_ = from + n == block.count;
    values_.resize(static_cast<std::size_t>(n + (last_ ? 0 : 1)));
    trace_.read(block, from, values_);
    ticks_.resize(static_cast<std::size_t>(n + 1));
    if (block.period > 0) {
      for (std::int64_t i = 0; i <= n; ++i)
        ticks_[static_cast<std::size_t>(i)] = block.start + (from + i) * block.period;
    } else {
      trace_.read_times(block, from, std::span(ticks_).first(values_.size()));
    }
    if (last_) ticks_.back() = block.end;
  }
  std::size_t size() const { return ticks_.empty() ? 0 : ticks_.size() - 1; }
  bool last() const { return last_; }
  std::int64_t next() const { return from_ + static_cast<std::int64_t>(size()); }
  std::int64_t tick(std::size_t i) const { return ticks_[i]; }
  double from_s(std::size_t i) const { return base_.seconds(ticks_[i]); }
  double to_s(std::size_t i) const { return base_.seconds(ticks_[i + 1]); }
  double value(std::size_t i) const { return values_[i]; }
  /// The model within a cell.
  double at(std::size_t i, double t) const {
    if (trace_.kind() == SampleKind::averaged || i + 1 >= values_.size()) return values_[i];
    const double length = to_s(i) - from_s(i);
    const double share = length > 0 ? std::clamp((t - from_s(i)) / length, 0.0, 1.0) : 0;
    return values_[i] + share * (values_[i + 1] - values_[i]);
  }
  /// Its integral over a part of a cell.
  double integral(std::size_t i, double from, double to) const {
    return (at(i, from) + at(i, to)) / 2 * (to - from);
  }

private:
  const Trace& trace_;
  TimeBase base_;
  std::int64_t from_ = 0;
  bool last_ = false;
  std::vector<double> values_;
  std::vector<std::int64_t> ticks_;  // and where the last cell ends
};

/// A trace that is asked for moments one after another.
class Follower {
public:
  explicit Follower(const Trace& trace) : trace_(trace), cells_(trace) {}

  std::optional<double> at(double t) {
    if (!find(t)) return std::nullopt;
    return cells_.at(index_, t);
  }
  /// Over an interval that it covers without a gap.
  std::optional<double> mean(double from, double to) {
    const double little = 1e-9 * (to - from);
    double sum = 0, t = from;
    while (t < to - little) {
      if (!find(t + little)) return std::nullopt;
      const double end = std::min(cells_.to_s(index_), to);
      if (!(end > t)) return std::nullopt;
      sum += cells_.integral(index_, t, end);
      t = end;
    }
    return sum / (to - from);
  }

private:
  bool holds(std::size_t i, double t) const {
    const bool end = cells_.last() && i + 1 == cells_.size();
    return t >= cells_.from_s(i) && (end ? t <= cells_.to_s(i) : t < cells_.to_s(i));
  }
  /// Makes `index_` the cell that holds a moment.
  bool find(double t) {
    for (int step = 0; step < 2 && index_ < cells_.size(); ++step, ++index_) {
      if (holds(index_, t)) return true;
    }
    const Block* block = block_at(trace_, t);
    if (!block) {
      index_ = cells_.size();
      return false;
    }
    const std::int64_t cell = cell_at(trace_, *block, trace_.time_base().ticks(t));
    cells_.load(*block, cell);
    index_ = 0;
    return true;
  }

  const Trace& trace_;
  Cells cells_;
  std::size_t index_ = 0;
};

double spacing(const Trace& trace) {
  const auto n = trace.samples();
  return n > 1 ? (trace.to_s() - trace.from_s()) / static_cast<double>(n) : 1e300;
}

std::size_t finest(std::span<const Trace* const> of) {
  std::size_t out = 0;
  for (std::size_t i = 1; i < of.size(); ++i) {
    if (spacing(*of[i]) < spacing(*of[out])) out = i;
  }
  return out;
}

std::optional<double> combined(DerivedBy by, const std::vector<double>& v) {
  double out = v[0];
  for (std::size_t i = 1; i < v.size(); ++i) {
    if (by == DerivedBy::product) out *= v[i];
    if (by == DerivedBy::difference) out -= v[i];
    if (by == DerivedBy::sum) out += v[i];
    if (by == DerivedBy::ratio) out /= v[i];
  }
  return std::isfinite(out) ? std::optional(out) : std::nullopt;
}

/// Gathers samples that follow one another.
class Pieces {
public:
  Pieces(const std::function<void(const DerivedPiece&)>& take) : take_(take) {}

  /// Where samples of this block come from now on.
  void begin(std::int64_t period, bool gap) {
    flush();
    piece_.period = period;
    piece_.begins = gap;
  }
  void add(std::int64_t tick, std::int64_t end, double value) {
    if (piece_.values.empty()) piece_.start = tick;
    if (piece_.period == 0) piece_.times.push_back(tick);
    piece_.values.push_back(value);
    piece_.end = end;
    if (piece_.values.size() >= static_cast<std::size_t>(kPiece)) flush();
  }
  void skip() {
    flush();
    piece_.begins = true;
  }
  void flush() {
    if (piece_.values.empty()) return;
    take_(piece_);
    piece_.values.clear();
    piece_.times.clear();
    piece_.begins = false;
  }

private:
  const std::function<void(const DerivedPiece&)>& take_;
  DerivedPiece piece_;
};

void combine(DerivedBy by, std::span<const Trace* const> of, Pieces& pieces) {
  const std::size_t own = finest(of);
  const Trace& fine = *of[own];
  std::vector<Follower> others;
  for (const Trace* trace : of) others.emplace_back(*trace);
  std::vector<double> v(of.size());
  Cells cells(fine);
  for (const Block& block : fine.blocks()) {
    pieces.begin(block.period, true);
    for (std::int64_t at = 0; at < block.count; at = cells.next()) {
      cells.load(block, at);
      for (std::size_t i = 0; i < cells.size(); ++i) {
        bool all = true;
        for (std::size_t c = 0; c < of.size() && all; ++c) {
          const auto value = c == own ? std::optional(cells.value(i))
                             : fine.kind() == SampleKind::averaged
                                 ? others[c].mean(cells.from_s(i), cells.to_s(i))
                                 : others[c].at(cells.from_s(i));
          all = value.has_value();
          v[c] = value.value_or(0);
        }
        const auto value = all ? combined(by, v) : std::nullopt;
        if (value) {
          pieces.add(cells.tick(i), cells.tick(i + 1), *value);
        } else {
          pieces.skip();
        }
      }
    }
  }
}

void run_on(const Trace& trace, Pieces& pieces) {
  Sum so_far;
  Cells cells(trace);
  const auto blocks = trace.blocks();
  for (std::size_t b = 0; b < blocks.size(); ++b) {
    const Block& block = blocks[b];
    const bool follows = b > 0 && blocks[b - 1].end == block.start;
    pieces.begin(block.period, !follows);
    for (std::int64_t at = 0; at < block.count; at = cells.next()) {
      cells.load(block, at);
      for (std::size_t i = 0; i < cells.size(); ++i) {
        pieces.add(cells.tick(i), cells.tick(i + 1), so_far.value());
        so_far += cells.integral(i, cells.from_s(i), cells.to_s(i));
      }
    }
    const bool goes_on = b + 1 < blocks.size() && blocks[b + 1].start == block.end;
    if (trace.kind() == SampleKind::averaged && !goes_on)
      pieces.add(block.end, block.end, so_far.value());
  }
}

/// The integral of a block from its beginning, at moments that rise.
class BlockIntegral {
public:
  BlockIntegral(const Trace& trace, const Block& block) : cells_(trace), block_(block) {
    cells_.load(block, 0);
  }
  Sum at(double t) {
    while (cells_.to_s(index_) <= t && !(cells_.last() && index_ + 1 == cells_.size())) {
      before_ += cells_.integral(index_, cells_.from_s(index_), cells_.to_s(index_));
      if (++index_ < cells_.size()) continue;
      cells_.load(block_, cells_.next());
      index_ = 0;
    }
    Sum out = before_;
    out += cells_.integral(index_, cells_.from_s(index_), std::min(t, cells_.to_s(index_)));
    return out;
  }

private:
  Cells cells_;
  const Block& block_;
  std::size_t index_ = 0;
  Sum before_;
};

void roll(const Trace& trace, double window_s, Pieces& pieces) {
  if (!(window_s > 0) || !std::isfinite(window_s))
    throw std::invalid_argument("a rolling mean takes a window such as \"100 ms\"");
  Cells cells(trace);
  for (const Block& block : trace.blocks()) {
    pieces.begin(block.period, true);
    BlockIntegral low(trace, block), high(trace, block);
    const double begin = trace.time_base().seconds(block.start),
                 end = trace.time_base().seconds(block.end);
    for (std::int64_t at = 0; at < block.count; at = cells.next()) {
      cells.load(block, at);
      for (std::size_t i = 0; i < cells.size(); ++i) {
        const double middle = trace.kind() == SampleKind::averaged
                                  ? (cells.from_s(i) + cells.to_s(i)) / 2
                                  : cells.from_s(i);
        const double from = std::max(begin, middle - window_s / 2),
                     to = std::min(end, middle + window_s / 2);
        Sum charge = high.at(to);
        charge -= low.at(from);
        const double mean = to > from ? charge.value() / (to - from) : cells.value(i);
        pieces.add(cells.tick(i), cells.tick(i + 1), mean);
      }
    }
  }
}

void refer(const Derivation& d, const Trace& trace, Pieces& pieces) {
  Cells cells(trace);
  for (const Block& block : trace.blocks()) {
    pieces.begin(block.period, true);
    for (std::int64_t at = 0; at < block.count; at = cells.next()) {
      cells.load(block, at);
      for (std::size_t i = 0; i < cells.size(); ++i)
        pieces.add(cells.tick(i), cells.tick(i + 1), referred(d, cells.value(i)));
    }
  }
}

std::size_t operands(DerivedBy by) {
  return by == DerivedBy::running || by == DerivedBy::rolling_mean || by == DerivedBy::referred ? 1
                                                                                                : 2;
}

/// What stands before a mark, which is taken off with it.
std::string_view until(std::string_view& rest, char mark, const char* otherwise) {
  const auto at = rest.find(mark);
  if (at == std::string_view::npos) throw std::invalid_argument(otherwise);
  const std::string_view out = trimmed(rest.substr(0, at));
  rest = trimmed(rest.substr(at + 1));
  return out;
}

}  // namespace

std::string_view key_of(DerivedBy by) {
  return std::find_if(kKeys.begin(), kKeys.end(), [&](const auto& k) { return k.first == by; })
      ->second;
}

DerivedBy derived_by(std::string_view key) {
  for (const auto& [by, name] : kKeys) {
    if (name == key) return by;
  }
  throw std::invalid_argument("no way to derive is called \"" + std::string(key) + "\"");
}

Derivation parse_referral(std::string_view text) {
  constexpr const char* kForm =
      "it is written \"I 1.8 V/3.6 V 10 uA:40 %,1 mA:80 %\": the channel, the voltages behind and "
      "ahead of the regulator, its efficiency at currents behind it";
  Derivation out;
  out.by = DerivedBy::referred;
  std::string_view rest = trimmed(text);
  out.of = {std::string(until(rest, ' ', kForm))};
  out.behind_v = parse_quantity(until(rest, '/', kForm), Dimension::voltage);
  const auto end = rest.find_first_of("Vv");
  if (end == std::string_view::npos) throw std::invalid_argument(kForm);
  out.ahead_v = parse_quantity(rest.substr(0, end + 1), Dimension::voltage);
  rest = trimmed(rest.substr(end + 1));
  if (!(out.behind_v > 0 && out.ahead_v > 0))
    throw std::invalid_argument("the voltages of a regulator are greater than zero");
  while (!rest.empty()) {
    const auto comma = std::min(rest.find(','), rest.size());
    std::string_view point = rest.substr(0, comma);
    rest = comma == rest.size() ? std::string_view{} : trimmed(rest.substr(comma + 1));
    const double current = parse_quantity(until(point, ':', kForm), Dimension::current);
    const double share = parse_quantity(point, Dimension::ratio);
    if (!(current > 0) || !(share > 0 && share <= 1))
      throw std::invalid_argument("an efficiency lies above 0 and up to 100 %, at a current");
    if (!out.efficiency.empty() && current <= out.efficiency.back().first)
      throw std::invalid_argument("the currents of an efficiency curve rise");
    out.efficiency.emplace_back(current, share);
  }
  if (out.efficiency.empty()) throw std::invalid_argument(kForm);
  return out;
}

double referred(const Derivation& d, double current) {
  const auto& curve = d.efficiency;
  const double size = std::fabs(current);
  const auto above = std::find_if(curve.begin(), curve.end(),
                                  [&](const auto& point) { return point.first >= size; });
  double share = curve.back().second;
  if (above == curve.begin()) {
    share = above->second;
  } else if (above != curve.end()) {
    const auto below = above - 1;
    const double part = std::log(size / below->first) / std::log(above->first / below->first);
    share = below->second + part * (above->second - below->second);
  }
  return current * d.behind_v / d.ahead_v / share;
}

DerivedUnit derived_unit(const Derivation& d, const std::vector<DerivedUnit>& of) {
  const std::size_t n = operands(d.by);
  if (of.size() < n || (of.size() > n && d.by != DerivedBy::sum))
    throw std::invalid_argument(n == 1 ? "it is made of one channel"
                                       : "it is made of two channels");
  for (const DerivedUnit& u : of) {
    if (u.quantity == Quantity::logic) throw std::invalid_argument("logic lines are no numbers");
  }
  const DerivedUnit& a = of[0];
  const auto named = [](Quantity q) { return DerivedUnit{q, std::string(info(q).unit)}; };
  const auto are = [&](Quantity x, Quantity y) {
    return (of[0].quantity == x && of[1].quantity == y) ||
           (of[0].quantity == y && of[1].quantity == x);
  };
  switch (d.by) {
    case DerivedBy::rolling_mean:
      return a;
    case DerivedBy::referred:
      if (a.quantity != Quantity::current)
        throw std::invalid_argument("it is a current that is referred to another rail");
      return a;
    case DerivedBy::running:
      if (a.quantity == Quantity::current) return named(Quantity::charge);
      return {Quantity::other, a.quantity == Quantity::power ? "J" : a.unit + " s"};
    case DerivedBy::sum:
    case DerivedBy::difference:
      for (const DerivedUnit& u : of) {
        if (u.quantity != a.quantity || u.unit != a.unit)
          throw std::invalid_argument(a.unit + " and " + u.unit + " cannot be added");
      }
      return a;
    case DerivedBy::product:
      if (are(Quantity::voltage, Quantity::current)) return named(Quantity::power);
      return {Quantity::other, a.unit + " " + of[1].unit};
    case DerivedBy::ratio:
      if (a.quantity == Quantity::power && of[1].quantity == Quantity::voltage)
        return named(Quantity::current);
      if (a.quantity == Quantity::power && of[1].quantity == Quantity::current)
        return named(Quantity::voltage);
      return {Quantity::other, a.unit == of[1].unit ? "1" : a.unit + "/" + of[1].unit};
  }
  return a;
}

DerivedForm derived_form(const Derivation& d, std::span<const Trace* const> of) {
  const Trace& fine = *of[finest(of)];
  return {d.by == DerivedBy::running ? SampleKind::instant : fine.kind(), fine.time_base()};
}

void derive(const Derivation& d, std::span<const Trace* const> of,
            const std::function<void(const DerivedPiece&)>& take) {
  if (of.size() < operands(d.by)) throw std::invalid_argument("a channel is missing");
  Pieces pieces(take);
  if (d.by == DerivedBy::running) {
    run_on(*of[0], pieces);
  } else if (d.by == DerivedBy::rolling_mean) {
    roll(*of[0], d.window_s, pieces);
  } else if (d.by == DerivedBy::referred) {
    if (d.efficiency.empty() || !(d.behind_v > 0) || !(d.ahead_v > 0))
      throw std::invalid_argument("its regulator is not known");
    refer(d, *of[0], pieces);
  } else {
    combine(d.by, of, pieces);
  }
  pieces.flush();
}

std::vector<FlagRun> derived_flags(std::span<const Trace* const> of) {
  std::vector<FlagRun> out;
  for (const Trace* trace : of) out.insert(out.end(), trace->flags().begin(), trace->flags().end());
  std::sort(out.begin(), out.end(),
            [](const FlagRun& a, const FlagRun& b) { return a.from_s < b.from_s; });
  // What several of them lack at once is one stretch of the same kind.
  std::vector<FlagRun> joined;
  for (const FlagRun& run : out) {
    const bool same =
        !joined.empty() && joined.back().flag == run.flag && run.from_s < joined.back().to_s;
    if (!same) {
      joined.push_back(run);
      continue;
    }
    joined.back().to_s = std::max(joined.back().to_s, run.to_s);
    joined.back().samples = std::max(joined.back().samples, run.samples);
  }
  return joined;
}

}  // namespace kuvio
