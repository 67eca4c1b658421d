// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/work/view_state.h"

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

/// The level a logarithmic scale should reach down to: that of the quietest columns but the few (4
/// %) under them, so that a moment with the output off does not stretch the scale over decades of
/// noise. 0 when nothing is above zero.
double quietLevel(const std::vector<EnvelopeColumn>& columns);

/// Paints columns of an envelope on a logarithmic scale into a box.
void paintSketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                 const QColor& ink);

}  // namespace kuvio::app
