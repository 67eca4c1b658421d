// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/level_view.h"

#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "core/number_text.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr PxF kFoot{18}, kSide{10};
}

LevelView::LevelView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("levels"));
  setAccessibleName(tr("Time by level"));
  setAccessibleDescription(
      tr("How long the current stayed at each level, with the recipe's thresholds."));
  setMouseTracking(true);
  setMinimumHeight(Px{92});
}

void LevelView::setHistogram(LevelHistogramPtr histogram) {
  histogram_ = std::move(histogram);
  update();
}

void LevelView::setRules(const std::vector<StateRule>& rules, const Fills& fills) {
  rules_ = rules;
  fills_ = fills;
  update();
}

double LevelView::pixelOf(double level) const {
  if (!histogram_) return 0;
  return kSide + std::log(level / histogram_->low) / std::log(histogram_->high / histogram_->low) *
                     (width() - 2 * kSide);
}

double LevelView::levelAt(double x) const {
  const double share = std::clamp((x - kSide) / std::max(1.0, width() - 2 * kSide), 0.0, 1.0);
  return histogram_->low * std::pow(histogram_->high / histogram_->low, share);
}

std::vector<LevelView::Handle> LevelView::handles() const {
  std::vector<Handle> out;
  for (std::size_t i = 0; i < rules_.size(); ++i) {
    const Band& b = rules_[i].level;
    if (std::isfinite(b.low) && b.low > 0) out.push_back({static_cast<int>(i), false, b.low});
    if (std::isfinite(b.high) && b.high > 0) out.push_back({static_cast<int>(i), true, b.high});
  }
  return out;
}

const LevelView::Handle* LevelView::handleAt(double x, std::vector<Handle>& all) const {
  const Handle* best = nullptr;
  for (const Handle& h : all) {
    const double off = std::fabs(pixelOf(h.level) - x);
    if (off <= 5 && (!best || off < std::fabs(pixelOf(best->level) - x))) best = &h;
  }
  return best;
}

void LevelView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!histogram_ || histogram_->share.empty()) return;
  const double foot = height() - kFoot, room = foot - 6;
  // The state that a level would enter, first in the recipe's order.
  const auto fill_of = [&](double level) -> QBrush {
    for (const StateRule& rule : rules_) {
      if (rule.enters(level)) return t.fill(rule.name, fills_);
    }
    return t.fill(kUnassigned, fills_);
  };
  double most = 0;
  for (const double s : histogram_->share) most = std::max(most, s);
  const auto bins = static_cast<double>(histogram_->share.size());
  const double pitch = (width() - 2 * kSide) / bins;
  for (std::size_t i = 0; i < histogram_->share.size(); ++i) {
    const double s = histogram_->share[i];
    if (!(s > 0)) continue;
    // Four decades of share fit: a rare burst stands beside a long sleep.
    const double h = std::max(2.0, (1 + std::log10(s / most) / 5) * room);
    const double level = histogram_->low * std::pow(histogram_->high / histogram_->low,
                                                    (static_cast<double>(i) + 0.5) / bins);
    const QRectF bar(kSide + static_cast<double>(i) * pitch, foot - h, std::max(1.0, pitch), h);
    painter.fillRect(bar, fill_of(level));
    painter.setPen(QPen(t.border(), 0.8));
    painter.drawLine(bar.topLeft(), bar.topRight());
  }
  painter.setPen(QPen(t.rulingTenth(), 1));
  painter.drawLine(QLineF(kSide, foot, width() - kSide, foot));
  painter.setFont(Theme::baseFont(10));
  painter.setPen(t.muted());
  const int first = static_cast<int>(std::ceil(std::log10(histogram_->low)));
  for (int e = first; std::pow(10.0, e) <= histogram_->high; ++e) {
    const double x = pixelOf(std::pow(10.0, e));
    painter.drawLine(QLineF(x, foot, x, foot + 3));
    if ((e - first) % 2 == 0)
      painter.drawText(QRectF(x - PxF{30}, foot + 3, PxF{60}, PxF{14}), Qt::AlignCenter,
                       QString::fromStdString(with_prefix(std::pow(10.0, e), "A", 1)));
  }
  painter.setRenderHint(QPainter::Antialiasing);
  for (const Handle& h : handles()) {
    const double x = pixelOf(h.level);
    const bool held = dragged_ && dragged_->rule == h.rule && dragged_->upper == h.upper;
    painter.setPen(QPen(held ? t.focus() : t.text(), held ? 2 : 1));
    painter.drawLine(QLineF(x, 2, x, foot));
  }
}

void LevelView::mousePressEvent(QMouseEvent* event) {
  if (!histogram_ || event->button() != Qt::LeftButton) return;
  auto all = handles();
  if (const Handle* h = handleAt(event->position().x(), all)) dragged_ = *h;
  update();
}

void LevelView::mouseMoveEvent(QMouseEvent* event) {
  if (!histogram_) return;
  if (dragged_) {
    emit edgeDragged(dragged_->rule, dragged_->upper, levelAt(event->position().x()), false);
    return;
  }
  auto all = handles();
  const Handle* h = handleAt(event->position().x(), all);
  setCursor(h ? Qt::SplitHCursor : Qt::ArrowCursor);
  setToolTip(h ? QStringLiteral("%1 %2 %3")
                     .arg(QString::fromStdString(rules_[static_cast<std::size_t>(h->rule)].name),
                          h->upper ? tr("below") : tr("above"),
                          QString::fromStdString(with_prefix(h->level, "A", 3)))
               : QString());
}

void LevelView::mouseReleaseEvent(QMouseEvent* event) {
  const auto was = std::exchange(dragged_, std::nullopt);
  if (was) emit edgeDragged(was->rule, was->upper, levelAt(event->position().x()), true);
  update();
}

}  // namespace kuvio::app
