// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/bridge_view.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/short_names.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"
#include "core/number_text.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr int kTitle = 16;         // characters of a build under its bar
constexpr double kCutBelow = 0.2;  // steps that take less of the axis are hard to see
/// "+34.1 µA", or without its unit where there is no room for that.
QString step_text(double step, double top, const QFontMetricsF& metrics, double room) {
  if (std::fabs(step) < 0.0005 * top) return QStringLiteral("0");
  const QString sign = step > 0 ? QStringLiteral("+") : QStringLiteral("−");
  const QString text = sign + qs(with_prefix(std::fabs(step), "A", 3));
  const auto unit = text.lastIndexOf(QChar(0x2009));
  return metrics.horizontalAdvance(text) <= room || unit < 0 ? text : text.left(unit);
}
constexpr PxF kLeft{66}, kRight{10}, kTop{20}, kFoot{26};
}  // namespace

BridgeAxis bridge_axis(double low, double high) {
  if (!(high > 0) || low < 0) return {std::min(low, 0.0), high > 0 ? high * 1.12 : 1e-9, false};
  const double range = high - low;
  if (!(range > 0) || range >= kCutBelow * high) return {0, high * 1.12, false};
  const double foot = low - range;
  return {foot, high + 0.25 * range, true};
}

BridgeView::BridgeView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("bridge"));
  setAccessibleName(tr("Bridge of the mean current"));
  setAccessibleDescription(
      tr("From the reference's mean current to the candidate's, one step per state."));
  setFocusPolicy(Qt::StrongFocus);
  setMinimumSize(Px{320}, Px{190});
}

void BridgeView::setView(BuildsViewPtr view, std::size_t reference_ink, std::size_t candidate_ink) {
  view_ = std::move(view);
  reference_ink_ = reference_ink;
  candidate_ink_ = candidate_ink;
  update();
}

void BridgeView::setPicked(const std::string& state) {
  picked_ = state;
  update();
}

std::vector<BridgeView::Step> BridgeView::steps() const {
  std::vector<Step> out;
  if (!view_ || !view_->comparison.reference_mean || !view_->comparison.candidate_mean) return out;
  double at = *view_->comparison.reference_mean;
  const QStringList builds = short_names({qs(view_->reference), qs(view_->candidate)}, kTitle);
  out.push_back({builds[0], {}, 0, at, true});
  for (const CompareRow& r : view_->comparison.rows) {
    if (r.bridge == 0) continue;
    out.push_back({qs(r.state), qs(r.state), at, at + r.bridge, false});
    at += r.bridge;
  }
  out.push_back({builds[1], {}, 0, *view_->comparison.candidate_mean, true});
  return out;
}

QRectF BridgeView::plot() const {
  return {kLeft, kTop, width() - kLeft - kRight, height() - kTop - kFoot};
}

void BridgeView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  const auto all = steps();
  if (all.empty()) return;
  double low = all.front().to, high = low;
  for (const Step& s : all) {
    low = std::min({low, s.to, s.total ? s.to : s.from});
    high = std::max({high, s.to, s.total ? s.to : s.from});
  }
  const BridgeAxis axis = bridge_axis(low, high);
  const double foot = axis.foot, top = axis.top;
  const bool cut = axis.cut;
  const QRectF box = plot();
  const auto y = [&](double v) { return box.bottom() - (v - foot) / (top - foot) * box.height(); };
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick :
       value_ticks(foot, top, std::max(2, static_cast<int>(box.height() / 44)), "A")) {
    painter.setPen(QPen(tick.at == 0 ? t.border() : t.ruling(), 1));
    painter.drawLine(QLineF(box.left(), y(tick.at), box.right(), y(tick.at)));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y(tick.at) - PxF{8}, kLeft - PxF{8}, PxF{16}),
                     Qt::AlignRight | Qt::AlignVCenter, qs(tick.label));
  }
  if (cut) {
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, box.bottom() + 5, kLeft - 2, PxF{18}), Qt::AlignCenter,
                     tr("axis cut"));
  }
  const double pitch = box.width() / static_cast<double>(all.size());
  painter.setRenderHint(QPainter::Antialiasing);
  for (std::size_t i = 0; i < all.size(); ++i) {
    const Step& s = all[i];
    const double x = box.left() + pitch * static_cast<double>(i), w = pitch * 0.72;
    const double from = s.total ? std::max(s.from, foot) : s.from;
    const QRectF bar(x + (pitch - w) / 2, std::min(y(from), y(s.to)), w,
                     std::max(1.5, std::fabs(y(from) - y(s.to))));
    if (i + 1 < all.size()) {  // the level is carried over to the next step
      painter.setPen(QPen(t.border(), 1));
      painter.drawLine(QLineF(bar.right(), y(s.to), bar.right() + pitch - w, y(s.to)));
    }
    if (s.total) {
      painter.setPen(Qt::NoPen);
      painter.setBrush(t.ink(i == 0 ? reference_ink_ : candidate_ink_));
    } else {
      const bool lit = s.state == qs(picked_) && !picked_.empty();
      painter.setPen(QPen(lit ? t.focus() : t.border(), lit ? 2 : 1));
      painter.setBrush(t.fill(s.state.toStdString(), view_->fills));
    }
    painter.drawRect(bar);
    if (s.total && cut) {  // what is below is cut away
      const double at = box.bottom() - 9;
      painter.setPen(QPen(t.ground(), 3));
      painter.drawLine(QLineF(bar.left() - 3, at + 3, bar.right() + 3, at - 3));
      painter.drawLine(QLineF(bar.left() - 3, at + 9, bar.right() + 3, at + 3));
    }
    painter.setPen(t.text());
    painter.setFont(Theme::baseFont(11, s.total ? QFont::DemiBold : QFont::Normal));
    const QString text =
        s.total ? qs(with_prefix(s.to, "A", 3))
                : step_text(s.to - s.from, top - foot, QFontMetricsF(painter.font()), pitch + 20);
    painter.drawText(QRectF(x - PxF{12}, bar.top() - PxF{17}, pitch + PxF{24}, PxF{16}),
                     Qt::AlignCenter, text);
    painter.drawText(QRectF(x, box.bottom() + 5, pitch, PxF{18}), Qt::AlignCenter,
                     QFontMetrics(painter.font())
                         .elidedText(s.name, Qt::ElideRight, static_cast<int>(pitch) - 4));
  }
  if (hasFocus()) {
    painter.setPen(QPen(t.focus(), 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 4, 4);
  }
}

void BridgeView::mousePressEvent(QMouseEvent* event) {
  const auto all = steps();
  const QRectF box = plot();
  const int i = static_cast<int>((event->position().x() - box.left()) / box.width() *
                                 static_cast<double>(all.size()));
  if (i > 0 && i + 1 < static_cast<int>(all.size()))
    emit picked(all[static_cast<std::size_t>(i)].state);
}

void BridgeView::keyPressEvent(QKeyEvent* event) {
  const int step = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
  const auto all = steps();
  if (step == 0 || all.size() < 3) return QWidget::keyPressEvent(event);
  int at = 0;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (!all[i].total && all[i].state == qs(picked_)) at = static_cast<int>(i);
  }
  at = std::clamp(at + step, 1, static_cast<int>(all.size()) - 2);
  emit picked(all[static_cast<std::size_t>(at)].state);
}

}  // namespace kuvio::app
