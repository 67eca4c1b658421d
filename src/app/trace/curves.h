// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/work/view_state.h"

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
  FramePtr frame_;
  const Curve* curve_ = nullptr;
  bool dots_ = true;
};

/// The picked visit and the span, over all lanes of a plot.
class StretchMark : public QCPLayerable {
  Q_OBJECT
public:
  StretchMark(QCustomPlot* plot, const ViewState& view);

protected:
  void applyDefaultAntialiasingHint(QCPPainter* painter) const override;
  void draw(QCPPainter* painter) override;
  QRect clipRect() const override;

private:
  const ViewState& view_;
};

/// The moment under the pointer, over all lanes.
class PointerMark : public QCPLayerable {
  Q_OBJECT
public:
  PointerMark(QCustomPlot* plot, const ViewState& view);

protected:
  void applyDefaultAntialiasingHint(QCPPainter* painter) const override;
  void draw(QCPPainter* painter) override;

private:
  const ViewState& view_;
};

/// From the top of a plot's first lane to the foot of its last.
QRectF lanesBox(const QCustomPlot& plot);

}  // namespace kuvio::app
