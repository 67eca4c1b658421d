// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/log_number.h"

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace kuvio::formats {

/// How a log writes moments.
enum class TimeForm {
  number,    ///< a number in some unit
  clock,     ///< time of day or since the start: "14:02:31.250", "02:31.5"
  calendar,  ///< date and time of day, ISO 8601: "2026-05-04T14:02:31.25Z"
  count,     ///< the sample's number
};

/// A time of day or a length as hours, minutes and seconds, in ns; "mm:ss" too, and with AM or PM
/// behind. A decimal comma is read. Nothing where it is none.
std::optional<std::int64_t> clock_ns(std::string_view text);

/// A date and time of ISO 8601 with "T" or a blank between, in ns since 1970-01-01 UTC where it
/// says its offset ("Z", "+02:00"), else of the log's own clock; the date with points too
/// ("04.05.2026"), the time with AM and PM. Nothing where it is none.
std::optional<std::int64_t> calendar_ns(std::string_view text);

/// A date alone ("2026-05-04", "04.05.2026"), in ns; nothing where it is none.
std::optional<std::int64_t> date_ns(std::string_view text);

/// Whether a text may be a date written in another order: "04/05/2026", of which day and month
/// cannot be told, "4.5.2026".
bool is_other_date(std::string_view text);

/// In which form a text is a moment; nothing where it is none. A bare number counts as number.
std::optional<TimeForm> time_form(std::string_view text, const NumberMarks& marks);

/// How many of a log's first lines repeat the time of the one before.
struct StandingTimes {
  std::size_t still = 0, of = 0;
  std::int64_t line = 0;  ///< the first that does
  double rate_hz = 0;     ///< lines to the second, by the clock; 0 where it does not tell
};
/// Of time cells with the numbers of their lines.
StandingTimes standing_times(const std::vector<std::pair<std::int64_t, std::string>>& cells);

constexpr std::int64_t kDayNs = 86'400'000'000'000;

/// Follows a counter that wraps: where it steps back, and the step through 2^16, 2^24, 2^32 or a
/// power of ten is the step it had, it goes on; through a power of ten only where it had it twice,
/// since one garbled digit makes the steps before and behind it alike, but not the one before.
class Unwrapped {
public:
  /// The count without its wraps.
  std::int64_t take(std::int64_t raw);
  /// Takes a count that rises and has never wrapped; false where `take` has more to look at.
  bool goes_on(std::int64_t raw) {
    if (!any_ || raw < last_ || modulus_ > 0) return false;
    before_ = step_;
    step_ = raw - last_;
    last_ = raw;
    most_ = raw > most_ ? raw : most_;
    return true;
  }
  /// What `take` would give.
  std::int64_t peek(std::int64_t raw) const {
    return raw + added_ + (wraps(raw) ? modulus(raw) : 0);
  }
  std::int64_t added() const { return added_; }  ///< by the wraps so far
  /// Whether `raw` shows that it was no wrap: a count that it could not have.
  bool contradicts(std::int64_t raw) const { return modulus_ > 0 && raw >= modulus_; }
  /// Whether `raw` would go round: it steps back, and forward by the usual step through a wrap.
  bool wraps(std::int64_t raw) const;
  void restart() { *this = {}; }

private:
  std::int64_t modulus(std::int64_t raw) const;
  std::int64_t last_ = 0, step_ = 0, before_ = 0, added_ = 0, most_ = 0, modulus_ = 0;
  bool any_ = false;
};

}  // namespace kuvio::formats
