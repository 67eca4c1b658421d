// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/level_view.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/trace/lanes.h"
#include "core/number_text.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr Px kLeast{96}, kAlone{132}, kMost{300};  // of the whole height
constexpr Px kLowLane{70};  // a lane that is lower leaves too little to be read
constexpr PxF kAxis{44}, kRight{10};
constexpr double kReach = 5;  // pixels to aim at
constexpr double kRow = 4;    // pixels that a bar is high
}  // namespace

LevelView::LevelView(const Lanes& lanes, QWidget* parent) : QWidget(parent), lanes_(lanes) {
  setObjectName(QStringLiteral("levels"));
  setAccessibleName(tr("Time by level"));
  setAccessibleDescription(
      tr("How long the current stayed at each level, with the recipe's thresholds."));
  setMouseTracking(true);
  setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
  connect(&lanes_, &Lanes::valuesChanged, this, [this] {
    updateGeometry();
    update();
  });
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

bool LevelView::beside() const {
  const QRect lane = lanes_.currentLane();
  if (lane.height() < kLowLane || !isVisible()) return false;
  const int top = lanes_.mapToGlobal(lane.topLeft()).y(),
            foot = lanes_.mapToGlobal(lane.bottomLeft()).y();
  const int own = mapToGlobal(QPoint(0, 0)).y();
  return top >= own - 8 && foot - own <= kMost;
}

int LevelView::wanted() const {
  if (!beside()) return kAlone;
  const int foot = mapFromGlobal(lanes_.mapToGlobal(lanes_.currentLane().bottomLeft())).y();
  return std::max<int>(kLeast, foot + 6);
}

LevelView::Room LevelView::room() const {
  if (!beside()) return {6, height() - 6.0};
  const double shift = mapFromGlobal(lanes_.mapToGlobal(QPoint(0, 0))).y();
  return {std::max(0.0, lanes_.currentLane().top() + shift), lanes_.currentLane().bottom() + shift};
}

double LevelView::pixelOf(double level) const {
  if (!histogram_) return 0;
  const Room r = room();
  if (beside()) {
    const double shift = mapFromGlobal(lanes_.mapToGlobal(QPoint(0, 0))).y();
    return std::clamp(lanes_.currentPixel(level).value_or(0) + shift, r.top, r.bottom);
  }
  const double share =
      std::log(level / histogram_->low) / std::log(histogram_->high / histogram_->low);
  return r.bottom - std::clamp(share, 0.0, 1.0) * (r.bottom - r.top);
}

double LevelView::levelAt(double y) const {
  const Room r = room();
  y = std::clamp(y, r.top, r.bottom);
  if (beside()) {
    const double shift = mapFromGlobal(lanes_.mapToGlobal(QPoint(0, 0))).y();
    return std::max(histogram_->low, lanes_.currentValue(y - shift).value_or(histogram_->low));
  }
  return histogram_->low * std::pow(histogram_->high / histogram_->low,
                                    (r.bottom - y) / std::max(1.0, r.bottom - r.top));
}

std::vector<LevelView::Handle> LevelView::handles() const {
  std::vector<Handle> out;
  for (std::size_t i = 0; i < rules_.size(); ++i) {
    if (rules_[i].elsewhere()) continue;
    const Band& b = rules_[i].level;
    if (std::isfinite(b.low) && b.low > 0) out.push_back({static_cast<int>(i), false, b.low});
    if (std::isfinite(b.high) && b.high > 0) out.push_back({static_cast<int>(i), true, b.high});
  }
  return out;
}

std::optional<LevelView::Handle> LevelView::handleAt(double y) const {
  std::optional<Handle> best;
  const Room r = room();
  for (const Handle& h : handles()) {
    const double at = pixelOf(h.level), off = std::fabs(at - y);
    if (at <= r.top || at >= r.bottom) continue;  // beyond what is shown
    if (off <= kReach && (!best || off < std::fabs(pixelOf(best->level) - y))) best = h;
  }
  return best;
}

/// The state that a level would enter, first in the recipe's order.
QBrush LevelView::fillOf(double level) const {
  for (const StateRule& rule : rules_) {
    if (rule.enters(level)) return Theme::current().fill(rule.name, fills_);
  }
  return Theme::current().fill(kUnassigned, fills_);
}

/// Names of the states in their bands, where there is room for one.
void LevelView::paintNames(QPainter& painter) const {
  const Theme& t = Theme::current();
  const Room r = room();
  painter.setFont(Theme::baseFont(10));
  painter.setPen(t.muted());
  for (const StateRule& rule : rules_) {
    if (!rule.by_level || rule.elsewhere()) continue;
    const double high = std::isfinite(rule.level.high) ? pixelOf(rule.level.high) : r.top;
    const double low = rule.level.low > 0 ? pixelOf(rule.level.low) : r.bottom;
    if (low - high < PxF{12}) continue;
    painter.drawText(QRectF(kAxis, high, width() - kAxis - kRight - 4, low - high),
                     Qt::AlignRight | Qt::AlignVCenter, qs(rule.name));
  }
}

/// Decades, where there is no lane beside it that has them.
void LevelView::paintAxis(QPainter& painter) const {
  const Theme& t = Theme::current();
  painter.setFont(Theme::baseFont(10));
  painter.setPen(t.muted());
  const int first = static_cast<int>(std::ceil(std::log10(histogram_->low) - 1e-9));
  double last = height() + 100.0;
  for (int e = first; std::pow(10.0, e) <= histogram_->high; ++e) {
    const double y = pixelOf(std::pow(10.0, e));
    painter.drawLine(QLineF(kAxis - 3, y, kAxis, y));
    if (last - y < PxF{22}) continue;
    painter.drawText(QRectF(0, y - PxF{8}, kAxis - 6, PxF{16}), Qt::AlignRight | Qt::AlignVCenter,
                     qs(with_prefix(std::pow(10.0, e), "A", 1)));
    last = y;
  }
}

/// Whether it stands beside the lane is known once it stands.
void LevelView::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  QMetaObject::invokeMethod(this, &QWidget::updateGeometry, Qt::QueuedConnection);
}

void LevelView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!histogram_ || histogram_->share.empty()) return;
  const Room r = room();
  const double left = beside() ? 4 : double(kAxis), right = width() - kRight;
  // Rows of a few pixels: in a low lane several bins share one.
  const auto rows = static_cast<std::size_t>(std::max(1.0, (r.bottom - r.top) / kRow));
  const double ratio = histogram_->high / histogram_->low;
  const auto bins = static_cast<double>(histogram_->share.size());
  std::vector<double> share(rows, 0.0);
  for (std::size_t i = 0; i < histogram_->share.size(); ++i) {
    const double level = histogram_->low * std::pow(ratio, (static_cast<double>(i) + 0.5) / bins);
    const double y = pixelOf(level);
    if (y <= r.top || y >= r.bottom) continue;
    share[std::min(rows - 1, static_cast<std::size_t>((r.bottom - y) / kRow))] +=
        histogram_->share[i];
  }
  const double most = *std::max_element(share.begin(), share.end());
  for (std::size_t i = 0; i < rows; ++i) {
    if (!(share[i] > 0)) continue;
    const double foot = r.bottom - static_cast<double>(i) * kRow;
    // Four decades of share fit: a rare burst stands beside a long sleep.
    const double w = std::max(2.0, (1 + std::log10(share[i] / most) / 5) * (right - left) * 0.7);
    const QRectF bar(left, foot - kRow, w, kRow);
    painter.fillRect(bar, fillOf(levelAt(foot - kRow / 2)));
    painter.setPen(QPen(t.border(), 0.8));
    painter.drawLine(bar.topRight(), bar.bottomRight());
  }
  painter.setPen(QPen(t.rulingTenth(), 1));
  painter.drawLine(QLineF(left, r.top, left, r.bottom));
  if (!beside()) paintAxis(painter);
  paintNames(painter);
  painter.setRenderHint(QPainter::Antialiasing);
  for (const Handle& h : handles()) {
    const double y = pixelOf(h.level);
    if (y <= r.top || y >= r.bottom) continue;
    const bool held = dragged_ && dragged_->rule == h.rule && dragged_->upper == h.upper;
    painter.setPen(QPen(held ? t.focus() : t.border(), held ? 1.5 : 1, Qt::DashLine));
    painter.drawLine(QLineF(beside() ? 0 : left, y, right, y));
  }
}

void LevelView::mousePressEvent(QMouseEvent* event) {
  if (!histogram_ || event->button() != Qt::LeftButton) return;
  dragged_ = handleAt(event->position().y());
  update();
}

void LevelView::mouseMoveEvent(QMouseEvent* event) {
  if (!histogram_) return;
  if (dragged_) {
    emit edgeDragged(dragged_->rule, dragged_->upper, levelAt(event->position().y()), false);
    return;
  }
  const auto h = handleAt(event->position().y());
  setCursor(h ? Qt::SplitVCursor : Qt::ArrowCursor);
  setToolTip(h ? QStringLiteral("%1 %2 %3")
                     .arg(qs(rules_[static_cast<std::size_t>(h->rule)].name),
                          h->upper ? tr("below") : tr("above"), qs(with_prefix(h->level, "A", 3)))
               : QString());
}

void LevelView::mouseReleaseEvent(QMouseEvent* event) {
  const auto was = std::exchange(dragged_, std::nullopt);
  if (was) emit edgeDragged(was->rule, was->upper, levelAt(event->position().y()), true);
  update();
}

}  // namespace kuvio::app
