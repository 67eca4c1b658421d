// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/beside.h"
#include "core/recipe.h"

#include <set>
#include <string>
#include <vector>

namespace kuvio::book {

/// The named groups of a regular expression (RE2's syntax), "(?P<name>…)". Throws
/// std::invalid_argument with what is wrong where it is none.
std::set<std::string> groups_of(const std::string& expression);
/// The groups that a rule's name asks for: "{name}" each.
std::set<std::string> groups_in(const std::string& rule_name);

/// When a capture's rules begin and end: log lines and operator's marks that hold an expression,
/// edges of logic lines. A name that an expression completes to a built-in state's gets " (named)".
/// Error bad_data where a logic line is not there.
std::vector<Beside::Rule> moments_of(const Book& book, const CaptureInfo& capture,
                                     const Recipe& recipe);

}  // namespace kuvio::book
