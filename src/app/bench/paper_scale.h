// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/live_history.h"

#include <QRectF>

namespace kuvio::app {

/// A value axis of the live paper: straight, of decades, or through zero with decades on either
/// side.
struct PaperScale {
  enum class Kind { straight, decades, both_ways } kind = Kind::straight;
  /// Straight and decades: values; both ways: decades from zero (ticks.h, symlog).
  double from = 0, to = 1, quiet = 0;

  /// Where a value stands (pixels); up to half a box beyond its edges.
  double at(double value, const QRectF& box) const;
  /// The value at a height.
  double value(double y, const QRectF& box) const;
};

/// The scale that shows what is there: decades for a current that spans more than thirty times,
/// through zero where it also changes sign, else straight, and never so close that nothing but
/// noise fills the paper.
PaperScale paper_scale(const LiveHistory::Figures& shown, bool current);

}  // namespace kuvio::app
