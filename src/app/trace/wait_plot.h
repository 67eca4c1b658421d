// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/trace/dot_stack.h"
#include "core/latency.h"

#include <QWidget>

#include <optional>

namespace kuvio::app {

/// How long a state was waited for, each time a dot: how the waits are spread, with their median
/// and what nine of ten stay under. On a scale of ratios where they lie decades apart. A click
/// picks one.
class WaitPlot : public QWidget {
  Q_OBJECT
public:
  explicit WaitPlot(QWidget* parent);
  void setLatency(const Latency& latency);
  void setPicked(int wait);
  /// Where a wait's dot is painted; nothing of one that has none.
  std::optional<QPointF> dotOf(int wait) const;
  bool isByRatio() const { return ratio_; }

signals:
  void picked(int wait);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;

private:
  QRectF box() const;
  double share(double seconds) const;
  std::vector<StackedDot> dots() const;

  Latency latency_;
  double low_ = 0, high_ = 1;  // of the axis (s)
  bool ratio_ = false;
  int picked_ = -1;
};

}  // namespace kuvio::app
