// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/life_plots.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/theme.h"
#include "core/lifetime.h"
#include "core/number_text.h"
#include "core/time_units.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kLeft = 74, kRight = 20, kTop = 14, kFoot = 30;

/// Round lengths of time that an axis is labelled with.
constexpr double kRound[] = {1e-3,  1e-2, 0.1,      1,        2,         5,         10,   30,
                             60,    120,  300,      600,      1800,      3600,      7200, 21600,
                             43200, kDay, 2 * kDay, 7 * kDay, 30 * kDay, 91 * kDay, kYear};

QString interval_text(double s) {
  if (s >= kYear) return QObject::tr("%1 y").arg(s / kYear, 0, 'g', 3);
  if (s >= kDay) return QObject::tr("%1 d").arg(s / kDay, 0, 'g', 3);
  if (s >= 3600) return QObject::tr("%1 h").arg(s / 3600, 0, 'g', 3);
  if (s >= 60) return QObject::tr("%1 min").arg(s / 60, 0, 'g', 3);
  return qs(with_prefix(s, "s", 3));
}

}  // namespace

LifeCurve::LifeCurve(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("lifeCurve"));
  setAccessibleName(tr("Battery life against the interval of a round"));
  setMinimumSize(320, 180);
}

void LifeCurve::setView(LifeViewPtr view) {
  view_ = std::move(view);
  update();
}

namespace {

/// Where intervals (s, by their logarithm) and lives (s) lie in the curve's picture.
struct LifeScale {
  QRectF box;
  double low = 1, high = 1, most = 1;
  std::optional<double> captured;  ///< the capture's own interval of the activity

  double x(double s) const {
    return box.left() + std::log(s / low) / std::log(high / low) * box.width();
  }
  double y(double life) const { return box.bottom() - life / most * box.height(); }
};

LifeScale life_scale(const LifeView& view, const QRectF& box) {
  LifeScale out{box, view.curve.front().first, view.curve.back().first, 0, {}};
  // The capture's own interval of the same activity, where it has it.
  const Activity& shown = view.scenario.plan.activities[view.activity];
  for (const Activity& a : view.captured.plan.activities) {
    if (a.states == shown.states) out.captured = 1 / a.rate_hz;
  }
  if (out.captured) {
    out.low = std::min(out.low, *out.captured / 1.3);
    out.high = std::max(out.high, *out.captured * 1.3);
  }
  for (const auto& [s, life] : view.curve) out.most = std::max(out.most, life.value_or(0));
  if (view.as_captured.life) out.most = std::max(out.most, *view.as_captured.life);
  out.most = out.most > 0 ? out.most * 1.1 : 1;
  return out;
}

void paint_ruling(QPainter& painter, const LifeScale& at) {
  const Theme& t = Theme::current();
  painter.setFont(Theme::baseFont(11));
  const double unit = at.most > 1.5 * kYear ? kYear : at.most > 2 * kDay ? kDay : 3600;
  const double raw = at.most / unit / 4, decade = std::pow(10, std::floor(std::log10(raw)));
  const double step = (raw / decade < 1.5   ? 1
                       : raw / decade < 3.5 ? 2
                       : raw / decade < 7.5 ? 5
                                            : 10) *
                      decade;
  const QString unit_name = unit == kYear  ? QObject::tr("years")
                            : unit == kDay ? QObject::tr("days")
                                           : QObject::tr("hours");
  for (double v = 0; v * unit <= at.most; v += step) {
    const double y = at.y(v * unit);
    painter.setPen(QPen(v == 0 ? t.border() : t.ruling(), 1));
    painter.drawLine(QLineF(at.box.left(), y, at.box.right(), y));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y - 8, kLeft - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                     QStringLiteral("%1 %2").arg(v, 0, 'g', 3).arg(unit_name));
  }
  double last = -1e9;
  for (const double s : kRound) {
    if (s < at.low || s > at.high) continue;
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(at.x(s), at.box.top(), at.x(s), at.box.bottom()));
    if (at.x(s) - last < 52) continue;
    last = at.x(s);
    painter.setPen(t.muted());
    painter.drawText(QRectF(at.x(s) - 30, at.box.bottom() + 5, 60, 16), Qt::AlignCenter,
                     interval_text(s));
  }
}

/// A life by its name, at (s, life); `lift`: how far its name lies below it.
void paint_point(QPainter& painter, const LifeScale& scale, double s, double life,
                 const QString& name, bool filled, double lift) {
  const Theme& t = Theme::current();
  const QPointF at(scale.x(s), scale.y(life));
  painter.setPen(QPen(t.text(), 1.6));
  painter.setBrush(filled ? QBrush(t.text()) : QBrush(t.ground()));
  painter.drawEllipse(at, 4.5, 4.5);
  painter.setPen(t.text());
  const double wide = painter.fontMetrics().horizontalAdvance(name);
  const double left = at.x() + 10 + wide > scale.box.right() ? at.x() - 10 - wide : at.x() + 10;
  painter.drawText(
      QPointF(left, std::clamp(at.y() + lift, scale.box.top() + 12, scale.box.bottom() - 4)), name);
}

}  // namespace

void LifeCurve::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!view_ || view_->curve.size() < 2) {
    painter.setPen(t.muted());
    painter.drawText(rect(), Qt::AlignCenter, tr("No activity whose interval could be changed."));
    return;
  }
  const LifeScale scale =
      life_scale(*view_, QRectF(kLeft, kTop, width() - kLeft - kRight, height() - kTop - kFoot));
  paint_ruling(painter, scale);
  painter.setRenderHint(QPainter::Antialiasing);
  QPolygonF line;
  for (const auto& [s, life] : view_->curve) {
    if (life) line.append({scale.x(s), scale.y(*life)});
  }
  painter.setPen(QPen(t.ink(0), 2));
  painter.drawPolyline(line);
  if (view_->wanted_s && *view_->wanted_s < scale.most) {
    const double y = scale.y(*view_->wanted_s);
    painter.setPen(QPen(t.accent(), 1.2, Qt::DashLine));
    painter.drawLine(QLineF(scale.box.left(), y, scale.box.right(), y));
    painter.drawText(QRectF(scale.box.left() + 4, y - 18, 120, 16),
                     Qt::AlignLeft | Qt::AlignVCenter, tr("wanted"));
  }
  painter.setFont(Theme::baseFont(12, QFont::DemiBold));
  // The captured point lies off the curve where the capture's other rounds were others than the
  // scenario's.
  if (scale.captured && view_->as_captured.life) {
    paint_point(painter, scale, *scale.captured, *view_->as_captured.life, tr("as captured"), false,
                16);
  }
  const double here = 1 / view_->scenario.plan.activities[view_->activity].rate_hz;
  if (view_->as_scenario.life)
    paint_point(painter, scale, here, *view_->as_scenario.life, tr("scenario"), true, -10);
}

std::vector<CapacityPart> capacity_parts(const study::LifeFigures& life,
                                         const study::LifeBasis& basis) {
  std::vector<CapacityPart> out;
  const double whole = basis.battery.capacity_c;
  if (!life.life || !(whole > 0)) return out;
  double used = life.once_charge / whole;
  for (const Share& s : life.shares) {
    const double share = s.current * *life.life / whole;
    used += share;
    out.push_back({qs(s.state), share, s.state});
  }
  if (life.once_charge > 0) out.push_back({QObject::tr("once"), life.once_charge / whole, {}});
  const double usable = basis.battery.usable_c() / whole;
  const double harvest = basis.harvest_a * *life.life / whole;
  if (const double lost = usable - used + harvest; lost > 1e-4)
    out.push_back({QObject::tr("self-discharge"), lost, {}});
  if (usable < 1) out.push_back({QObject::tr("left unused"), 1 - usable, {}});
  return out;
}

CapacityBar::CapacityBar(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("capacity"));
  setAccessibleName(tr("Where the capacity goes"));
  setMinimumHeight(76);
}

void CapacityBar::setView(LifeViewPtr view) {
  view_ = std::move(view);
  parts_ =
      view_ ? capacity_parts(view_->as_scenario, view_->scenario) : std::vector<CapacityPart>();
  QStringList words;
  for (const CapacityPart& p : parts_) words << p.name + QLatin1Char(' ') + qs(percent(p.share));
  setAccessibleDescription(words.join(QStringLiteral(", ")));
  update();
}

void CapacityBar::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  double sum = 0;
  for (const CapacityPart& p : parts_) sum += p.share;
  if (!(sum > 0)) return;
  painter.setRenderHint(QPainter::Antialiasing, false);
  painter.setFont(Theme::baseFont(12));
  const QFontMetricsF metrics(painter.font());
  double x = 0, legend = 0;
  for (const CapacityPart& p : parts_) {
    const double w = p.share / sum * width();
    const QRectF box(x, 2, w, 30);
    if (!p.state.empty()) {
      painter.fillRect(box, t.fill(p.state, view_->fills));
    } else {
      painter.fillRect(box, t.ground());
      painter.fillRect(box, QBrush(t.border(), p.name == tr("self-discharge") ? Qt::Dense6Pattern
                                                                              : Qt::BDiagPattern));
    }
    painter.setPen(QPen(t.border(), 1));
    painter.drawRect(box);
    const QString text = p.name + QStringLiteral("  ") + qs(percent(p.share));
    painter.setPen(t.text());
    if (!p.state.empty() && metrics.horizontalAdvance(text) + 12 < w) {
      painter.drawText(box.adjusted(6, 0, -4, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
    } else if (p.share / sum > 0.004) {  // named below
      const double wide = metrics.horizontalAdvance(text) + 22;
      if (legend + wide < width()) {
        const QRectF swatch(legend, 46, 11, 11);
        painter.fillRect(swatch, p.state.empty() ? QBrush(t.border(), p.name == tr("self-discharge")
                                                                          ? Qt::Dense6Pattern
                                                                          : Qt::BDiagPattern)
                                                 : t.fill(p.state, view_->fills));
        painter.setPen(QPen(t.border(), 1));
        painter.drawRect(swatch);
        painter.setPen(t.muted());
        painter.drawText(QRectF(legend + 16, 42, wide, 20), Qt::AlignVCenter | Qt::AlignLeft, text);
        legend += wide + 12;
      }
    }
    x += w;
  }
}

bool CapacityBar::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    double sum = 0, x = 0;
    for (const CapacityPart& p : parts_) sum += p.share;
    for (const CapacityPart& p : parts_) {
      x += sum > 0 ? p.share / sum * width() : 0;
      if (help->pos().x() < x) {
        QToolTip::showText(help->globalPos(), p.name + QStringLiteral("  ") + qs(percent(p.share)));
        return true;
      }
    }
  }
  return QWidget::event(event);
}

}  // namespace kuvio::app
