// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/plain_number.h"

#include <bit>
#include <cstddef>
#include <cstdint>
#include <cstring>

#ifdef __SSE2__
#include <emmintrin.h>
#endif

namespace kuvio::formats {

/// Which of 64 characters are no digits. With it numbers are found by the marks between them alone,
/// and no branch has to guess how many digits they have.
class DigitMap {
public:
  /// Digits of a number that is found, at most, on either side of its mark.
  static constexpr unsigned kMostDigits = 8;
  /// What is mapped reaches so far beyond a number that begins before here.
  static constexpr std::ptrdiff_t kRoom = 64 - (2 * kMostDigits + 3);

  /// A number as it stands: digits, and maybe a mark with digits behind it.
  struct Found {
    std::uint64_t mantissa = 0;  ///< at most 2^53: a double
    unsigned part = 0;           ///< digits behind the mark
    const char* end = nullptr;
  };

  /// Characters from `text` on; 64 of them must be there.
  explicit DigitMap(const char* text) { map(text); }
  void map(const char* text) {
    from_ = text;
    others_ = 0;
#ifdef __SSE2__
    const __m128i zero = _mm_set1_epi8('0'), nine = _mm_set1_epi8(9);
    for (int i = 0; i < 4; ++i) {
      __m128i bytes;
      std::memcpy(&bytes, text + 16 * i, sizeof(bytes));
      const __m128i value = _mm_sub_epi8(bytes, zero);
      // Taken as unsigned, the lesser of a digit and nine is the digit.
      const __m128i digit = _mm_cmpeq_epi8(_mm_min_epu8(value, nine), value);
      others_ |= static_cast<std::uint64_t>(_mm_movemask_epi8(digit)) << (16 * i);
    }
    others_ = ~others_;
#else
    for (int i = 0; i < 64; ++i) {
      const auto value = static_cast<unsigned char>(text[i] - '0');
      others_ |= static_cast<std::uint64_t>(value > 9) << i;
    }
#endif
  }
  /// Whether a number at `at` may reach beyond what is mapped.
  bool is_left_by(const char* at) const { return at - from_ > kRoom; }

  /// The number at `at`, which must not have left; false where there is none, or a longer one.
  /// kReadBehind bytes must be there behind it.
  [[gnu::always_inline]] bool number(const char* at, char decimal, Found& out) const {
    const std::uint64_t others = others_ >> (at - from_);
    const auto whole = static_cast<unsigned>(std::countr_zero(others));
    if (whole - 1 >= kMostDigits) return false;
    const std::uint64_t first = word::at(at);
    if (at[whole] != decimal) {
      out = {word::value(first, whole), 0, at + whole};
      return true;
    }
    const auto end = static_cast<unsigned>(std::countr_zero(others & (others - 1)));
    out.part = end - whole - 1;
    if (out.part - 1 >= kMostDigits) return false;
    out.end = at + end;
    if (end <= 8) {  // all in one word, its mark taken out from between
      const std::uint64_t before = (std::uint64_t{1} << (8 * whole)) - 1;
      out.mantissa = word::value((first & before) | ((first >> 8) & ~before), end - 1);
    } else {
      out.mantissa =
          word::value(first, whole) * static_cast<std::uint64_t>(kWholePowersOfTen[out.part]) +
          word::value(word::at(at + whole + 1), out.part);
    }
    return out.mantissa <= kMostExact;
  }

private:
  static constexpr std::uint64_t kMostExact = std::uint64_t{1} << 53;
  const char* from_ = nullptr;
  std::uint64_t others_ = 0;
};

}  // namespace kuvio::formats
