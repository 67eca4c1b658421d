// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/verdict.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio {
struct CompareRow;
struct Comparison;
struct Difference;
struct LifeInterval;
struct Limit;
struct LimitResult;
struct Unnamed;
enum class Conclusion;
}  // namespace kuvio
namespace kuvio::book {
struct SplitCapture;
}

namespace kuvio::formats {

// How results are said to people: one wording for the command line, the report and the window.

/// "≥ ", "≤ ", "≷ " (neither side is bounded) or nothing, before a figure.
std::string bounds_mark(Bounds bounds);
/// "✓ within", "✗ outside", "≈ too close", "– no data".
std::string verdict_text(Verdict verdict);
/// A limit's measured figure with its uncertainty, "–" when there is none.
std::string measured_text(const LimitResult& result);
/// "≤ 4.0 µA", "≥ 2.00 years".
std::string limit_text(const Limit& limit);
/// A quantity in a unit, with ± where U > 0: lives in years and days.
std::string figure_text(double value, double U, std::string_view unit);

/// "2.81 years", "without end".
std::string life_end(const std::optional<double>& life_s);
/// "109 … 256 days", "300 days … 2.10 years".
std::string life_range(const std::optional<double>& low_s, const std::optional<double>& high_s);
/// "167 days (109 … 256 days)".
std::string life_text(const LifeInterval& life);

/// "higher", "higher per visit", "no difference shown", "not shown among 17 tests", "at most
/// equal…".
std::string shown_text(const CompareRow& row, std::size_t tests);
std::string shown_text(Conclusion conclusion, const Difference& difference, std::size_t tests);

/// A comparison's table: state, mean of the reference and of the candidate, difference of the mean,
/// difference per visit, step of the bridge, what is shown. Off is no state of a build.
std::vector<std::vector<std::string>> comparison_cells(const Comparison& comparison);

/// "2.4.0-rc1 draws 34.041 ± 0.084 µA more than 2.3.0 at the same use (Hibernate +34.4 µA, Linger
/// −321 nA)." Empty when there is no same use.
std::string same_use_sentence(const Comparison& comparison);
/// What was held common for it and what could hide there, a line each.
std::vector<std::string> common_length_lines(const Comparison& comparison);
/// What a comparison rests on: "within these captures", single visits, an accuracy not stated.
std::vector<std::string> comparison_remarks(const Comparison& comparison);

/// Of each capture whose split stands on samples, made by an older Kuvio: that it is so.
std::vector<std::string> old_edges_texts(const std::vector<book::SplitCapture>& captures);
/// "The duty plan leaves out Unassigned: 94 % of the charge, 12 % of the time." Empty for none.
std::string unnamed_text(const std::vector<Unnamed>& unnamed, const std::string& whose = "");

}  // namespace kuvio::formats
