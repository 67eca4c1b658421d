// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/bench_control.h"

#include <QWidget>

namespace kuvio::app {

/// What an output reads now, in big figures, with the last moments' least, mean and most, and the
/// way the current takes.
class ReadingsView : public QWidget {
  Q_OBJECT
public:
  explicit ReadingsView(const BenchControl& bench, QWidget* parent = nullptr);
  void setWindow(double seconds);
  QSize sizeHint() const override { return {420, 176}; }
  QString currentText() const;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  void paintStrip(QPainter& painter, const QRectF& box) const;
  const BenchControl& bench_;
  double window_s_ = 1;
};

}  // namespace kuvio::app
