// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"

#include <string>

namespace kuvio {
struct Battery;
struct Budget;
struct DutyPlan;
struct Limit;
struct Recipe;
struct StateRule;
}  // namespace kuvio

namespace kuvio::formats {

// The files that live beside the firmware, written; read by project_files.h.

/// A quantity as these files have it: "4 uA", "35 ms", "2 y", with at most `digits` digits.
std::string quantity_text(double value, Dimension dimension, int digits = 6);

/// A recipe, duty plan or battery as the text of its file.
std::string recipe_text(const Recipe& recipe);
std::string duty_text(const DutyPlan& plan);
std::string battery_text(const Battery& battery);
/// One [[state]] block.
std::string state_block(const StateRule& rule);
/// A budget as the text of its file; it names its recipe, and the duty plan and battery of its
/// limits, as they are named here.
std::string budget_text(const Budget& budget, const std::string& duty_name,
                        const std::string& battery_name);
/// One [[limit]] block.
std::string limit_block(const Limit& limit, const std::string& duty_name,
                        const std::string& battery_name);

}  // namespace kuvio::formats
