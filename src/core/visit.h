// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

namespace kuvio {

/// The states that every split knows. Off, Unassigned and Missing cannot be named in a recipe.
inline constexpr const char* kOff = "Off";
inline constexpr const char* kUnassigned = "Unassigned";
inline constexpr const char* kMissing = "Missing";
bool is_built_in_state(const std::string& name);

/// The samples between two visits that belong to neither alone (s from the capture's start): of
/// averaged samples the intervals that hold the change, of instants the line between two of them.
struct Cell {
  double from_s = 0, to_s = 0;

  /// Without length: the edge was put there, or lies on a sample, and the samples' own model shares
  /// the charge.
  bool empty() const { return !(to_s > from_s); }
  bool operator==(const Cell&) const = default;
};

/// One unbroken stay in a state. Neighbours share their edge exactly.
struct Visit {
  std::string state;
  double from_s = 0, to_s = 0;
  bool whole = true;    ///< see is_whole
  bool narrow = false;  ///< no averaged sample lies wholly inside: length at most, mean at least
  /// The visit before it to the same state went on through a stretch out of range: both are one.
  bool continues = false;
  Cell begins{}, ends{};  ///< of its edges; the neighbours' are the same

  double length_s() const { return to_s - from_s; }
  bool operator==(const Visit&) const = default;
};

/// A trace split into states: visits that cover it from its first to its last moment without
/// overlap, gaps included (as Missing).
using Visits = std::vector<Visit>;

/// Whether a visit began and ended by itself: not at the capture's ends, at a gap, or by the output
/// being switched off. Being switched on is a beginning like any other (the device boots).
bool is_whole(const Visits& visits, std::size_t at);

/// An edge has a cell only where both of its visits know the same one, and meet there: where one of
/// them has gone the samples' own model shares the charge, so that nothing is lost or counted
/// twice.
void agree_on_cells(Visits& visits);

}  // namespace kuvio
