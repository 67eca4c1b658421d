// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>

namespace kuvio {

/// A text without the spaces, tabs and carriage returns around it.
inline std::string_view trimmed(std::string_view text) {
  constexpr std::string_view kBlank = " \t\r";
  const auto from = text.find_first_not_of(kBlank);
  if (from == std::string_view::npos) return {};
  return text.substr(from, text.find_last_not_of(kBlank) + 1 - from);
}

}  // namespace kuvio
