// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/repeatability.h"
#include "core/visit_figures.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio {

/// From one entry into a state to the next one, over no gap and no Off: visits [first, last).
struct Cycle {
  double from_s = 0, to_s = 0;
  std::size_t first = 0, last = 0;

  double period_s() const { return to_s - from_s; }
};

/// Whether a visit is an entry into its state: it begins where another one ends, or where the
/// output went on. What the capture's start or a gap cuts is none.
bool is_entry(const Visits& visits, std::size_t at);

/// All cycles of a state, in order. The one list that ledger, span, line-up and life go by.
std::vector<Cycle> cycles_of(const Visits& visits, const std::string& state);

/// What each cycle took (s) and drew (C).
struct CycleSums {
  std::vector<double> periods, charges;
};
CycleSums sums_of_cycles(const std::vector<VisitFigures>& visits, const std::string& state);

/// Figures of cycles: periods and charges; the mean current is their ratio of sums.
struct CycleFigures {
  std::string state;
  std::size_t count = 0;
  Repeatability period, charge;  ///< s, C
};
CycleFigures figures_of_cycles(const std::vector<VisitFigures>& visits, const std::string& state);

/// A span of whole cycles that follow each other without a break.
struct WholeCycles {
  double from_s = 0, to_s = 0;
  std::string state;  ///< whose entries begin the cycles
  int cycles = 0;     ///< at least 1
};

/// Moves a span's ends to the nearest entries into `state`, at least one cycle apart and with no
/// gap and no Off between: of several runs of cycles the one that shares most time with the span.
/// Nothing when there is no cycle.
std::optional<WholeCycles> whole_cycles(const Visits& visits, const std::string& state,
                                        double from_s, double to_s);

/// The whole cycles that lie inside a span (a ten-millionth of it beyond counts as inside): of
/// several runs the longest. Nothing when it holds none.
std::optional<WholeCycles> cycles_inside(const Visits& visits, const std::string& state,
                                         double from_s, double to_s);

/// The state whose entries suit a span: the one visited at its start if that repeats, else the one
/// that takes the most time among those that repeat; empty when none does.
std::string cycle_state(const Visits& visits, double at_s);

}  // namespace kuvio
