// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_clock.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::formats {
namespace {

constexpr TimeBase kHalfNs{1, 2'000'000'000};
constexpr std::int64_t kMostTicks = std::int64_t{1} << 61;
constexpr std::int64_t kSecondNs = 1'000'000'000;
constexpr std::int64_t kCalendarFrom = 100'000'000'000'000'000;  // ns, 3 years: since an epoch
constexpr std::int64_t kLengthNs = 120'000'000'000;  // a clock that begins later is one of day

std::string quoted(std::string_view cell) { return "\"" + std::string(cell.substr(0, 40)) + "\""; }

}  // namespace

LogClock::LogClock(const LogPlan& plan, CellReader& cells)
    : plan_(plan), cells_(cells), base_(kHalfNs) {
  if (plan.time_column >= 0 && plan.time_form != TimeForm::count) return;
  const double rate = *plan.rate_hz;
  if (std::fabs(rate - std::round(rate)) < 1e-9 * rate) base_ = {1, 2 * std::llround(rate)};
}

/// The tick of the n-th sample; nothing where it is too far.
std::optional<std::int64_t> LogClock::tick_of(std::int64_t n) const {
  const bool half_ns = base_ == kHalfNs;
  const double ticks =
      half_ns ? static_cast<double>(n) * 2e9 / *plan_.rate_hz : 2.0 * static_cast<double>(n);
  if (std::fabs(ticks) > static_cast<double>(kMostTicks) / 2) return std::nullopt;
  return half_ns ? std::llround(ticks) : n * 2;
}

std::int64_t LogClock::counted(std::int64_t n) const {
  const auto tick = tick_of(n);
  if (!tick) throw std::invalid_argument("at its rate its samples lie too far from the first");
  return *tick;
}

std::size_t LogClock::rows(const RowBlock& block, std::size_t at, std::size_t to, const Open& open,
                           std::vector<std::int64_t>& ticks) {
  const auto moments = block.moments().subspan(at, to - at);
  const auto counts = block.counts().empty() ? block.counts() : block.counts().subspan(at, to - at);
  ticks.resize(std::max(ticks.size(), moments.size()));
  const bool by_rate = plan_.time_column < 0, by_count = plan_.time_form == TimeForm::count;
  const std::int64_t from = zero_ - (plan_.time_form == TimeForm::clock ? days_ * kDayNs : 0);
  std::int64_t last = open.last;
  if (!by_rate && !by_count && counts.empty()) {  // as most are
    std::size_t i = 0;
    for (std::int64_t since = 0; i < moments.size(); ++i) {
      if (__builtin_sub_overflow(moments[i], from, &since) || since > kMostTicks / 2 ||
          since < -kMostTicks / 2 || since * 2 <= last)
        break;
      ticks[i] = last = since * 2;
    }
    return i;
  }
  for (std::size_t i = 0; i < moments.size(); ++i) {
    std::int64_t tick = 0;
    if (by_rate || by_count) {
      const auto own = tick_of(by_rate ? open.rows + static_cast<std::int64_t>(i) : moments[i]);
      if (!own) return i;
      tick = *own;
    } else {
      std::int64_t since = 0;
      if (__builtin_sub_overflow(moments[i], from, &since) || since > kMostTicks / 2 ||
          since < -kMostTicks / 2)
        return i;
      tick = since * 2;
    }
    if (tick <= last) return i;
    if (!counts.empty() && counts[i] != kNoCount && !counter_.goes_on(counts[i])) return i;
    ticks[i] = last = tick;
  }
  return moments.size();
}

std::optional<std::int64_t> LogClock::row(const std::vector<std::string_view>& row,
                                          const Open& open) {
  raw_.reset();
  if (plan_.time_column < 0) return counted(open.rows);
  const std::optional<std::int64_t> ns = moment(row, open);
  if (!ns) return std::nullopt;
  if (plan_.time_form == TimeForm::count) {
    if (*ns % kSecondNs != 0) return std::nullopt;
    if (!open.any) begin(row, *ns);
    return counted(*ns / kSecondNs);
  }
  const bool far = *ns > 2 * kMostTicks || *ns < -2 * kMostTicks;
  if (!open.any && !far) begin(row, *ns);
  const std::int64_t since = far ? 0 : *ns - zero_;
  if (far || std::abs(since) > kMostTicks / 2)
    throw std::invalid_argument(quoted(time_cell(row)) + " lies too far from the first time");
  return since * 2;
}

void LogClock::took_row() {
  if (raw_) counter_.take(*raw_);
}

/// In ns, from whatever its form counts from.
std::optional<std::int64_t> LogClock::moment(const std::vector<std::string_view>& row,
                                             const Open& open) {
  if (plan_.time_form == TimeForm::clock) return of_day(row, open);
  const auto column = static_cast<std::size_t>(plan_.time_column);
  auto out = cells_.moment(column, row[column]);
  if (!out) return std::nullopt;
  if (!out->raw) return out->ns;
  const std::int64_t raw = *out->raw;
  raw_ = raw;
  if (counter_.contradicts(raw))
    throw std::invalid_argument(
        fmt::format("{} is more than its counter could show that began again before: time went "
                    "backwards there",
                    raw));
  if (counter_.added() != 0 || counter_.wraps(raw))
    out = cells_.moment(column, row[column], counter_.peek(raw) - raw);
  return out ? std::optional(out->ns) : std::nullopt;
}

/// A time of day goes on over midnight; a date of its own is part of it.
std::optional<std::int64_t> LogClock::of_day(const std::vector<std::string_view>& row,
                                             const Open& open) {
  const auto ns = clock_ns(time_cell(row));
  if (!ns) return std::nullopt;
  if (plan_.date_column >= 0) {
    const auto day = date_ns(row[static_cast<std::size_t>(plan_.date_column)]);
    return day ? std::optional(*day + *ns) : std::nullopt;
  }
  const bool back =
      open.any && zero_ != 0 && *ns + days_ * kDayNs - zero_ < open.last / 2 - kDayNs / 2;
  if (back) ++days_;
  return *ns + days_ * kDayNs;
}

/// Since when its times are counted.
void LogClock::begin(const std::vector<std::string_view>& row, std::int64_t ns) {
  first_cell_ = std::string(time_cell(row));
  const bool dated = plan_.date_column >= 0 && plan_.time_form == TimeForm::clock;
  if (dated)
    first_cell_ = std::string(row[static_cast<std::size_t>(plan_.date_column)]) + " " + first_cell_;
  const bool of_day = plan_.time_form == TimeForm::clock && (dated || ns > kLengthNs);
  const bool since_epoch = plan_.time_form == TimeForm::number && ns > kCalendarFrom;
  zero_ = plan_.time_form == TimeForm::calendar || of_day || since_epoch ? ns : 0;
}

}  // namespace kuvio::formats
