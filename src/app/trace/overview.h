// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"

#include <QPixmap>
#include <QWidget>

namespace kuvio::app {

/// The whole capture in a strip, with the shown part framed. Drag the frame to pan; a click
/// elsewhere brings it there.
class Overview : public QWidget {
  Q_OBJECT
public:
  explicit Overview(ViewState& view, QWidget* parent = nullptr);
  QRectF frameRect() const;
  void applyTheme();

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

private:
  double timeAt(double x) const;
  void sketch();
  ViewState& view_;
  QPixmap picture_;  // of the whole capture: only the frame moves
  double grabbed_ = 0;
};

}  // namespace kuvio::app
