// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/beside.h"
#include "core/recipe.h"
#include "core/visit_counts.h"

#include <set>
#include <string>
#include <vector>

namespace kuvio::book {

/// The named groups of a regular expression (RE2's syntax), "(?P<name>…)". Throws
/// std::invalid_argument with what is wrong where it is none.
std::set<std::string> groups_of(const std::string& expression);
/// The expression of lines that begin with these words.
std::string begins_with(const std::string& words);
/// The groups that a rule's name asks for: "{name}" each.
std::set<std::string> groups_in(const std::string& rule_name);

/// When a capture's rules begin and end: log lines and operator's marks that hold an expression,
/// edges of logic lines. A name that an expression completes to a built-in state's gets " (named)".
/// Error bad_data where a logic line is not there.
std::vector<Beside::Rule> moments_of(const Book& book, const CaptureInfo& capture,
                                     const Recipe& recipe);

/// The moments of a single anchor, its offset included. Throws std::invalid_argument where its
/// expression is none; Error as above.
std::vector<Moment> moments_of(const Book& book, const CaptureInfo& capture, const Anchor& anchor);

/// What received log lines count that hold an expression: the number in its group (in the one
/// called "n" where there are several), or each line itself where it has none. Lines whose group
/// holds no number are counted in `strange`. Throws std::invalid_argument where it is no
/// expression, or has several groups and none is called "n".
struct LogCounts {
  std::vector<LogCount> counts;
  bool numbers = false;  ///< the expression has a group
  std::size_t strange = 0;
};
LogCounts log_counts(const std::vector<LogLine>& log, const std::string& expression);

}  // namespace kuvio::book
