// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/paper_scale.h"
#include "app/engine/bench_control.h"
#include "app/style/pixels.h"

#include <QWidget>

#include <optional>
#include <string>

namespace kuvio::app {

/// The live graph paper: what the bench reads, recording or not, the pen at the right edge and the
/// present value in large figures beside it. One channel is large; up to three stand as strips
/// under it, the others are brought up by Page Up and Page Down.
class PaperView : public QWidget {
  Q_OBJECT
public:
  explicit PaperView(const BenchControl& bench, QWidget* parent = nullptr);

  /// Takes in what is read now.
  void refresh();
  /// How much is shown (device seconds): 10 s to 10 min, times what the bench runs faster.
  void setSpan(double seconds);
  double span() const { return span_s_; }
  /// The large figures are the mean of so long a window; 0: the last reading.
  void setWindow(double seconds);
  double window() const { return window_s_; }
  void showNext(int step);
  std::string channel() const;
  /// The level at which the output trips or limits (A).
  void setLimit(std::optional<double> amperes, bool trips);
  /// The figures of a span that was marked, in words; "" when none is.
  QString spanText() const;
  void clearSpan();

  /// What stands in the column: the figures, and what they are. For tests and screen readers.
  QString figures() const;
  bool isRead(const std::string& channel) const;
  QString settledText() const;
  /// "min 2.88 µA", … as they stand at the axis, top first, those written as one in one.
  QStringList ticksText() const;
  /// The channels that stand as strips, and how many more there are.
  QStringList strips() const;

  QSize sizeHint() const override { return {700, 300}; }
  QSize minimumSizeHint() const override { return {320, Px{110}}; }

signals:
  void limitProposed(double amperes);
  void spanChanged();
  /// The time axis was clicked: its notation changes.
  void timesClicked();

protected:
  void paintEvent(QPaintEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  static constexpr Px kAxis{64}, kColumn{158}, kFoot{20}, kStrip{44};  // px
  PaperScale scaleFor(const std::string& channel) const;
  const LiveHistory::Channel* shown() const;
  int stripCount() const;
  QRectF plot() const;
  QRectF column() const;
  QRectF strip(int i) const;
  double timeAt(double x) const;
  double xOf(double t, const QRectF& box) const;
  double from() const { return bench_.history().now_s() - span_s_; }
  struct AxisMark {
    double y = 0;
    QString text;
  };
  QList<AxisMark> axisMarks() const;
  std::optional<double> limitY() const;
  bool nearLimit(const QPointF& at) const;
  void paintRuling(QPainter& painter, const QRectF& box, const PaperScale& scale,
                   const std::string& unit) const;
  void paintInk(QPainter& painter, const QRectF& box, const PaperScale& scale,
                const LiveHistory::Channel& channel, std::size_t ink) const;
  void paintColumn(QPainter& painter) const;
  void paintLimit(QPainter& painter) const;
  void paintStrips(QPainter& painter) const;
  void paintSpan(QPainter& painter) const;

  const BenchControl& bench_;
  double span_s_ = 60, window_s_ = 0, scale_ = 1;
  std::size_t large_ = 0;
  std::optional<double> limit_, proposed_;  // A
  bool trips_ = true;
  std::optional<std::pair<double, double>> marked_;  // device seconds
  enum class Drag { none, span, limit } drag_ = Drag::none;
};

}  // namespace kuvio::app
