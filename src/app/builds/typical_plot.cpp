// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/typical_plot.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr double kLeft = 66, kRight = 16, kTop = 10, kFoot = 26;
}  // namespace

TypicalPlot::TypicalPlot(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("typical"));
  setAccessibleName(tr("Typical visit"));
  setMinimumSize(280, 190);
}

void TypicalPlot::setView(TypicalViewPtr view, std::size_t reference_ink,
                          std::size_t candidate_ink) {
  view_ = std::move(view);
  reference_ink_ = reference_ink;
  candidate_ink_ = candidate_ink;
  setAccessibleDescription(caption());
  update();
}

QString TypicalPlot::caption() const {
  if (!view_) return {};
  if (view_->reference_visit.visits == 0 && view_->candidate_visit.visits == 0)
    return tr("%1: no whole visit").arg(qs(view_->state));
  return tr("%1: mean of %2 and %3 visits, 10–90 % band")
      .arg(qs(view_->state))
      .arg(view_->reference_visit.visits)
      .arg(view_->candidate_visit.visits);
}

void TypicalPlot::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!view_) return;
  const TypicalVisit* visits[] = {&view_->reference_visit, &view_->candidate_visit};
  double most = 0, least = 0, longest = 0;
  for (const TypicalVisit* v : visits) {
    longest = std::max(longest, v->step_s * static_cast<double>(v->steps.size()));
    for (const TypicalStep& s : v->steps) {
      most = std::max({most, s.high, s.mean});
      least = std::min({least, s.low, s.mean});
    }
  }
  if (!(longest > 0) || !(most > least)) return;
  most += (most - least) * 0.08;
  longest *= 1.04;
  const QRectF box(kLeft, kTop, width() - kLeft - kRight, height() - kTop - kFoot);
  const auto x = [&](double s) { return box.left() + s / longest * box.width(); };
  const auto y = [&](double a) {
    return box.bottom() - (a - least) / (most - least) * box.height();
  };
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick :
       value_ticks(least, most, std::max(2, static_cast<int>(box.height() / 44)), "A")) {
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(box.left(), y(tick.at), box.right(), y(tick.at)));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y(tick.at) - 8, kLeft - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                     qs(tick.label));
  }
  for (const Tick& tick : time_ticks(0, longest, std::max(2, static_cast<int>(box.width() / 90)))) {
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(x(tick.at), box.top(), x(tick.at), box.bottom()));
    painter.setPen(t.muted());
    painter.drawText(QRectF(x(tick.at) - 40, box.bottom() + 5, 80, 16), Qt::AlignCenter,
                     qs(tick.label));
  }
  painter.setRenderHint(QPainter::Antialiasing);
  for (int i = 0; i < 2; ++i) {
    const TypicalVisit& v = *visits[i];
    if (v.steps.empty()) continue;
    const QColor ink = t.ink(i == 0 ? reference_ink_ : candidate_ink_);
    QPolygonF upper, lower, mean;
    for (std::size_t k = 0; k < v.steps.size(); ++k) {
      const double a = x(v.step_s * static_cast<double>(k)),
                   b = x(v.step_s * static_cast<double>(k + 1));
      for (const double at : {a, b}) {
        upper.append({at, y(v.steps[k].high)});
        lower.prepend({at, y(v.steps[k].low)});
        mean.append({at, y(v.steps[k].mean)});
      }
    }
    QColor wash = ink;
    wash.setAlphaF(0.16F);
    painter.setPen(Qt::NoPen);
    painter.setBrush(wash);
    painter.drawPolygon(upper + lower);
    mean.append({mean.last().x(), y(std::max(0.0, least))});
    painter.setPen(QPen(ink, 1.8, i == 0 ? Qt::SolidLine : Qt::DashLine));
    painter.setBrush(Qt::NoBrush);
    painter.drawPolyline(mean);
    // The build's name at its end, in its ink.
    painter.setFont(Theme::baseFont(12, QFont::DemiBold));
    const QString name = qs(i == 0 ? view_->reference : view_->candidate);
    const double wide = QFontMetricsF(painter.font()).horizontalAdvance(name);
    const double at = std::min(mean.last().x() - 6, box.right() - 2) - wide;
    // Under its line where there is room, else above it.
    const double level = y(v.steps[v.steps.size() / 2].mean);
    const double under = level + (i == 0 ? 18 : 34);
    painter.drawText(QPointF(std::max(box.left() + 4, at),
                             under < box.bottom() - 4 ? under : level - (i == 0 ? 8 : 22)),
                     name);
  }
}

}  // namespace kuvio::app
