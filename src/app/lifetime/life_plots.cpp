// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/life_plots.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/short_names.h"
#include "app/style/theme.h"
#include "core/lifetime.h"
#include "core/number_text.h"
#include "core/time_units.h"
#include "formats/phrases.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kReach = 11;  // pixels to a point that can be dragged
constexpr PxF kFigures{110};   // room for a life beside the picture
constexpr PxF kLeft{74}, kRight{20}, kTop{14}, kFoot{30};

/// Round lengths of time that an axis is labelled with.
constexpr double kRound[] = {1e-3,  1e-2, 0.1,      1,        2,         5,         10,   30,
                             60,    120,  300,      600,      1800,      3600,      7200, 21600,
                             43200, kDay, 2 * kDay, 7 * kDay, 30 * kDay, 91 * kDay, kYear};

QString interval_text(double s) {
  if (s >= kYear) return QObject::tr("%1 y").arg(s / kYear, 0, 'g', 3);
  if (s >= kDay) return QObject::tr("%1 d").arg(s / kDay, 0, 'g', 3);
  if (s >= 3600) return QObject::tr("%1 h").arg(s / 3600, 0, 'g', 3);
  if (s >= 60) return QObject::tr("%1 min").arg(s / 60, 0, 'g', 3);
  if (s >= 1) return QObject::tr("%1 s").arg(s, 0, 'g', 3);
  return qs(with_prefix(s, "s", 1));
}

}  // namespace

LifeCurve::LifeCurve(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("lifeCurve"));
  setAccessibleName(tr("Battery life against the interval of a round"));
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  setMinimumSize(Px{320}, Px{180});
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

/// Round lives up to the longest, and what they are counted in.
struct LifeSteps {
  double unit = 1, step = 1;
  QString name;
};
LifeSteps life_steps(const LifeScale& at) {
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
  return {unit, step, unit_name};
}

/// The same along the horizontal.
void paint_lives_ruling(QPainter& painter, const LifeScale& at) {
  const Theme& t = Theme::current();
  painter.setFont(Theme::baseFont(11));
  const auto [unit, step, unit_name] = life_steps(at);
  for (double v = 0; v * unit <= at.most; v += step) {
    const double x = at.box.left() + v * unit / at.most * at.box.width();
    painter.setPen(QPen(v == 0 ? t.border() : t.ruling(), 1));
    painter.drawLine(QLineF(x, at.box.top(), x, at.box.bottom()));
    painter.setPen(t.muted());
    painter.drawText(QRectF(x - PxF{40}, at.box.bottom() + 5, PxF{80}, PxF{16}), Qt::AlignCenter,
                     QStringLiteral("%1 %2").arg(v, 0, 'g', 3).arg(unit_name));
  }
}

void paint_ruling(QPainter& painter, const LifeScale& at) {
  const Theme& t = Theme::current();
  painter.setFont(Theme::baseFont(11));
  const auto [unit, step, unit_name] = life_steps(at);
  for (double v = 0; v * unit <= at.most; v += step) {
    const double y = at.y(v * unit);
    painter.setPen(QPen(v == 0 ? t.border() : t.ruling(), 1));
    painter.drawLine(QLineF(at.box.left(), y, at.box.right(), y));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y - PxF{8}, kLeft - PxF{8}, PxF{16}),
                     Qt::AlignRight | Qt::AlignVCenter,
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
    painter.drawText(QRectF(at.x(s) - PxF{30}, at.box.bottom() + 5, PxF{60}, PxF{16}),
                     Qt::AlignCenter, interval_text(s));
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
      QPointF(left, std::clamp(at.y() + lift, scale.box.top() + 12, scale.box.bottom() - 8)), name);
}

}  // namespace

QRectF LifeCurve::plot() const {
  return {kLeft, kTop, width() - kLeft - kRight, height() - kTop - kFoot};
}

std::optional<double> LifeCurve::lifeAt(double interval_s) const {
  for (std::size_t i = 1; view_ && i < view_->curve.size(); ++i) {
    const auto& [a, life_a] = view_->curve[i - 1];
    const auto& [b, life_b] = view_->curve[i];
    if (interval_s < a || interval_s > b || !life_a || !life_b) continue;
    const double share = std::log(interval_s / a) / std::log(b / a);
    return *life_a + share * (*life_b - *life_a);
  }
  return std::nullopt;
}

double LifeCurve::intervalAt(double x) const {
  const LifeScale scale = life_scale(*view_, plot());
  const double share = std::clamp((x - scale.box.left()) / scale.box.width(), 0.0, 1.0);
  const double raw = scale.low * std::pow(scale.high / scale.low, share);
  // Three digits are as fine as a hand is.
  const double grain = std::pow(10.0, std::floor(std::log10(raw)) - 2);
  return std::clamp(std::round(raw / grain) * grain, view_->curve.front().first,
                    view_->curve.back().first);
}

QPointF LifeCurve::pointOf(double interval_s) const {
  const auto life = lifeAt(interval_s);
  if (!life) return {-100, -100};
  const LifeScale scale = life_scale(*view_, plot());
  return {scale.x(interval_s), scale.y(*life)};
}

QPointF LifeCurve::scenarioPoint() const {
  if (!view_ || view_->curve.size() < 2 || !view_->as_scenario.life) return {-100, -100};
  const LifeScale scale = life_scale(*view_, plot());
  return {scale.x(1 / view_->scenario.plan.activities[view_->activity].rate_hz),
          scale.y(*view_->as_scenario.life)};
}

void LifeCurve::mousePressEvent(QMouseEvent* event) {
  const QPointF off = event->position() - scenarioPoint();
  if (event->button() != Qt::LeftButton || std::hypot(off.x(), off.y()) > kReach) return;
  setFocus(Qt::MouseFocusReason);
  dragged_ = 1 / view_->scenario.plan.activities[view_->activity].rate_hz;
  setCursor(Qt::ClosedHandCursor);
}

void LifeCurve::mouseMoveEvent(QMouseEvent* event) {
  if (!dragged_) {
    const QPointF off = event->position() - scenarioPoint();
    setCursor(std::hypot(off.x(), off.y()) <= kReach ? Qt::OpenHandCursor : Qt::ArrowCursor);
    return;
  }
  dragged_ = intervalAt(event->position().x());
  update();
}

void LifeCurve::mouseReleaseEvent(QMouseEvent*) {
  const auto to = std::exchange(dragged_, std::nullopt);
  setCursor(Qt::ArrowCursor);
  update();
  if (!to || !view_) return;
  const double was = 1 / view_->scenario.plan.activities[view_->activity].rate_hz;
  if (std::fabs(*to / was - 1) > 1e-3) emit intervalDragged(*to);
}

void LifeCurve::keyPressEvent(QKeyEvent* event) {
  if (event->key() != Qt::Key_Escape || !dragged_) return QWidget::keyPressEvent(event);
  dragged_.reset();  // what is in pencil goes
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
  const LifeScale scale = life_scale(*view_, plot());
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
    painter.drawText(QRectF(scale.box.left() + 4, y - PxF{18}, PxF{120}, PxF{16}),
                     Qt::AlignLeft | Qt::AlignVCenter, tr("wanted"));
  }
  painter.setFont(Theme::baseFont(12, QFont::DemiBold));
  // The captured point lies off the curve where the capture's other rounds were others than the
  // scenario's.
  const double interval = 1 / view_->scenario.plan.activities[view_->activity].rate_hz;
  const bool same =
      scale.captured && view_->as_captured.life && view_->as_scenario.life &&
      std::hypot(scale.x(interval) - scale.x(*scale.captured),
                 scale.y(*view_->as_scenario.life) - scale.y(*view_->as_captured.life)) < 12;
  if (scale.captured && view_->as_captured.life && !same) {
    paint_point(painter, scale, *scale.captured, *view_->as_captured.life, tr("as captured"), false,
                16);
  }
  if (view_->as_scenario.life)
    paint_point(painter, scale, interval, *view_->as_scenario.life,
                same ? tr("scenario, as captured") : tr("scenario"), true,
                18);  // the curve rises to the right
  if (!dragged_) return;
  const auto life = lifeAt(*dragged_);
  if (!life) return;
  QFont slanted = painter.font();
  slanted.setItalic(true);
  painter.setFont(slanted);
  paint_point(painter, scale, *dragged_, *life,
              tr("every %1: %2").arg(qs(duration(*dragged_)), qs(life_time(*life))), false, 20);
}

BuildLives::BuildLives(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("buildLives"));
  setAccessibleName(tr("Battery life of every build"));
  setMinimumSize(Px{320}, Px{180});
}

void BuildLives::setView(LifeViewPtr view, const std::string& reference,
                         const std::function<std::size_t(const std::string&)>& ink_of) {
  view_ = std::move(view);
  reference_ = reference;
  inks_.clear();
  QStringList words;
  for (const study::BuildLife& b : view_->builds) {
    inks_.push_back(ink_of(b.build));
    words << tr("%1 %2").arg(
        qs(b.build), b.figures.life ? qs(life_time(*b.figures.life)) : qs(b.figures.trouble));
  }
  setAccessibleDescription(words.join(QStringLiteral(", ")));
  update();
}

void BuildLives::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!view_ || view_->builds.empty()) return;
  const auto rows = static_cast<double>(view_->builds.size());
  const double name_width = std::min(170.0, width() * 0.3);
  const QRectF box(name_width, kTop, width() - name_width - kFigures, height() - kTop - kFoot);
  LifeScale scale{box, 1, 2, 0, {}};
  for (const study::BuildLife& b : view_->builds)
    scale.most = std::max({scale.most, b.figures.life.value_or(0), b.figures.high.value_or(0)});
  if (view_->wanted_s) scale.most = std::max(scale.most, *view_->wanted_s);
  scale.most = scale.most > 0 ? scale.most * 1.06 : 1;
  const auto x = [&](double life) { return box.left() + life / scale.most * box.width(); };
  paint_lives_ruling(painter, scale);
  painter.setRenderHint(QPainter::Antialiasing);
  if (view_->wanted_s) {
    painter.setPen(QPen(t.accent(), 1.2, Qt::DashLine));
    painter.drawLine(QLineF(x(*view_->wanted_s), box.top(), x(*view_->wanted_s), box.bottom()));
  }
  const double pitch = std::min(34.0, box.height() / rows);
  QStringList names;
  for (const study::BuildLife& b : view_->builds) names << qs(b.build);
  names = short_names(names, static_cast<int>(name_width / 7.5));
  for (std::size_t i = 0; i < view_->builds.size(); ++i) {
    const study::LifeFigures& f = view_->builds[i].figures;
    const double y = box.top() + pitch * (static_cast<double>(i) + 0.5);
    const QColor ink = t.ink(inks_[i]);
    painter.setFont(Theme::baseFont(pitch < 15 ? 9 : 12, QFont::DemiBold));
    painter.setPen(t.text());
    const QString tag = view_->builds[i].build == reference_ ? QStringLiteral("  R") : QString();
    painter.drawText(QRectF(0, y - pitch / 2, name_width - PxF{10}, pitch),
                     Qt::AlignVCenter | Qt::AlignRight, names[static_cast<qsizetype>(i)] + tag);
    painter.setFont(Theme::baseFont(pitch < 15 ? 9 : 12));
    if (!f.life) {
      painter.setPen(t.muted());
      painter.drawText(
          QRectF(box.left() + 6, y - pitch / 2, box.width() + kFigures - PxF{12}, pitch),
          Qt::AlignVCenter | Qt::AlignLeft,
          painter.fontMetrics().elidedText(qs(f.trouble), Qt::ElideRight,
                                           static_cast<int>(box.width())));
      continue;
    }
    painter.setPen(QPen(ink, 2));
    const double low = f.low.value_or(*f.life), high = f.high.value_or(scale.most);
    painter.drawLine(QLineF(x(low), y, x(std::min(high, scale.most)), y));
    for (const double end : {low, std::min(high, scale.most)})
      painter.drawLine(QLineF(x(end), y - 4, x(end), y + 4));
    painter.setBrush(ink);
    painter.drawEllipse(QPointF(x(*f.life), y), 4, 4);
    painter.setPen(t.text());
    painter.drawText(QRectF(box.right() + PxF{8}, y - pitch / 2, kFigures - PxF{8}, pitch),
                     Qt::AlignVCenter | Qt::AlignRight,
                     qs(formats::bounds_mark(f.interval.bounds) + life_time(*f.life)));
  }
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
  setMinimumHeight(Px{76});
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
    painter.setPen(p.state.empty() ? t.text() : t.on(t.fill(p.state, view_->fills)));
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
        painter.drawText(QRectF(legend + PxF{16}, PxF{42}, wide, PxF{20}),
                         Qt::AlignVCenter | Qt::AlignLeft, text);
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
