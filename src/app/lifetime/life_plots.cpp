// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/life_plots.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/theme.h"
#include "core/lifetime.h"
#include "core/number_text.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kLeft = 74, kRight = 20, kTop = 14, kFoot = 30;
constexpr double kDay = 86400, kYear = 365.25 * kDay;

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

void LifeCurve::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!view_ || view_->curve.size() < 2) {
    painter.setPen(t.muted());
    painter.drawText(rect(), Qt::AlignCenter, tr("No activity whose interval could be changed."));
    return;
  }
  double low = view_->curve.front().first, high = view_->curve.back().first, most = 0;
  const auto& activities = view_->scenario.plan.activities;
  const double here = 1 / activities[view_->activity].rate_hz;
  // The capture's own interval of the same activity, where it has it.
  std::optional<double> captured;
  for (const Activity& a : view_->captured.plan.activities) {
    if (a.states == activities[view_->activity].states) captured = 1 / a.rate_hz;
  }
  if (captured) {
    low = std::min(low, *captured / 1.3);
    high = std::max(high, *captured * 1.3);
  }
  for (const auto& [s, life] : view_->curve) most = std::max(most, life.value_or(0));
  if (view_->as_captured.life) most = std::max(most, *view_->as_captured.life);
  most = most > 0 ? most * 1.1 : 1;
  const QRectF box(kLeft, kTop, width() - kLeft - kRight, height() - kTop - kFoot);
  const auto x = [&](double s) {
    return box.left() + std::log(s / low) / std::log(high / low) * box.width();
  };
  const auto y = [&](double life) { return box.bottom() - life / most * box.height(); };
  painter.setFont(Theme::baseFont(11));
  const double unit = most > 1.5 * kYear ? kYear : most > 2 * kDay ? kDay : 3600;
  const double raw = most / unit / 4, decade = std::pow(10, std::floor(std::log10(raw)));
  const double step = (raw / decade < 1.5   ? 1
                       : raw / decade < 3.5 ? 2
                       : raw / decade < 7.5 ? 5
                                            : 10) *
                      decade;
  for (double v = 0; v * unit <= most; v += step) {
    painter.setPen(QPen(v == 0 ? t.border() : t.ruling(), 1));
    painter.drawLine(QLineF(box.left(), y(v * unit), box.right(), y(v * unit)));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y(v * unit) - 8, kLeft - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                     tr("%1 %2")
                         .arg(v, 0, 'g', 3)
                         .arg(unit == kYear  ? tr("years")
                              : unit == kDay ? tr("days")
                                             : tr("hours")));
  }
  double last = -1e9;
  for (const double s : kRound) {
    if (s < low || s > high) continue;
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(x(s), box.top(), x(s), box.bottom()));
    if (x(s) - last < 52) continue;
    last = x(s);
    painter.setPen(t.muted());
    painter.drawText(QRectF(x(s) - 30, box.bottom() + 5, 60, 16), Qt::AlignCenter,
                     interval_text(s));
  }
  painter.setRenderHint(QPainter::Antialiasing);
  QPolygonF line;
  for (const auto& [s, life] : view_->curve) {
    if (life) line.append({x(s), y(*life)});
  }
  painter.setPen(QPen(t.ink(0), 2));
  painter.drawPolyline(line);
  if (view_->wanted_s && *view_->wanted_s < most) {
    painter.setPen(QPen(t.accent(), 1.2, Qt::DashLine));
    painter.drawLine(QLineF(box.left(), y(*view_->wanted_s), box.right(), y(*view_->wanted_s)));
    painter.drawText(QRectF(box.left() + 4, y(*view_->wanted_s) - 18, 120, 16),
                     Qt::AlignLeft | Qt::AlignVCenter, tr("wanted"));
  }
  painter.setFont(Theme::baseFont(12, QFont::DemiBold));
  const auto point = [&](double s, double life, const QString& name, bool filled, double lift) {
    const QPointF at(x(s), y(life));
    painter.setPen(QPen(t.text(), 1.6));
    painter.setBrush(filled ? QBrush(t.text()) : QBrush(t.ground()));
    painter.drawEllipse(at, 4.5, 4.5);
    painter.setPen(t.text());
    const double wide = painter.fontMetrics().horizontalAdvance(name);
    const double left = at.x() + 10 + wide > box.right() ? at.x() - 10 - wide : at.x() + 10;
    painter.drawText(QPointF(left, std::clamp(at.y() + lift, box.top() + 12, box.bottom() - 4)),
                     name);
  };
  // The captured point lies off the curve where the capture's other rounds were others than the
  // scenario's.
  if (captured && view_->as_captured.life)
    point(*captured, *view_->as_captured.life, tr("as captured"), false, 16);
  if (view_->as_scenario.life) point(here, *view_->as_scenario.life, tr("scenario"), true, -10);
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
