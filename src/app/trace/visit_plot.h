// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/trace/dot_stack.h"
#include "core/line_fit.h"
#include "core/number_text.h"
#include "core/visit_counts.h"
#include "core/visit_survey.h"

#include <QWidget>

#include <optional>

namespace kuvio::app {

/// The visits to a state as dots: how their charges are spread, or their charge over what the log
/// counted in them, with the line through it. A click picks the visit.
class VisitPlot : public QWidget {
  Q_OBJECT
public:
  explicit VisitPlot(QWidget* parent);
  void setSurvey(const CaptureViewPtr& capture, const VisitSurvey& survey);
  /// Over what was counted; nothing: the spread.
  void setCounts(const VisitCounts& counts, const std::optional<LineFit>& line);
  void clearCounts();
  void setPicked(int visit);
  void setUnit(ChargeUnit unit);
  /// The visit whose dot is within reach of a place; -1 of none.
  int visitAt(const QPointF& place) const;
  /// Where a visit's dot is painted; nothing of one that has none.
  std::optional<QPointF> dotOf(int visit) const;

signals:
  void picked(int visit);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;

private:
  QRectF box() const;
  /// Of the axis of charges, and of what was counted.
  struct Range {
    double least = 0, most = 1;
    double share(double v) const { return most > least ? (v - least) / (most - least) : 0.5; }
  };
  Range charges() const;
  Range counted() const;
  std::vector<StackedDot> dots() const;
  void paintSpread(QPainter& painter) const;
  void paintCost(QPainter& painter) const;

  CaptureViewPtr capture_;
  VisitSurvey survey_;
  std::optional<VisitCounts> counts_;
  std::optional<LineFit> line_;
  ChargeUnit unit_ = ChargeUnit::coulomb;
  int picked_ = -1;
};

}  // namespace kuvio::app
