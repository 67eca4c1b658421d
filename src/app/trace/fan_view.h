// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"
#include "app/style/pixels.h"
#include "core/fan.h"

#include <QWidget>

#include <optional>

namespace kuvio::app {

/// The fan: above the ribbon of states laid out by time, below the same visits by charge, each
/// visit's two stretches joined by a band in its state's fill. Pointing lights a visit, a click
/// picks it, a double-click zooms to it; an edge in the ribbon can be dragged.
class FanView : public QWidget {
  Q_OBJECT
public:
  FanView(ViewState& view, Session& session, QWidget* parent = nullptr);

  QSize sizeHint() const override { return {600, rows_.height()}; }
  /// The visit painted at a place, or ViewState::kNone.
  int visitAt(const QPointF& place) const;
  /// The moment (s) at a place in the ribbon, the one part of the fan where x is time.
  std::optional<double> momentAt(const QPointF& place) const;
  /// Where a visit is painted: in the ribbon, or in the bar of charge. Empty when it is not shown.
  QRectF ribbonRect(int visit) const;
  QRectF chargeRect(int visit) const;
  /// The visit whose beginning is the edge within reach of a place in the ribbon, or kNone.
  int edgeAt(const QPointF& place) const;
  /// The edges that travel with one, by the visits that begin at them: unassigned slivers beside it
  /// that are too narrow to aim at keep their length.
  std::pair<int, int> travelling(int edge) const;

signals:
  /// The edges at which these visits begin have been dragged together.
  void edgesMoved(int first, int last, double by_s);
  void menuWanted(const QPoint& global);

protected:
  void mouseReleaseEvent(QMouseEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void paintEvent(QPaintEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void leaveEvent(QEvent* event) override;

private:
  /// The names' rows grow with their text, the threads between them give way for it.
  struct Rows {
    double ribbon = 3, ribbon_end = ribbon + PxF{23};
    double charge = ribbon_end + 62 - 20 * (text_scale() - 1);
    double charge_end = charge + PxF{23};
    int height() const { return static_cast<int>(charge_end) + 5; }
  };
  double left() const;
  double span() const;
  const FanBand* band(int visit) const;
  QRectF ribbonRect(const FanBand& band) const;
  QRectF chargeRect(const FanBand& band) const;
  QPainterPath shape(const FanBand& band) const;
  void paintNames(QPainter& painter) const;
  void paintBands(QPainter& painter);
  void paintPicked(QPainter& painter) const;
  double timeAt(double x) const;

  ViewState& view_;
  Fan fan_;
  double fan_from_ = 0, fan_to_ = 0;
  int dragged_ = ViewState::kNone;  // the visit whose beginning is being dragged
  double dragged_to_ = 0;
  QPointF pressed_;
  Rows rows_;
};

}  // namespace kuvio::app
