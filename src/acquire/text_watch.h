// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <string_view>

namespace kuvio::acquire {

/// Looks whether what comes over a line is text at all: at a wrong speed it is not.
class TextWatch {
public:
  /// Takes a line in as it came. What is older than about a thousand bytes fades.
  void take(std::string_view bytes);
  /// More than a quarter of what came lately is no text: neither letters, signs and tabs, nor
  /// UTF-8.
  bool no_text() const { return seen_ >= kEnough && strange_ > kShare * seen_; }
  void clear() { seen_ = strange_ = 0; }

private:
  static constexpr double kEnough = 48, kShare = 0.25, kKept = 1000;  // bytes
  double seen_ = 0, strange_ = 0;
};

}  // namespace kuvio::acquire
