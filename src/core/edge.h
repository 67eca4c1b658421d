// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"
#include "core/visit.h"

#include <cstdint>
#include <optional>

namespace kuvio {

/// Positions [from, to) of samples within one block.
struct SampleRange {
  std::int64_t from = 0, to = 0;
  std::int64_t count() const { return to - from; }
};

/// Finds the cell of the edge between two neighbouring stays of a block: `left` and `right` are the
/// samples of each that no other edge's cell holds, the outermost of which it leaves alone; what
/// lies between left.to and right.from is the edge's own.
///
/// It begins as the last sample of one and the first of the other (averaged: their intervals, so
/// [from, to) are its samples; instants: the line from sample `from` to sample `to` - 1) and grows
/// by up to five samples a side while the next one lies between the levels and over five standard
/// deviations off its own side's. Nothing when a side has no sample to spare, or when the change
/// goes on beyond the cell.
std::optional<SampleRange> find_cell(const Trace& trace, const Block& block, SampleRange left,
                                     SampleRange right);

/// What the samples around an edge say of it. SI units; the channel's for levels.
struct EdgeFigures {
  double at_s = 0;             ///< where it stands
  double left = 0, right = 0;  ///< levels beside it: medians of up to five samples beyond its cell
  double left_charge = 0;      ///< of its cell's charge, what goes to the visit before
  double right_charge = 0;     ///< and to the one after; together exactly the cell's
  double u_s = 0;              ///< standard uncertainty of where it stands
  bool clear = false;  ///< |right - left| is three times the noise of the cell's mean or more

  /// Standard uncertainty of each side's charge from where the edge stands: its own level times
  /// u(t), since a side that is longer by dt holds that much more of its own level, whatever lies
  /// beyond.
  double left_charge_u() const;
  double right_charge_u() const;
};

/// Figures of the edge between two neighbouring visits.
///
/// With Q the charge of its cell, T the cell's length, L and R the levels, it stands
///   t = (R T - Q)/(R - L)
/// after the cell's start; the left visit gets L t and the right one R (T - t), so that nothing is
/// lost and neither level is lifted by the other. Where t falls outside the cell (overshoot) it
/// stands at that end and all of Q goes to the visit that then holds the cell.
///   u(t)^2 = (sum sigma_i^2 d_i^2 + (t u_L)^2 + ((T - t) u_R)^2)/(R - L)^2,
/// for instants without a sample on the way + T^2/12. An edge without a cell stands where the
/// visits say, known to one sample: its u is d/sqrt(12), and it shares nothing out.
EdgeFigures edge_figures(const Trace& trace, const Visit& left, const Visit& right);

/// Extremes of the samples in a cell that belong to `visit`: that lie wholly inside it and are not
/// on the way from one level to the other. Nothing when there are none.
std::optional<Extremes> own_extremes(const Trace& trace, const Cell& cell, const EdgeFigures& edge,
                                     const Visit& visit);

}  // namespace kuvio
