// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"
#include "app/trace/threshold.h"

#include <qcustomplot.h>

#include <vector>

namespace kuvio::app {

class Lanes;

// What lies over all lanes of a plot: layerables of their own, so that those that follow the mouse
// are painted without the curves.

class LanesMark : public QCPLayerable {
  Q_OBJECT
public:
  LanesMark(QCustomPlot* plot, const ViewState& view) : QCPLayerable(plot), view_(view) {}

protected:
  void applyDefaultAntialiasingHint(QCPPainter* painter) const override;
  /// Pixel of a moment; nothing when there are no lanes.
  double pixelOf(double t) const;
  bool ready() const { return view_.capture() && mParentPlot->axisRectCount() > 0; }
  const ViewState& view_;
};

/// The picked visit and the span.
class StretchMark : public LanesMark {
  Q_OBJECT
public:
  using LanesMark::LanesMark;

protected:
  void draw(QCPPainter* painter) override;
  QRect clipRect() const override;
};

/// Thresholds as lines across the topmost lane of current.
class ThresholdMark : public LanesMark {
  Q_OBJECT
public:
  ThresholdMark(Lanes& lanes, const ViewState& view);
  void set(std::vector<Threshold> thresholds) { thresholds_ = std::move(thresholds); }
  const std::vector<Threshold>& thresholds() const { return thresholds_; }

protected:
  void draw(QCPPainter* painter) override;

private:
  const Lanes& lanes_;
  std::vector<Threshold> thresholds_;
};

/// The moment under the pointer, and where the keyboard is.
class PointerMark : public LanesMark {
  Q_OBJECT
public:
  using LanesMark::LanesMark;

protected:
  void draw(QCPPainter* painter) override;
};

/// The two cursors, with their numbers at the foot.
class CursorMark : public LanesMark {
  Q_OBJECT
public:
  using LanesMark::LanesMark;

protected:
  void draw(QCPPainter* painter) override;
};

/// Above the lanes: a tick for every log line (those the filter leaves stand out) and the
/// operator's marks with what they say.
class LogTicks : public LanesMark {
  Q_OBJECT
public:
  using LanesMark::LanesMark;

protected:
  void draw(QCPPainter* painter) override;
};

/// From the top of a plot's first lane to the foot of its last.
QRectF lanesBox(const QCustomPlot& plot);

}  // namespace kuvio::app
