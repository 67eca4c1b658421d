// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include <string>
#include <vector>

namespace kuvio::app {

/// The states of a round as people can read them: one that follows itself is counted ("State 2 ×
/// 3"), of many the first and last are named ("Wake, Sense, … Linger, 18 states").
QString round_name(const std::vector<std::string>& states);
/// All of them, for a hint.
QString round_states(const std::vector<std::string>& states);

}  // namespace kuvio::app
