// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_time.h"

#include "core/special_value.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <utility>

namespace kuvio::formats {
namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }

/// Up to `most` digits, at least one.
std::optional<std::int64_t> digits(std::string_view& text, std::size_t most) {
  std::int64_t out = 0;
  std::size_t n = 0;
  for (; n < text.size() && n < most && is_digit(text[n]); ++n) out = out * 10 + (text[n] - '0');
  if (n == 0) return std::nullopt;
  text.remove_prefix(n);
  return out;
}

bool take(std::string_view& text, char c) {
  if (!text.starts_with(c)) return false;
  text.remove_prefix(1);
  return true;
}

/// A fraction of a second behind its mark, in ns; digits beyond are left out.
std::int64_t fraction_ns(std::string_view& text) {
  std::int64_t out = 0, unit = 100'000'000;
  while (!text.empty() && is_digit(text[0])) {
    out += unit * (text[0] - '0');
    unit /= 10;
    text.remove_prefix(1);
  }
  return out;
}

constexpr std::int64_t kSecondNs = 1'000'000'000;
constexpr std::int64_t kFirstYear = 1900, kLastYear = 2200;
/// A counter that wraps at less is a digit that was lost.
constexpr std::int64_t kLeastDecimal = 1000;

/// "14:02:31.25", "02:31", and what follows stays in `text`.
std::optional<std::int64_t> take_clock(std::string_view& text) {
  const auto first = digits(text, 5);
  if (!first || !take(text, ':')) return std::nullopt;
  const auto second = digits(text, 2);
  if (!second || *second > 59) return std::nullopt;
  std::int64_t seconds = *first * 60 + *second;  // minutes and seconds, unless there is more
  bool whole = false;
  if (take(text, ':')) {
    const auto third = digits(text, 2);
    if (!third || *third > 60) return std::nullopt;  // a leap second has 60
    seconds = seconds * 60 + *third;
    whole = true;
  }
  std::int64_t ns = 0;
  if (!text.empty() && (text[0] == '.' || text[0] == ',') && text.size() > 1 && is_digit(text[1])) {
    text.remove_prefix(1);
    ns = fraction_ns(text);
  } else if (!whole) {
    seconds *= 60;  // "14:02" is hours and minutes
  }
  return seconds * kSecondNs + ns;
}

/// "2026-05-04"; and "04.05.2026", since with points the day stands first wherever it is written.
std::optional<std::int64_t> take_date(std::string_view& text) {
  const auto four = [&] {
    const std::string_view before = text;
    const auto out = digits(text, 4);
    return before.size() - text.size() == 4 ? out : std::nullopt;
  };
  const bool points = text.size() > 5 && (text[1] == '.' || text[2] == '.');
  const char mark = points ? '.' : '-';
  auto year = points ? digits(text, 2) : four();
  if (!year || !take(text, mark)) return std::nullopt;
  const auto month = digits(text, 2);
  if (!month || !take(text, mark)) return std::nullopt;
  auto day = points ? four() : digits(text, 2);
  if (!day) return std::nullopt;
  if (points) std::swap(year, day);
  const std::chrono::year_month_day date{std::chrono::year(static_cast<int>(*year)),
                                         std::chrono::month(static_cast<unsigned>(*month)),
                                         std::chrono::day(static_cast<unsigned>(*day))};
  // What 64 bits of ns reach.
  if (!date.ok() || *year < kFirstYear || *year > kLastYear) return std::nullopt;
  return std::chrono::sys_days(date).time_since_epoch().count() * kDayNs;
}

/// A time of day of twelve hours with "AM" or "PM" behind it, as one of twenty-four. Without them
/// it stays; nothing where its hours are not of twelve.
std::optional<std::int64_t> with_half(std::optional<std::int64_t> ns, std::string_view& text) {
  std::string_view rest = text;
  take(rest, ' ');
  const bool upper = rest.starts_with("AM") || rest.starts_with("PM");
  if (!ns || (!upper && !rest.starts_with("am") && !rest.starts_with("pm"))) return ns;
  constexpr std::int64_t kHourNs = 3600 * kSecondNs;
  const std::int64_t hours = *ns / kHourNs;
  if (hours < 1 || hours > 12) return std::nullopt;
  const bool after_noon = rest[0] == (upper ? 'P' : 'p');
  text = rest.substr(2);
  return *ns + ((after_noon ? 12 : 0) - (hours == 12 ? 12 : 0)) * kHourNs;
}

}  // namespace

std::optional<std::int64_t> clock_ns(std::string_view text) {
  const bool minus = take(text, '-');
  const auto out = with_half(take_clock(text), text);
  if (!out || !text.empty()) return std::nullopt;
  return minus ? -*out : *out;
}

std::optional<std::int64_t> calendar_ns(std::string_view text) {
  const auto day = take_date(text);
  if (!day || (!take(text, 'T') && !take(text, ' '))) return std::nullopt;
  const auto hours = text.find(':');
  if (hours > 2) return std::nullopt;
  const auto time = with_half(take_clock(text), text);
  if (!time || *time > kDayNs + kSecondNs) return std::nullopt;
  std::int64_t offset = 0;
  if (!text.empty() && text[0] == ' ') text.remove_prefix(1);
  if (text == "UTC" || text == "GMT") text = {};
  if (!take(text, 'Z') && !text.empty()) {
    const bool minus = text[0] == '-';
    if (!minus && text[0] != '+') return std::nullopt;
    text.remove_prefix(1);
    const auto h = digits(text, 2);
    take(text, ':');
    const auto m = text.empty() ? std::optional<std::int64_t>(0) : digits(text, 2);
    if (!h || !m) return std::nullopt;
    offset = (*h * 60 + *m) * 60 * kSecondNs * (minus ? -1 : 1);
  }
  if (!text.empty()) return std::nullopt;
  return *day + *time - offset;
}

std::optional<std::int64_t> date_ns(std::string_view text) {
  const auto out = take_date(text);
  return text.empty() ? out : std::nullopt;
}

bool is_other_date(std::string_view text) {
  for (const char mark : {'/', '.', '-'}) {
    std::string_view rest = text;
    const auto a = digits(rest, 4);
    if (!a || !take(rest, mark)) continue;
    const auto b = digits(rest, 2);
    if (!b || !take(rest, mark)) continue;
    const auto c = digits(rest, 4);
    if (!c || (!rest.empty() && rest[0] != ' ' && rest[0] != 'T')) continue;
    if (!(mark == '-' && *a > 31)) return true;
  }
  return false;
}

std::optional<TimeForm> time_form(std::string_view text, const NumberMarks& marks) {
  if (calendar_ns(text)) return TimeForm::calendar;
  if (clock_ns(text)) return TimeForm::clock;
  std::string room;
  const auto number = number_cell(text, marks, room);
  if (number && !special_word(text)) return TimeForm::number;
  return std::nullopt;
}

StandingTimes standing_times(const std::vector<std::pair<std::int64_t, std::string>>& cells) {
  StandingTimes out;
  out.of = cells.size();
  std::vector<std::size_t> steps;
  for (std::size_t i = 1; i < cells.size(); ++i) {
    if (cells[i].second != cells[i - 1].second) {
      steps.push_back(i);
    } else if (out.still++ == 0) {
      out.line = cells[i].first;
    }
  }
  if (steps.size() < 2) return out;
  // Between its first step and its last.
  const auto ns_of = [&](std::size_t i) {
    const auto day = calendar_ns(cells[i].second);
    return day ? day : clock_ns(cells[i].second);
  };
  const auto from = ns_of(steps.front()), to = ns_of(steps.back());
  if (from && to && *to > *from)
    out.rate_hz =
        static_cast<double>(steps.back() - steps.front()) * 1e9 / static_cast<double>(*to - *from);
  return out;
}

/// A counter never shows what it wraps at, before or after.
std::int64_t Unwrapped::modulus(std::int64_t raw) const {
  const auto fits = [&](std::int64_t m) { return most_ < m && last_ + step_ - m == raw; };
  if (modulus_ > 0) return fits(modulus_) ? modulus_ : 0;
  static constexpr std::array<std::int64_t, 3> kBinary{1LL << 16, 1LL << 24, 1LL << 32};
  for (const std::int64_t m : kBinary) {
    if (fits(m)) return m;
  }
  if (before_ != step_) return 0;
  for (std::int64_t m = kLeastDecimal; m <= 1'000'000'000'000'000; m *= 10) {
    if (fits(m)) return m;
  }
  return 0;
}

bool Unwrapped::wraps(std::int64_t raw) const {
  return any_ && raw < last_ && raw >= 0 && step_ > 0 && modulus(raw) > 0;
}

std::int64_t Unwrapped::take(std::int64_t raw) {
  if (wraps(raw)) {
    modulus_ = modulus(raw);
    added_ += modulus_;
  } else if (any_) {
    before_ = step_;
    step_ = raw - last_;
  }
  last_ = raw;
  most_ = std::max(most_, raw);
  any_ = true;
  return raw + added_;
}

}  // namespace kuvio::formats
