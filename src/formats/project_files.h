// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/recipe.h"

#include <functional>
#include <string>
#include <vector>

namespace kuvio {
struct Battery;
struct Budget;
struct DutyPlan;
struct Limit;
}  // namespace kuvio

namespace kuvio::book {
enum class DocumentKind;
}

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

/// Text of a file that another one names: of what kind it must be, and the name it is given there.
using FindFile = std::function<std::string(book::DocumentKind kind, const std::string& name)>;

/// `*.budget.toml`; reads the duty plans and batteries it names, relative to its own folder.
Budget read_budget(const std::string& path);
/// The same from text; the files it names come from `find`, `name` is for messages.
Budget parse_budget(const std::string& text, const std::string& name, const FindFile& find);

struct NamedFile {
  book::DocumentKind kind;
  std::string name;  ///< as the budget gives it

  bool operator==(const NamedFile&) const = default;
};
/// What a budget names: its recipe, duty plans and batteries, each once. Nothing of it is read.
std::vector<NamedFile> files_named(const std::string& budget, const std::string& name);

/// Throws where a text is not a valid document of its kind; what a budget names is not looked at.
void check_document(book::DocumentKind kind, const std::string& text, const std::string& name);

/// `*.battery.toml`
Battery read_battery(const std::string& path);
Battery parse_battery(const std::string& text, const std::string& name);
/// `*.duty.toml`
DutyPlan read_duty(const std::string& path);
DutyPlan parse_duty(const std::string& text, const std::string& name);

/// Under which key a duty plan's text lists its activities: "round" in plans of older books.
const char* activity_key(const std::string& text);

/// "1 %/y" as k of dC/dt = -kC (1/s); std::invalid_argument when malformed.
double parse_self_discharge(const std::string& text);

}  // namespace kuvio::formats
