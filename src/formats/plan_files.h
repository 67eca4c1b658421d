// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/budget.h"
#include "core/duty.h"
#include "core/lifetime.h"
#include "core/recipe.h"

#include <string>

namespace kuvio::formats {

// The files that live beside the firmware. Every reader throws Error: no_input when the file is not
// there, bad_data with "file:line" when its syntax, a key, a unit or a value is wrong. Nothing is
// ignored.

struct RecipeFile {
  Recipe recipe;
  std::string text;  ///< as written, kept with a split
};
/// `*.recipe.toml`
RecipeFile read_recipe(const std::string& path);
RecipeFile parse_recipe(const std::string& text, const std::string& path);

/// `*.budget.toml`; reads the duty plans and batteries it names, relative to its own folder.
Budget read_budget(const std::string& path);

/// `*.battery.toml`
Battery read_battery(const std::string& path);
/// `*.duty.toml`
DutyPlan read_duty(const std::string& path);

/// "1 %/y" as k of dC/dt = -kC (1/s); std::invalid_argument when malformed.
double parse_self_discharge(const std::string& text);

}  // namespace kuvio::formats
