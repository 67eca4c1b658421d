// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recipe.h"

#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace kuvio {

/// Stretches that had a rule's level, or its beginning, and were no visit of it.
struct Rejected {
  enum class Why { no_peak, mean_low, mean_high, too_short, too_long, not_after, no_begin, no_end };
  std::size_t rule = 0;
  Why why = Why::no_peak;
  std::size_t stretches = 0;

  bool operator==(const Rejected&) const = default;
};

/// "12 stretches had the level of Uplink but no peak over 150 mA". `unit` is the channel's.
std::string in_words(const Rejected& rejected, const Recipe& recipe, std::string_view unit);

/// Counts what was turned away.
class Tally {
public:
  void add(int rule, Rejected::Why why) { ++counts_[{static_cast<std::size_t>(rule), why}]; }
  std::vector<Rejected> all() const {
    std::vector<Rejected> out;
    for (const auto& [what, n] : counts_) out.push_back({what.first, what.second, n});
    return out;
  }

private:
  std::map<std::pair<std::size_t, Rejected::Why>, std::size_t> counts_;
};

/// What of `must` a stretch lacks. One that is cut may have had it beyond.
std::optional<Rejected::Why> lacks(const Must& must, double length_s, double peak, double mean,
                                   bool cut);

}  // namespace kuvio
