// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/live_channels_view.h"

#include "app/engine/text.h"
#include "app/style/theme.h"
#include "core/number_text.h"

#include <QPainter>

#include <algorithm>
#include <cmath>
#include <utility>

namespace kuvio::app {
namespace {

constexpr int kRow = 19, kHead = 18, kMost = 9;

QString figure(double value, const std::string& unit) {
  return std::isfinite(value) ? qs(with_prefix(value, unit, 4)) : QStringLiteral("–");
}

}  // namespace

LiveChannelsView::LiveChannelsView(const BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("liveChannels"));
  setAccessibleName(tr("Readings of all channels"));
  setMinimumHeight(kHead + 3 * kRow);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

QSize LiveChannelsView::sizeHint() const {
  return {240, kHead + std::clamp(shown_, 3, kMost) * kRow};
}

void LiveChannelsView::refresh() {
  const int now = static_cast<int>(rows().size());
  if (std::exchange(shown_, now) != now) updateGeometry();
  update();
}

QList<QStringList> LiveChannelsView::rows() const {
  QList<QStringList> out;
  const acquire::LiveChannel *current = nullptr, *voltage = nullptr;
  for (const acquire::LiveChannel& c : bench_.state().channels) {
    if (c.quantity == Quantity::logic) continue;
    if (c.quantity == Quantity::current && !current) current = &c;
    if (c.quantity == Quantity::voltage && !voltage) voltage = &c;
    out.append({qs(c.name),
                (c.out_of_range == Flag::over_range    ? QStringLiteral("≥ ")
                 : c.out_of_range == Flag::below_range ? QStringLiteral("≤ ")
                                                       : QString()) +
                    figure(c.last, c.unit),
                figure(c.min, c.unit), figure(c.max, c.unit)});
  }
  if (current && voltage)
    out.append({tr("P = V·I"), figure(current->last * voltage->last, "W"), QString(), QString()});
  return out;
}

void LiveChannelsView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  const QList<QStringList> all = rows();
  if (all.size() < 2) return;  // the big figures say it
  const double width = this->width();
  const double edge[] = {0, width * 0.30, width * 0.54, width * 0.77, width};
  painter.setFont(Theme::baseFont(11));
  painter.setPen(t.muted());
  const QString heads[] = {tr("channel"), tr("now"), tr("min"), tr("max")};
  for (int c = 0; c < 4; ++c) {
    painter.drawText(QRectF(edge[c], 0, edge[c + 1] - edge[c] - 6, kHead),
                     (c == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter, heads[c]);
  }
  painter.setFont(Theme::baseFont(13));
  for (int r = 0; r < all.size() && r < kMost; ++r) {
    const double y = kHead + r * kRow;
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(0, y, width, y));
    for (int c = 0; c < 4; ++c) {
      painter.setPen(c < 2 ? t.text() : t.muted());
      const QRectF box(edge[c], y, edge[c + 1] - edge[c] - 6, kRow);
      const QString text = painter.fontMetrics().elidedText(all[r][c], Qt::ElideRight,
                                                            static_cast<int>(box.width()));
      painter.drawText(box, (c == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter, text);
    }
  }
}

}  // namespace kuvio::app
