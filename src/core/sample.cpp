// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sample.h"

#include "core/flag_key.h"

#include <algorithm>
#include <array>

namespace kuvio {
namespace {

struct FlagInfo {
  Flag flag;
  const char *key, *words;
};

/// In the order of Flag.
constexpr std::array kFlags{
    FlagInfo{Flag::over_range, "over_range", "over range"},
    FlagInfo{Flag::below_range, "below_range", "below range"},
    FlagInfo{Flag::not_a_number, "not_a_number", "not a number"},
    FlagInfo{Flag::dropped, "dropped", "lost"},
    FlagInfo{Flag::range_change, "range_change", "while the range changed"},
};

}  // namespace

const char* describe(Flag flag) { return kFlags[static_cast<std::size_t>(flag)].words; }

std::string_view key_of(Flag flag) { return kFlags[static_cast<std::size_t>(flag)].key; }

std::optional<Flag> flag_of_key(std::string_view key) {
  const auto* it =
      std::find_if(kFlags.begin(), kFlags.end(), [&](const FlagInfo& f) { return f.key == key; });
  return it == kFlags.end() ? std::nullopt : std::optional(it->flag);
}

}  // namespace kuvio
