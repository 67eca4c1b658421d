// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace kuvio::book {
namespace {

/// The code point that begins at `bytes`, and its length; 0 bytes where none does (RFC 3629: no
/// surrogates, nothing beyond U+10FFFF, each in its shortest form).
std::pair<char32_t, std::size_t> code_point(std::string_view bytes) {
  const auto at = [&](std::size_t i) { return static_cast<unsigned char>(bytes[i]); };
  const unsigned char c = at(0);
  if (c < 0x80) return {c, 1};
  const std::size_t length = c >= 0xc2 && c < 0xe0   ? 2
                             : c >= 0xe0 && c < 0xf0 ? 3
                             : c >= 0xf0 && c < 0xf5 ? 4
                                                     : 0;
  if (length == 0 || bytes.size() < length) return {0, 0};
  char32_t code = c & (0xffU >> (length + 1));
  for (std::size_t k = 1; k < length; ++k) {
    if ((at(k) & 0xc0) != 0x80) return {0, 0};
    code = code << 6 | (at(k) & 0x3fU);
  }
  constexpr char32_t kLeast[] = {0, 0, 0x80, 0x800, 0x10000};
  if (code < kLeast[length] || code > 0x10ffff || (code >= 0xd800 && code < 0xe000)) return {0, 0};
  return {code, length};
}

/// Controls, and what turns the direction or the lines of the text around it.
bool is_hidden(char32_t code) {
  return (code < 0x20 && code != '\t') || (code >= 0x7f && code < 0xa0) ||
         (code >= 0x2028 && code <= 0x202e) || (code >= 0x2066 && code <= 0x2069) ||
         code == 0x200e || code == 0x200f || code == 0xfeff;
}

}  // namespace

bool is_utf8(std::string_view bytes) {
  while (!bytes.empty()) {
    const std::size_t length = code_point(bytes).second;
    if (length == 0) break;
    bytes.remove_prefix(length);
  }
  if (bytes.empty()) return true;
  const bool begins = static_cast<unsigned char>(bytes[0]) >= 0xc2;
  return begins && bytes.size() < 4 && std::all_of(bytes.begin() + 1, bytes.end(), [](char c) {
           return (static_cast<unsigned char>(c) & 0xc0) == 0x80;
         });
}

std::string printable(std::string_view bytes) {
  std::string out;
  for (std::size_t i = 0; i < bytes.size();) {
    const auto [code, length] = code_point(bytes.substr(i));
    if (length > 0 && !is_hidden(code)) {
      out.append(bytes.substr(i, length));
      i += length;
      continue;
    }
    for (std::size_t k = 0; k < std::max<std::size_t>(1, length); ++k, ++i)
      out += fmt::format("\\x{:02X}", static_cast<unsigned char>(bytes[i]));
  }
  return out;
}

std::string shortened(std::string_view text, std::size_t most) {
  if (text.size() <= most) return std::string(text);
  const std::string note = fmt::format("… ({} bytes)", text.size());
  std::size_t end = most - std::min(most, note.size());
  while (end > 0 && (static_cast<unsigned char>(text[end]) & 0xc0) == 0x80) --end;
  return std::string(text.substr(0, end)) + note;
}

}  // namespace kuvio::book
