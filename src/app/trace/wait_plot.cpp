// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/wait_plot.h"

#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr PxF kFoot{22}, kTop{20}, kSide{26}, kDot{3};
}  // namespace

WaitPlot::WaitPlot(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("waitPlot"));
  setAccessibleName(tr("How long it was waited for"));
  setMinimumSize(Px{180}, Px{84});
}

void WaitPlot::setLatency(const Latency& latency) {
  latency_ = latency;
  picked_ = -1;
  low_ = latency.shortest_s;
  high_ = latency.longest_s;
  ratio_ = low_ > 0 && high_ > 20 * low_;
  if (ratio_) {
    low_ /= 1.2;
    high_ *= 1.2;
  } else {
    const double room = high_ > low_ ? 0.06 * (high_ - low_) : std::max(1e-6, high_ / 10);
    low_ -= room;
    high_ += room;
  }
  update();
}

void WaitPlot::setPicked(int wait) {
  picked_ = wait;
  update();
}

QRectF WaitPlot::box() const { return QRectF(rect()).adjusted(kSide, kTop, -kSide, -kFoot); }

double WaitPlot::share(double seconds) const {
  return ratio_ ? std::log(seconds / low_) / std::log(high_ / low_)
                : (seconds - low_) / (high_ - low_);
}

std::vector<StackedDot> WaitPlot::dots() const {
  std::vector<std::pair<double, int>> items;
  for (std::size_t i = 0; i < latency_.waits.size(); ++i)
    items.emplace_back(share(latency_.waits[i].length_s()), static_cast<int>(i));
  return stack_dots(items, box(), kDot);
}

std::optional<QPointF> WaitPlot::dotOf(int wait) const {
  for (const StackedDot& d : dots()) {
    if (d.item == wait) return d.at;
  }
  return std::nullopt;
}

void WaitPlot::mousePressEvent(QMouseEvent* event) {
  const int wait = dot_at(dots(), event->position());
  if (event->button() == Qt::LeftButton && wait >= 0) emit picked(wait);
}

void WaitPlot::paintEvent(QPaintEvent* /*event*/) {
  if (latency_.waits.empty()) return;
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setFont(Theme::baseFont(11));
  const Theme& t = Theme::current();
  const QRectF area = box();
  const auto x = [&](double seconds) { return area.left() + share(seconds) * area.width(); };
  painter.setPen(QPen(t.muted(), 1));
  painter.drawLine(QLineF(area.left(), area.bottom(), area.right(), area.bottom()));
  const std::vector<Tick> ticks =
      ratio_ ? log_ticks(low_, high_, area.width(), 60, "s")
             : value_ticks(low_, high_, std::max(2, static_cast<int>(area.width() / 70)), "s");
  for (const Tick& tick : ticks) {
    if (!tick.major && !ratio_) continue;
    painter.drawLine(QLineF(x(tick.at), area.bottom(), x(tick.at), area.bottom() + 3));
    if (!tick.label.empty())
      painter.drawText(QRectF(x(tick.at) - PxF{40}, area.bottom() + 3, PxF{80}, kFoot - 3),
                       Qt::AlignCenter, qs(tick.label));
  }
  const auto mark = [&](double seconds, const QString& text, Qt::Alignment side) {
    painter.setPen(QPen(t.muted(), 1, Qt::DashLine));
    painter.drawLine(QLineF(x(seconds), area.top(), x(seconds), area.bottom()));
    painter.setPen(t.muted());
    const double left = side & Qt::AlignRight ? x(seconds) - PxF{104} : x(seconds) + PxF{4};
    painter.drawText(QRectF(left, 0, PxF{100}, kTop), side | Qt::AlignVCenter, text);
  };
  mark(latency_.median_s, tr("median"), Qt::AlignRight);
  if (latency_.waits.size() >= 10 && latency_.p90_s > latency_.median_s)
    mark(latency_.p90_s, tr("nine of ten"), Qt::AlignLeft);
  for (const StackedDot& d : dots()) {
    painter.setPen(QPen(t.text(), d.item == picked_ ? 1.6 : 0.6));
    painter.setBrush(d.item == picked_ ? QBrush(t.accent()) : QBrush(t.muted()));
    const double size = d.item == picked_ ? kDot + 2 : kDot;
    painter.drawEllipse(d.at, size, size);
  }
}

}  // namespace kuvio::app
