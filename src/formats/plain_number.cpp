// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/plain_number.h"

#include <charconv>
#include <cstddef>
#include <limits>

namespace kuvio::formats {
namespace {

constexpr std::size_t kDayLength = 11;  // "2026-05-04T"
constexpr std::size_t kTimeLength = 8;  // "14:02:31"
constexpr std::int64_t kSecondNs = 1'000'000'000;

/// A time of day and its fraction; the place behind it, 0 where there is none.
std::size_t time_of_day(std::string_view text, std::int64_t& ns) {
  if (text.size() < kTimeLength || text[2] != ':' || text[5] != ':') return 0;
  int digits[6];
  std::size_t n = 0;
  for (const std::size_t i : {0U, 1U, 3U, 4U, 6U, 7U}) {
    digits[n] = text[i] - '0';
    if (digits[n] < 0 || digits[n] > 9) return 0;
    ++n;
  }
  const int hours = digits[0] * 10 + digits[1], minutes = digits[2] * 10 + digits[3],
            seconds = digits[4] * 10 + digits[5];
  if (hours > 23 || minutes > 59 || seconds > 59) return 0;
  ns = ((hours * 60 + minutes) * 60 + seconds) * kSecondNs;
  std::size_t at = kTimeLength;
  if (at + 1 >= text.size() || (text[at] != '.' && text[at] != ',')) return at;
  ++at;
  const std::size_t from = at;
  std::int64_t unit = kSecondNs / 10;
  for (; at < text.size() && text[at] >= '0' && text[at] <= '9'; ++at, unit /= 10)
    ns += unit * (text[at] - '0');
  return at == from ? 0 : at;
}

}  // namespace

bool long_value(char decimal, const char* begin, const char* end, double& out) {
  if (decimal != '.') return false;
  if (*begin == '+') ++begin;
  const auto [to, failed] = std::from_chars(begin, end, out);
  return failed == std::errc{} && to == end;
}

bool KnownDay::moment(std::string_view cell, std::int64_t& ns) const {
  if (day_.empty() || !cell.starts_with(day_)) return false;
  cell.remove_prefix(kDayLength);
  std::int64_t time = 0;
  const std::size_t length = time_of_day(cell, time);
  if (length == 0 || cell.substr(length) != offset_) return false;
  ns = midnight_ns_ + time;
  return true;
}

void KnownDay::learn(std::string_view cell, std::int64_t ns) {
  day_.clear();
  if (cell.size() < kDayLength) return;
  std::int64_t time = 0;
  const std::size_t length = time_of_day(cell.substr(kDayLength), time);
  // "02:10 PM": midnight would lie at noon.
  if (length == 0 || cell.ends_with('M') || cell.ends_with('m')) return;
  day_ = std::string(cell.substr(0, kDayLength));
  offset_ = std::string(cell.substr(kDayLength + length));
  midnight_ns_ = ns - time;
}

}  // namespace kuvio::formats
