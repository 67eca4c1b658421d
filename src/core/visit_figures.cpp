// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visit_figures.h"

#include "core/edge.h"
#include "core/measure.h"
#include "core/recipe.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace kuvio {
namespace {

/// Extremes of the samples strictly between two moments (averaged: of those whose intervals lie
/// between them); an instant at an end counts where `closed_from` or `closed_to` says so.
std::optional<Extremes> extremes_between(const Trace& trace, double from_s, double to_s,
                                         bool closed_to) {
  const Block* block = block_at(trace, from_s);
  if (!block) return std::nullopt;
  const TimeBase base = trace.time_base();
  const long double from = base.ticks(from_s), to = base.ticks(to_s);
  if (to > static_cast<long double>(block->end)) {  // over blocks that follow without a gap
    const SpanFigures span = measure(trace, from_s, to_s);
    if (!span.min || !span.max) return std::nullopt;
    return Extremes{*span.min, *span.max};
  }
  const auto start = [&](std::int64_t at) {
    return static_cast<long double>(tick_of(trace, *block, at));
  };
  std::int64_t first = cell_at(trace, *block, from), last = cell_at(trace, *block, to);
  if (start(first) < from) ++first;
  std::int64_t end = last;  // one past the last
  if (trace.kind() == SampleKind::averaged) {
    if (start(last + 1) <= to) end = last + 1;
  } else if (start(last) < to || (closed_to && start(last) == to)) {
    end = last + 1;
  }
  if (end <= first) return std::nullopt;
  return trace.extremes(*block, first, end);
}

void widen(std::optional<Extremes>& all, const std::optional<Extremes>& more) {
  if (!more) return;
  all = all ? Extremes{std::min(all->lo, more->lo), std::max(all->hi, more->hi)} : more;
}

/// Adds what an edge's cell holds of a visit to its figures.
void add_cell(VisitFigures& f, const Trace& trace, const Cell& cell, const EdgeFigures& edge,
              bool begins, std::optional<Extremes>& extremes) {
  const Visit& v = f.visit;
  if (!cell.empty()) {
    const double charge = begins ? edge.right_charge : edge.left_charge;
    const SpanFigures model =
        begins ? measure(trace, v.from_s, cell.to_s) : measure(trace, cell.from_s, v.to_s);
    f.charge += charge;
    f.shared_out += charge - model.charge;
    widen(extremes, own_extremes(trace, cell, edge, v));
  }
  f.length_u_s = std::hypot(f.length_u_s, edge.u_s);
  f.charge_u = std::hypot(f.charge_u, begins ? edge.right_charge_u() : edge.left_charge_u());
}

/// Figures of one visit, with those of the edges to what comes before and after where it meets one.
VisitFigures figures_of(const Trace& trace, const Visit& v,
                        const std::optional<EdgeFigures>& before,
                        const std::optional<EdgeFigures>& after) {
  VisitFigures f;
  f.visit = v;
  if (v.state == kMissing) {
    f.missing_s = v.length_s();
    return f;
  }
  const double from = v.begins.empty() ? v.from_s : v.begins.to_s;
  const double to = v.ends.empty() ? v.to_s : v.ends.from_s;
  const SpanFigures inside = measure(trace, from, to);
  f.missing_s = inside.missing_s;
  f.observed_s = v.length_s() - inside.missing_s;
  f.charge = inside.charge;
  std::optional<Extremes> extremes = extremes_between(trace, from, to, !v.ends.empty() || !after);
  if (before) add_cell(f, trace, v.begins, *before, true, extremes);
  if (after) add_cell(f, trace, v.ends, *after, false, extremes);
  if (f.observed_s > 0) f.mean = f.charge / f.observed_s;
  if (extremes) {
    f.peak = extremes->hi;
    f.least = extremes->lo;
  } else if (inside.max) {  // no sample of its own: what the model holds there
    f.peak = inside.max;
    f.least = inside.min;
  }
  return f;
}

/// Out-of-range samples inside a stretch without samples, or before or after all of them.
Bounds bounds_within(const Trace& trace, double from_s, double to_s) {
  Bounds out;
  for (const FlagRun& run : trace.flags()) {
    if (run.from_s > to_s || run.to_s < from_s) continue;
    out.lower |= run.flag == Flag::over_range;
    out.upper |= run.flag == Flag::below_range;
  }
  return out;
}

/// Marks the visits on both sides of each stretch out of range.
void mark_bounds(const Trace& trace, std::vector<VisitFigures>& figures) {
  if (figures.empty() || trace.flags().empty()) return;
  constexpr double kEver = std::numeric_limits<double>::infinity();
  // Flags that lie just where the samples end: a flagged sample's own interval touches theirs.
  figures.front().bounds |= bounds_within(trace, -kEver, figures.front().visit.from_s);
  figures.back().bounds |= bounds_within(trace, figures.back().visit.to_s, kEver);
  for (std::size_t i = 0; i < figures.size(); ++i) {
    VisitFigures& f = figures[i];
    if (f.visit.state != kMissing) continue;
    f.bounds |= bounds_within(trace, f.visit.from_s, f.visit.to_s);
    for (const std::size_t side : {i - 1, i + 1}) {
      if (side < figures.size() && figures[side].visit.state != kMissing)
        figures[side].bounds |= f.bounds;
    }
  }
  // A visit that goes on through a stretch out of range is one.
  for (std::size_t i = 2; i < figures.size(); ++i) {
    if (!figures[i].visit.continues) continue;
    figures[i].bounds |= figures[i - 2].bounds;
    figures[i - 2].bounds = figures[i].bounds;
  }
}

}  // namespace

std::vector<VisitFigures> measure_visits(const Trace& trace, const Visits& as_stored) {
  Visits visits = as_stored;
  agree_on_cells(visits);  // a split of an earlier version may not
  std::vector<VisitFigures> out;
  out.reserve(visits.size());
  std::optional<EdgeFigures> before;  // of the edge to the visit before
  for (std::size_t i = 0; i < visits.size(); ++i) {
    std::optional<EdgeFigures> after;
    if (i + 1 < visits.size() && visits[i].state != kMissing && visits[i + 1].state != kMissing)
      after = edge_figures(trace, visits[i], visits[i + 1]);
    out.push_back(figures_of(trace, visits[i], before, after));
    before = after;
  }
  mark_bounds(trace, out);
  return out;
}

Visits visits_of(const std::vector<VisitFigures>& figures) {
  Visits out;
  out.reserve(figures.size());
  for (const VisitFigures& f : figures) out.push_back(f.visit);
  return out;
}

}  // namespace kuvio
