// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/uncertainty.h"

#include <cstddef>
#include <optional>
#include <span>

namespace kuvio {

/// One visit: what its log counted (bytes, events), and what it cost.
struct FitPoint {
  double x = 0, y = 0;
};

/// A straight line through visits: y = base + slope x. SI units of y, by the unit of x.
struct LineFit {
  std::size_t points = 0;
  double from_x = 0, to_x = 0;
  double slope = 0, base = 0;
  double slope_u = 0, base_u = 0;  ///< standard uncertainties by the scatter about the line
  double scatter = 0;              ///< standard deviation about the line
  std::optional<double> freedom;   ///< of both; nothing with two points: their scatter is unknown
  /// How likely the points lie as unlike a straight line as they do, if they are one. Nothing where
  /// there are too few to tell.
  std::optional<double> straight_p;

  bool straight() const { return !straight_p || *straight_p >= 0.01; }
  /// Of the slope and of the base.
  Component slope_component() const;
  Component base_component() const;
};

/// Least squares through points of equal weight. Straightness: where two points or more share an x,
/// the means' distances from the line against the scatter within them (F test for lack of fit,
/// Draper and Smith 1998, 2.1); else a term in x^2 (its t test), from five points on.
/// Points within a millionth of the largest lie on the line. Nothing with
/// fewer than two different x.
std::optional<LineFit> fit_line(std::span<const FitPoint> points);

}  // namespace kuvio
