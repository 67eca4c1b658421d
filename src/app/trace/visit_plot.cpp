// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/visit_plot.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <set>
#include <utility>

namespace kuvio::app {
namespace {
constexpr PxF kFoot{22}, kTop{8}, kSide{14}, kLeft{66}, kDot{3};
}  // namespace

VisitPlot::VisitPlot(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("visitPlot"));
  setAccessibleName(tr("Charges of the visits"));
  setMinimumSize(Px{180}, Px{84});
}

void VisitPlot::setSurvey(const CaptureViewPtr& capture, const VisitSurvey& survey) {
  capture_ = capture;
  survey_ = survey;
  update();
}

void VisitPlot::setCounts(const VisitCounts& counts, const std::optional<LineFit>& line) {
  counts_ = counts;
  line_ = line;
  update();
}

void VisitPlot::clearCounts() {
  counts_.reset();
  line_.reset();
  update();
}

void VisitPlot::setPicked(int visit) {
  if (std::exchange(picked_, visit) != visit) update();
}

void VisitPlot::setUnit(ChargeUnit unit) {
  unit_ = unit;
  update();
}

QRectF VisitPlot::box() const {
  return QRectF(rect()).adjusted(counts_ ? kLeft : kSide, kTop, -kSide, -kFoot);
}

VisitPlot::Range VisitPlot::charges() const {
  if (counts_ && !counts_->points.empty()) {
    const auto [a, b] =
        std::minmax_element(counts_->points.begin(), counts_->points.end(),
                            [](const FitPoint& p, const FitPoint& q) { return p.y < q.y; });
    const double room = 0.08 * (b->y - a->y);
    return {a->y - room, b->y + room};
  }
  const UsualVisit* u = survey_.of(VisitMeasure::charge);
  return u ? Range{u->least, u->most} : Range{};
}

VisitPlot::Range VisitPlot::counted() const {
  if (!counts_ || counts_->points.empty()) return {};
  const auto [a, b] =
      std::minmax_element(counts_->points.begin(), counts_->points.end(),
                          [](const FitPoint& p, const FitPoint& q) { return p.x < q.x; });
  const double room = 0.05 * (b->x - a->x);
  return {a->x - room, b->x + room};
}

std::vector<StackedDot> VisitPlot::dots() const {
  if (!capture_) return {};
  const QRectF area = box();
  if (!counts_) {
    const Range range = charges();
    std::vector<std::pair<double, int>> whole;
    for (const std::size_t i : survey_.visits) {
      const VisitFigures& f = capture_->visits[i];
      if (f.visit.whole) whole.emplace_back(range.share(f.charge), static_cast<int>(i));
    }
    return stack_dots(whole, area, kDot);
  }
  const Range x = counted(), y = charges();
  std::vector<StackedDot> out;
  for (std::size_t i = 0; i < counts_->points.size(); ++i) {
    const FitPoint& p = counts_->points[i];
    out.push_back(
        {{area.left() + x.share(p.x) * area.width(), area.bottom() - y.share(p.y) * area.height()},
         static_cast<int>(counts_->visits[i])});
  }
  return out;
}

int VisitPlot::visitAt(const QPointF& place) const { return dot_at(dots(), place); }

std::optional<QPointF> VisitPlot::dotOf(int visit) const {
  for (const StackedDot& d : dots()) {
    if (d.item == visit) return d.at;
  }
  return std::nullopt;
}

void VisitPlot::mousePressEvent(QMouseEvent* event) {
  const int visit = visitAt(event->position());
  if (event->button() == Qt::LeftButton && visit >= 0) emit picked(visit);
}

void VisitPlot::paintSpread(QPainter& painter) const {
  const Theme& t = Theme::current();
  const UsualVisit* u = survey_.of(VisitMeasure::charge);
  if (!u) return;
  const QRectF area = box();
  const Range range = charges();
  const auto x = [&](double v) {
    return area.left() + std::clamp(range.share(v), 0.0, 1.0) * area.width();
  };
  // What is usual, where not all of them are.
  if (u->low > u->least || u->high < u->most)
    painter.fillRect(QRectF(QPointF(x(u->low), area.top()), QPointF(x(u->high), area.bottom())),
                     t.ruling());
  painter.setPen(QPen(t.muted(), 1));
  painter.drawLine(QLineF(area.left(), area.bottom(), area.right(), area.bottom()));
  painter.drawLine(QLineF(x(u->median), area.bottom(), x(u->median), area.bottom() + 4));
  painter.setFont(Theme::baseFont(11));
  const double volts = capture_->basis.voltage;
  const QRectF foot(area.left() - kSide, area.bottom() + 3, area.width() + 2 * kSide, kFoot - 3);
  const auto text = [&](double v) { return qs(charge_text(v, unit_, volts, 4)); };
  painter.drawText(foot, Qt::AlignLeft | Qt::AlignVCenter, text(u->least));
  if (u->most > u->least) painter.drawText(foot, Qt::AlignRight | Qt::AlignVCenter, text(u->most));
}

void VisitPlot::paintCost(QPainter& painter) const {
  const Theme& t = Theme::current();
  const QRectF area = box();
  const Range x = counted(), y = charges();
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick :
       value_ticks(y.least, y.most, std::max(2, static_cast<int>(area.height() / 34)), "C")) {
    const double at = area.bottom() - y.share(tick.at) * area.height();
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(area.left(), at, area.right(), at));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, at - PxF{8}, kLeft - PxF{6}, PxF{16}),
                     Qt::AlignRight | Qt::AlignVCenter, qs(tick.label));
  }
  for (const Tick& tick :
       value_ticks(x.least, x.most, std::max(2, static_cast<int>(area.width() / 60)), "")) {
    const double at = area.left() + x.share(tick.at) * area.width();
    painter.setPen(t.muted());
    painter.drawText(QRectF(at - PxF{30}, area.bottom() + 3, PxF{60}, kFoot - 3), Qt::AlignCenter,
                     QString::number(tick.at, 'g', 6));
  }
  painter.setPen(QPen(t.muted(), 1));
  painter.drawLine(QLineF(area.left(), area.bottom(), area.right(), area.bottom()));
  if (!line_) return;
  const auto at = [&](double v) {
    return QPointF(area.left() + x.share(v) * area.width(),
                   area.bottom() - y.share(line_->base + line_->slope * v) * area.height());
  };
  painter.save();
  painter.setClipRect(area);
  painter.setPen(QPen(t.muted(), 1.2, line_->straight() ? Qt::SolidLine : Qt::DashLine));
  painter.drawLine(QLineF(at(x.least), at(x.most)));
  painter.restore();
}

void VisitPlot::paintEvent(QPaintEvent* /*event*/) {
  if (!capture_) return;
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  if (counts_) {
    paintCost(painter);
  } else {
    paintSpread(painter);
  }
  const Theme& t = Theme::current();
  QBrush fill = t.fill(survey_.state, capture_->fills);
  std::set<std::pair<int, int>> painted;  // pixels: of a hundred thousand visits few are seen apart
  for (const StackedDot& d : dots()) {
    const bool odd = survey_.is_odd(static_cast<std::size_t>(d.item));
    const bool first = painted.emplace(qRound(d.at.x()), qRound(d.at.y())).second;
    if (!first && !odd && d.item != picked_) continue;
    painter.setPen(QPen(odd ? t.accent() : t.text(), d.item == picked_ ? 1.6 : 0.6));
    painter.setBrush(odd ? QBrush(t.accent()) : fill);
    const double size = d.item == picked_ ? kDot + 2 : kDot;
    painter.drawEllipse(d.at, size, size);
  }
}

}  // namespace kuvio::app
