// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/trace_views.h"
#include "app/engine/view_state.h"

#include <qcustomplot.h>

namespace kuvio::app {

/// Paints one capture's curve in a lane: an envelope where many samples share a pixel, lines or
/// steps where few do. Paints pixels, not samples; a frame that is not there yet is stood in for by
/// the last one, stretched to the view.
class CurvePlottable : public QCPAbstractPlottable {
  Q_OBJECT
public:
  CurvePlottable(QCPAxis* time, QCPAxis* value);
  /// `curve` lives in `frame`; both null to paint nothing.
  void setCurve(FramePtr frame, const Curve* curve);
  const Curve* curve() const { return curve_; }
  /// Whether single samples get a dot where there is room for it.
  void setDots(bool on) { dots_ = on; }
  /// Whether gaps are hatched over the lane's whole height; one curve of a lane does.
  void setHatched(bool on) { hatched_ = on; }
  /// On a scale through zero: where it is straight; 0 on any other.
  void setThroughZero(double quiet) { quiet_ = quiet; }

  double selectTest(const QPointF&, bool, QVariant* = nullptr) const override { return -1; }
  QCPRange getKeyRange(bool& found, QCP::SignDomain = QCP::sdBoth) const override;
  QCPRange getValueRange(bool& found, QCP::SignDomain = QCP::sdBoth,
                         const QCPRange& = QCPRange()) const override;

protected:
  void draw(QCPPainter* painter) override;
  void drawLegendIcon(QCPPainter*, const QRectF&) const override {}

private:
  double y(double value) const;
  void drawColumns(QCPPainter* painter) const;
  void drawPoints(QCPPainter* painter) const;
  void drawGaps(QCPPainter* painter) const;
  void drawFlags(QCPPainter* painter) const;
  FramePtr frame_;
  const Curve* curve_ = nullptr;
  bool dots_ = true, hatched_ = false;
  double quiet_ = 0;
};

}  // namespace kuvio::app
