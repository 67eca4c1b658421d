// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>

namespace kuvio::formats {

/// A decimal number as it is written: mantissa * 10^power.
struct PlainNumber {
  std::uint64_t mantissa = 0;
  int power = 0;
  bool negative = false;
  bool whole = true;  ///< neither mark nor exponent
};

inline constexpr std::array<std::int64_t, 19> kWholePowersOfTen = [] {
  std::array<std::int64_t, 19> out{1};
  for (std::size_t i = 1; i < out.size(); ++i) out[i] = out[i - 1] * 10;
  return out;
}();

/// So many bytes must be there to be read behind every number: what is looked at at once.
inline constexpr std::size_t kReadBehind = 80;

namespace word {

inline constexpr std::uint64_t kHigh = 0x8080808080808080;

/// Eight characters, the first in the lowest byte, digits as 0 to 9.
inline std::uint64_t at(const char* text) {
  std::uint64_t out = 0;
  if constexpr (std::endian::native == std::endian::little) {
    std::memcpy(&out, text, 8);
  } else {
    for (std::size_t i = 8; i-- > 0;) out = out << 8 | static_cast<unsigned char>(text[i]);
  }
  return out ^ 0x3030303030303030;
}

/// The high bit of each byte that is no digit. (A carry leaves only bytes of 138 and more, so what
/// stands behind the first of those means nothing.)
inline std::uint64_t others(std::uint64_t word) {
  return ((word + 0x7676767676767676) | word) & kHigh;
}

/// The number of the first `n` digits, 1 to 8, two at a time, then four, then eight.
inline std::uint64_t value(std::uint64_t word, std::size_t n) {
  constexpr std::uint64_t kPairs = 0x000000FF000000FF;
  word <<= 64 - 8 * n;
  word = word * 10 + (word >> 8);
  return ((word & kPairs) * 0x000F424000000064 + ((word >> 16) & kPairs) * 0x0000271000000001) >>
         32;
}

}  // namespace word

/// Takes the digits at `at`, eight at a time within one word, which no branch has to guess the
/// length of: `value` goes on with them. (Digits beyond what it holds make it meaningless.)
inline void take_digits(const char*& at, std::uint64_t& value) {
  std::size_t n = 8;
  while (n == 8) {
    const std::uint64_t digits = word::at(at), others = word::others(digits);
    n = others == 0 ? 8 : static_cast<std::size_t>(std::countr_zero(others)) / 8;
    if (n == 0) return;
    value = value * static_cast<std::uint64_t>(kWholePowersOfTen[n]) + word::value(digits, n);
    at += n;
  }
}

/// A number of at most seven digits and its mark, within one word. False where it is longer or
/// none; `at` then is where it was.
[[gnu::always_inline]] inline bool scan_short(const char*& at, char decimal, PlainNumber& out) {
  const std::uint64_t digits = word::at(at), others = word::others(digits);
  if (others == 0) return false;
  const auto whole = static_cast<std::size_t>(std::countr_zero(others)) / 8;
  if (at[whole] != decimal) {
    if (whole == 0) return false;
    out.mantissa = word::value(digits, whole);
    out.whole = true;
    out.power = 0;
    at += whole;
    return true;
  }
  const std::uint64_t next = others & (others - 1);
  if (next == 0) return false;
  const auto end = static_cast<std::size_t>(std::countr_zero(next)) / 8;
  if (end == whole + 1) return false;
  // The mark is taken out from between.
  const std::uint64_t before = (std::uint64_t{1} << (8 * whole)) - 1;
  out.mantissa = word::value((digits & before) | ((digits >> 8) & ~before), end - 1);
  out.power = static_cast<int>(whole + 1) - static_cast<int>(end);
  out.whole = false;
  at += end;
  return true;
}

/// Takes a number of at most 18 digits at `at`: a sign, digits, a decimal mark with digits behind
/// it, an exponent. Some character that is no digit must stand behind it, and kReadBehind bytes
/// more. False, and `at` where it was, where there is none of this kind.
[[gnu::always_inline]] inline bool scan_plain(const char*& at, char decimal, PlainNumber& out) {
  constexpr std::ptrdiff_t kMostDigits = 18;
  // In registers: a character could otherwise be any of these.
  const char* p = at;
  bool negative = false;
  if (*p == '-' || *p == '+') negative = *p++ == '-';
  PlainNumber number;
  if (!scan_short(p, decimal, number)) {
    const char* from = p;
    take_digits(p, number.mantissa);
    std::ptrdiff_t digits = p - from;
    if (*p == decimal) {
      from = ++p;
      take_digits(p, number.mantissa);
      if (p == from) return false;
      number.power = static_cast<int>(from - p);
      number.whole = false;
      digits += p - from;
    }
    if (digits == 0 || digits > kMostDigits) return false;
  }
  if (*p == 'e' || *p == 'E') {
    ++p;
    bool below = false;
    if (*p == '-' || *p == '+') below = *p++ == '-';
    std::uint64_t exponent = 0;
    const char* from = p;
    take_digits(p, exponent);
    if (p == from || p - from > 3) return false;
    number.power += below ? -static_cast<int>(exponent) : static_cast<int>(exponent);
    number.whole = false;
  }
  number.negative = negative;
  out = number;
  at = p;
  return true;
}

/// The double nearest to a number that stands at [begin, end). False where that takes longer than
/// a mark other than the point allows.
bool long_value(char decimal, const char* begin, const char* end, double& out);

/// Powers of ten that are doubles.
inline constexpr std::array<double, 23> kPowersOfTen{1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                                     1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                                     1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

// A number of up to 53 bits and a power of ten of up to 22 are doubles; their quotient or product
// is then the nearest one (Clinger, "How to read floating point numbers accurately", 1990).
inline bool plain_value(const PlainNumber& number, char decimal, const char* begin, const char* end,
                        double& out) {
  constexpr std::uint64_t kExact = std::uint64_t{1} << 53;
  if (number.mantissa > kExact || number.power < -22 || number.power > 22)
    return long_value(decimal, begin, end, out);
  const auto m = static_cast<double>(static_cast<std::int64_t>(number.mantissa));
  const double value = number.power < 0 ? m / kPowersOfTen[static_cast<std::size_t>(-number.power)]
                                        : m * kPowersOfTen[static_cast<std::size_t>(number.power)];
  out = number.negative ? -value : value;
  return true;
}

/// number * times * 10^exponent, where that is whole and fits.
inline bool plain_scaled(const PlainNumber& number, std::int64_t times, int exponent,
                         std::int64_t& out) {
  auto value = static_cast<std::int64_t>(number.mantissa);
  if (times != 1 && __builtin_mul_overflow(value, times, &value)) return false;
  const int power = number.power + exponent;
  if (power < 0 || power > 18) return false;
  if (__builtin_mul_overflow(value, kWholePowersOfTen[static_cast<std::size_t>(power)], &value))
    return false;
  out = number.negative ? -value : value;
  return true;
}

/// Moments of ISO 8601 on the day, and with the offset, of one that is known.
class KnownDay {
public:
  /// In ns since 1970-01-01, as calendar_ns; false where it is another day or form.
  bool moment(std::string_view cell, std::int64_t& ns) const;
  /// Keeps the day of a moment that was read otherwise.
  void learn(std::string_view cell, std::int64_t ns);

private:
  std::string day_, offset_;  // "2026-05-04T", "+02:00"
  std::int64_t midnight_ns_ = 0;
};

}  // namespace kuvio::formats
