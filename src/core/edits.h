// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"
#include "core/visit.h"

#include <functional>
#include <string>
#include <vector>

namespace kuvio {

/// A correction made by hand. Edits lie on top of a recipe's split, in the order they were made,
/// and are applied anew when the recipe is run again. Each keeps what stood there when it was made
/// (its *anchor*), so that one whose anchor is gone is reported instead of landing somewhere else.
struct Edit {
  enum class Kind {
    move,          ///< the edge at `at_s` between `before` and `after` goes to `to_s`
    rename,        ///< the visit to `before` that holds `at_s` is to `state`
    rename_state,  ///< every visit to `before` is to `state`
    cut,           ///< the visit to `before` that holds `at_s` ends there and a new one begins
    join,          ///< the two visits at the edge `at_s` become one, to `state`
    assign,        ///< [at_s, to_s) is to `state`, whatever stood there
  };
  Kind kind = Kind::rename;
  double at_s = 0, to_s = 0;  ///< s from the capture's start, on samples
  std::string state;
  std::string before, after;  ///< the anchor: the states left and right of an edge, or of the visit

  bool operator==(const Edit&) const = default;
};
std::string_view to_string(Edit::Kind kind);
/// Throws std::invalid_argument for a word that is no kind of edit.
Edit::Kind edit_kind(std::string_view word);
/// "edge from Rest to Send moved from 12.331 s to 12.402 s", for lists and undo; moments are
/// written by `moment`, as seconds without one.
std::string describe(const Edit& edit, const std::function<std::string(double)>& moment = {});

/// An edit that was left out, and why.
struct Conflict {
  std::size_t edit = 0;  ///< index in the edits given
  std::string why;
};

struct EditResult {
  Visits visits;
  std::vector<Conflict> conflicts;
};

/// Applies edits in order. Visits go on covering the capture without overlap; Missing stays where
/// it is, since what was not captured is in no state, and a moved edge stops at its neighbours. An
/// edge is found again when it lies no further than `reach_s` from where it was, between the same
/// states. An edge that was put by hand has no cell. A visit made longer, shorter or by hand is
/// whole by `is_whole`.
EditResult apply_edits(Visits visits, const std::vector<Edit>& edits, double reach_s);

/// Start of the sample whose edge lies nearest to `t` (s), inside the trace; t itself when it lies
/// in a gap. Edges of visits lie on samples.
double nearest_edge(const Trace& trace, double t);

}  // namespace kuvio
