// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/recipe.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {
struct Battery;
struct Budget;
struct DutyPlan;
struct Limit;
}  // namespace kuvio

namespace kuvio::formats {

// Edits of the files that people write, as pure functions from text to text: one value changes,
// comments and order stay. All throw Error (bad_data, "name:line") where the text is not valid TOML
// or holds no such block; `name` is for those messages.

/// Writes what a limit holds over the values of the block it was read from (`limit.block`).
std::string set_limit(const std::string& text, const std::string& name, const Limit& limit);
/// Takes a limit away: the whole block where it is the last one in it.
std::string remove_limit(const std::string& text, const std::string& name, const Budget& budget,
                         const Limit& limit);

/// One of the two edges of a rule's band (A). A release that was written for that edge moves with
/// it in proportion. Nothing removes the edge.
enum class BandEdge { below, above };
std::string set_rule_edge(const std::string& text, const std::string& name, const Recipe& recipe,
                          std::size_t rule, BandEdge edge, const std::optional<double>& level);
/// A length of a rule (s), "shortest" or "join_gaps"; nothing removes it.
std::string set_rule_length(const std::string& text, const std::string& name, std::size_t rule,
                            const char* key, const std::optional<double>& length_s);
std::string rename_rule(const std::string& text, const std::string& name, std::size_t rule,
                        const std::string& state);
/// Puts a rule (its block's text) before another, whose samples it then takes first.
std::string insert_rule(const std::string& text, const std::string& name, std::size_t before,
                        const std::string& block);
/// Rules are tried in order: this one becomes the `to`-th.
std::string move_rule(const std::string& text, const std::string& name, std::size_t from,
                      std::size_t to);
std::string remove_rule(const std::string& text, const std::string& name, std::size_t rule);

/// A value of a battery, as it is written there: "capacity", "2400 mAh".
std::string set_battery_value(const std::string& text, const std::string& name,
                              const std::string& key, const std::string& value);
/// How often an activity of a duty plan comes (s between two).
std::string set_activity_interval(const std::string& text, const std::string& name,
                                  std::size_t activity, double interval_s);
/// Another activity of a duty plan: states gone through once every `interval_s`.
std::string add_activity(const std::string& text, const std::string& name,
                         const std::vector<std::string>& states, double interval_s);
std::string remove_activity(const std::string& text, const std::string& name, std::size_t activity);
/// The state that fills what no activity takes.
std::string set_rest(const std::string& text, const std::string& name, const std::string& state);

}  // namespace kuvio::formats
