// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/typical_plot.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/short_names.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr PxF kLeft{66}, kRight{16}, kTop{28}, kFoot{26};
}  // namespace

TypicalPlot::TypicalPlot(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("typical"));
  setAccessibleName(tr("Typical visit"));
  setMinimumSize(Px{280}, Px{190});
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

namespace {

/// Where times (s) and currents (A) of a visit lie in the picture.
struct VisitScale {
  QRectF box;
  double least = 0, most = 0, longest = 0;

  double x(double s) const { return box.left() + s / longest * box.width(); }
  double y(double a) const { return box.bottom() - (a - least) / (most - least) * box.height(); }
};

void paint_ruling(QPainter& painter, const VisitScale& at) {
  const Theme& t = Theme::current();
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick :
       value_ticks(at.least, at.most, std::max(2, static_cast<int>(at.box.height() / 44)), "A")) {
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(at.box.left(), at.y(tick.at), at.box.right(), at.y(tick.at)));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, at.y(tick.at) - PxF{8}, kLeft - PxF{8}, PxF{16}),
                     Qt::AlignRight | Qt::AlignVCenter, qs(tick.label));
  }
  for (const Tick& tick :
       time_ticks(0, at.longest, std::max(2, static_cast<int>(at.box.width() / 90)))) {
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(at.x(tick.at), at.box.top(), at.x(tick.at), at.box.bottom()));
    painter.setPen(t.muted());
    painter.drawText(QRectF(at.x(tick.at) - PxF{40}, at.box.bottom() + 5, PxF{80}, PxF{16}),
                     Qt::AlignCenter, qs(tick.label));
  }
}

QPen mean_pen(const QColor& ink, bool reference) {
  return {ink, 1.8, reference ? Qt::SolidLine : Qt::DashLine};
}

/// The visit's mean with its band, in the build's ink.
void paint_visit(QPainter& painter, const VisitScale& at, const TypicalVisit& v, const QColor& ink,
                 bool reference) {
  if (v.steps.empty()) return;
  QPolygonF upper, lower, mean;
  for (std::size_t k = 0; k < v.steps.size(); ++k) {
    const double a = at.x(v.step_s * static_cast<double>(k)),
                 b = at.x(v.step_s * static_cast<double>(k + 1));
    for (const double edge : {a, b}) {
      upper.append({edge, at.y(v.steps[k].high)});
      lower.prepend({edge, at.y(v.steps[k].low)});
      mean.append({edge, at.y(v.steps[k].mean)});
    }
  }
  QColor wash = ink;
  wash.setAlphaF(0.16F);
  painter.setPen(Qt::NoPen);
  painter.setBrush(wash);
  painter.drawPolygon(upper + lower);
  mean.append({mean.last().x(), at.y(std::max(0.0, at.least))});
  painter.setPen(mean_pen(ink, reference));
  painter.setBrush(Qt::NoBrush);
  painter.drawPolyline(mean);
}

/// A build's name above the picture, after a piece of its line; where the next one begins.
double paint_name(QPainter& painter, double left, double room, const QString& build,
                  const QColor& ink, bool reference) {
  constexpr double kPiece = 22, kMiddle = 13;
  painter.setPen(mean_pen(ink, reference));
  painter.drawLine(QLineF(left, kMiddle, left + kPiece, kMiddle));
  painter.setFont(Theme::baseFont(12, QFont::DemiBold));
  const QFontMetricsF metrics(painter.font());
  const QString name = metrics.elidedText(build, Qt::ElideMiddle, room - kPiece - 24);
  const QRectF box(left + kPiece + 6, kMiddle - 9, metrics.horizontalAdvance(name) + 2, 18);
  painter.setPen(ink);
  painter.drawText(box, Qt::AlignLeft | Qt::AlignVCenter, name);
  return box.right() + 16;
}

}  // namespace

void TypicalPlot::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!view_) return;
  const TypicalVisit* visits[] = {&view_->reference_visit, &view_->candidate_visit};
  VisitScale at;
  at.box = QRectF(kLeft, kTop, width() - kLeft - kRight, height() - kTop - kFoot);
  for (const TypicalVisit* v : visits) {
    at.longest = std::max(at.longest, v->step_s * static_cast<double>(v->steps.size()));
    for (const TypicalStep& s : v->steps) {
      at.most = std::max({at.most, s.high, s.mean});
      at.least = std::min({at.least, s.low, s.mean});
    }
  }
  if (!(at.longest > 0) || !(at.most > at.least)) return;
  at.most += (at.most - at.least) * 0.08;
  at.longest *= 1.04;
  paint_ruling(painter, at);
  painter.setRenderHint(QPainter::Antialiasing);
  const QStringList builds = short_names({qs(view_->reference), qs(view_->candidate)});
  const QColor inks[] = {t.ink(reference_ink_), t.ink(candidate_ink_)};
  double left = at.box.left();
  for (int i = 0; i < 2; ++i) {
    paint_visit(painter, at, *visits[i], inks[i], i == 0);
    if (!visits[i]->steps.empty())
      left = paint_name(painter, left, at.box.width() / 2, builds[i], inks[i], i == 0);
  }
}

}  // namespace kuvio::app
