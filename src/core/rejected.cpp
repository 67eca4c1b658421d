// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rejected.h"

#include "core/number_text.h"

namespace kuvio {

std::optional<Rejected::Why> lacks(const Must& must, double length_s, double peak, double mean,
                                   bool cut) {
  using Why = Rejected::Why;
  if (must.peak_above && !(peak > *must.peak_above) && !cut) return Why::no_peak;
  if (must.mean_above && !(mean > *must.mean_above)) return Why::mean_low;
  if (must.mean_below && !(mean < *must.mean_below)) return Why::mean_high;
  if (must.longer_s && length_s < *must.longer_s * (1 - 1e-9) && !cut) return Why::too_short;
  if (must.shorter_s && length_s > *must.shorter_s * (1 + 1e-9)) return Why::too_long;
  return std::nullopt;
}

std::string in_words(const Rejected& r, const Recipe& recipe, std::string_view unit) {
  using Why = Rejected::Why;
  const StateRule& rule = recipe.states.at(r.rule);
  const auto value = [&](const std::optional<double>& v) {
    return with_prefix(v.value_or(0), unit, 3);
  };
  const std::string had = rule.by_level ? " had the level of " : " began as ";
  std::string why;
  switch (r.why) {
    case Why::no_peak:
      why = "no peak over " + value(rule.must.peak_above);
      break;
    case Why::mean_low:
      why = "a mean of " + value(rule.must.mean_above) + " at most";
      break;
    case Why::mean_high:
      why = "a mean of " + value(rule.must.mean_below) + " at least";
      break;
    case Why::too_short:
      why = "lasted less than " +
            duration(rule.must.longer_s.value_or(rule.by_level ? 0 : rule.shortest_s));
      break;
    case Why::too_long:
      why = "lasted longer than " + duration(rule.must.shorter_s.value_or(0));
      break;
    case Why::not_after:
      why = "came after none of its states";
      break;
    case Why::no_begin:
      why = "nothing that begins it";
      break;
    case Why::no_end:
      why = "nothing that ends it";
      break;
  }
  return std::to_string(r.stretches) + (r.stretches == 1 ? " stretch" : " stretches") + had +
         rule.name + " but " + why;
}

}  // namespace kuvio
