// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/bridge_view.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
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
constexpr int kTitle = 16;  // characters of a build under its bar
/// A step in the axis's own prefix, as in "+34.1".
QString step_text(double step, double top) {
  const double scale = std::pow(1000.0, std::floor(std::log10(std::max(top, 1e-15)) / 3));
  const double v = step / scale;
  if (std::fabs(v) < 0.005) return QStringLiteral("0");
  return (v > 0 ? QStringLiteral("+") : QStringLiteral("−")) +
         (std::fabs(v) < 1 ? QString::number(std::fabs(v), 'f', 2)
                           : QString::number(std::fabs(v), 'g', 3));
}
constexpr double kLeft = 66, kRight = 10, kTop = 20, kFoot = 26;
}  // namespace

BridgeView::BridgeView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("bridge"));
  setAccessibleName(tr("Bridge of the mean current"));
  setAccessibleDescription(
      tr("From the reference's mean current to the candidate's, one step per state."));
  setFocusPolicy(Qt::StrongFocus);
  setMinimumSize(320, 190);
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
  double top = 0, foot = 0;
  for (const Step& s : all) {
    top = std::max({top, s.from, s.to});
    foot = std::min({foot, s.from, s.to});
  }
  top = top > 0 ? top * 1.12 : 1e-9;
  const QRectF box = plot();
  const auto y = [&](double v) { return box.bottom() - (v - foot) / (top - foot) * box.height(); };
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick :
       value_ticks(foot, top, std::max(2, static_cast<int>(box.height() / 44)), "A")) {
    painter.setPen(QPen(tick.at == 0 ? t.border() : t.ruling(), 1));
    painter.drawLine(QLineF(box.left(), y(tick.at), box.right(), y(tick.at)));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y(tick.at) - 8, kLeft - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                     qs(tick.label));
  }
  const double pitch = box.width() / static_cast<double>(all.size());
  painter.setRenderHint(QPainter::Antialiasing);
  for (std::size_t i = 0; i < all.size(); ++i) {
    const Step& s = all[i];
    const double x = box.left() + pitch * static_cast<double>(i), w = pitch * 0.72;
    const QRectF bar(x + (pitch - w) / 2, std::min(y(s.from), y(s.to)), w,
                     std::max(1.5, std::fabs(y(s.from) - y(s.to))));
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
    painter.setPen(t.text());
    painter.setFont(Theme::baseFont(11, s.total ? QFont::DemiBold : QFont::Normal));
    const QString text = s.total ? qs(with_prefix(s.to, "A", 3)) : step_text(s.to - s.from, top);
    painter.drawText(QRectF(x - 12, bar.top() - 17, pitch + 24, 16), Qt::AlignCenter, text);
    painter.drawText(QRectF(x, box.bottom() + 5, pitch, 18), Qt::AlignCenter,
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
