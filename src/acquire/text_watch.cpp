// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/text_watch.h"

namespace kuvio::acquire {
namespace {

/// Bytes of a UTF-8 sequence by its first one; 0 where none begins so.
std::size_t length_of(unsigned char first) {
  return first >= 0xf0 && first < 0xf5   ? 4
         : first >= 0xe0 && first < 0xf0 ? 3
         : first >= 0xc2 && first < 0xe0 ? 2
                                         : 0;
}

}  // namespace

void TextWatch::take(std::string_view bytes) {
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    const auto c = static_cast<unsigned char>(bytes[i]);
    seen_ += 1;
    if (c == '\t' || c == 0x1b || (c >= ' ' && c < 0x7f)) continue;  // ESC: colours
    const std::size_t n = length_of(c);
    std::size_t good = 1;
    while (good < n && i + good < bytes.size() &&
           (static_cast<unsigned char>(bytes[i + good]) & 0xc0) == 0x80)
      ++good;
    if (n > 1 && good == n) {
      seen_ += static_cast<double>(n - 1);
      i += n - 1;
    } else {
      strange_ += 1;
    }
  }
  if (seen_ <= kKept) return;
  strange_ *= kKept / seen_;
  seen_ = kKept;
}

}  // namespace kuvio::acquire
