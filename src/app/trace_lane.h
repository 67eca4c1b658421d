// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/view_state.h"

#include <qcustomplot.h>

namespace kuvio::app {

/// Room to the left and right of every lane, so that lanes, overview and fan share one time axis.
inline constexpr int kLaneLeft = 84, kLaneRight = 16;

/// Paints one frame of a trace: an envelope where many samples share a pixel, lines or steps where
/// few do. Paints pixels, not samples; a frame that is not there yet is stood in for by the last
/// one, stretched to the view.
class TracePlottable : public QCPAbstractPlottable {
  Q_OBJECT
public:
  TracePlottable(QCPAxis* time, QCPAxis* value);
  void setFrame(FramePtr frame) { frame_ = std::move(frame); }
  const FramePtr& frame() const { return frame_; }

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
};

/// The lane of the current. Wheel zooms time at the pointer, Shift+wheel pans, Ctrl+wheel zooms the
/// value axis; drag marks a span, whose ends are handles; middle drag pans; click picks a visit,
/// double-click zooms to it.
class TraceLane : public QCustomPlot {
  Q_OBJECT
public:
  TraceLane(ViewState& view, Session& session, QWidget* parent = nullptr);

  bool logarithmic() const { return logarithmic_; }
  void setLogarithmic(bool on);
  /// Fits the value axis to what the capture holds.
  void fitValues();
  void setInk(const QColor& ink);
  void applyTheme();
  QCPRange valueRange() const { return yAxis->range(); }
  /// Horizontal pixel of a moment.
  double pixelOf(double t) const { return xAxis->coordToPixel(t); }
  double timeAt(double pixel) const { return xAxis->pixelToCoord(pixel); }

signals:
  void framePainted();

protected:
  void wheelEvent(QWheelEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void leaveEvent(QEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

private:
  enum class Drag { none, span, left_end, right_end, pan };
  void rangeChanged();
  void updateTicks();
  void updateMarks();
  void askFrame();
  void takeFrame(const FramePtr& frame);
  Drag handleAt(double pixel) const;

  ViewState& view_;
  Session& session_;
  TracePlottable* trace_;
  QCPItemRect* span_;
  QCPItemRect* visit_;
  QCPItemText* caption_;
  QCPItemStraightLine* pointer_;
  QCPItemStraightLine* ends_[2];
  bool logarithmic_ = true;
  Drag drag_ = Drag::none;
  QPointF pressed_;
  double pressed_time_ = 0, pan_from_ = 0, pan_to_ = 0;
};

}  // namespace kuvio::app
