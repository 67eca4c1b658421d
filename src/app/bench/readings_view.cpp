// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/readings_view.h"

#include "app/engine/text.h"
#include "app/style/theme.h"
#include "core/number_text.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
ReadingsView::ReadingsView(const BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("readings"));
  setAccessibleName(tr("Readings of the output"));
  setMinimumHeight(150);
}

void ReadingsView::setWindow(double seconds) {
  window_s_ = seconds;
  update();
}

QString ReadingsView::currentText() const {
  const auto& s = bench_.state();
  return s.current ? qs(with_prefix(*s.current, "A", 4)) : QStringLiteral("–");
}

void ReadingsView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  const BenchState& s = bench_.state();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setFont(Theme::baseFont(34, QFont::DemiBold));
  const bool live = s.phase == BenchState::Phase::ready || s.phase == BenchState::Phase::recording;
  painter.setPen(live && s.current ? t.text() : t.muted());
  const double half = width() * 0.56;
  painter.drawText(QRectF(0, 0, half, 44), Qt::AlignLeft | Qt::AlignVCenter,
                   live ? currentText() : QStringLiteral("–"));
  painter.setFont(Theme::baseFont(24, QFont::DemiBold));
  painter.drawText(QRectF(half, 4, width() - half, 40), Qt::AlignLeft | Qt::AlignVCenter,
                   live && s.voltage ? qs(with_prefix(*s.voltage, "V", 4)) : QStringLiteral("–"));
  painter.setFont(Theme::baseFont(12));
  painter.setPen(t.muted());
  const auto average = bench_.average(window_s_);
  painter.drawText(QRectF(0, 44, width(), 20), Qt::AlignLeft | Qt::AlignVCenter,
                   live && average ? tr("averaged: %1").arg(qs(with_prefix(*average, "A", 4)))
                                   : tr("averaged: –"));
  const double third = width() / 3.0;
  const std::pair<QString, double> figures[] = {
      {tr("min"), s.min}, {tr("mean"), s.mean}, {tr("max"), s.max}};
  for (int i = 0; i < 3; ++i) {
    painter.setPen(t.muted());
    painter.drawText(QRectF(i * third, 66, third, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     figures[i].first);
    painter.setPen(t.text());
    painter.drawText(
        QRectF(i * third, 82, third, 18), Qt::AlignLeft | Qt::AlignVCenter,
        live && s.current ? qs(with_prefix(figures[i].second, "A", 4)) : QStringLiteral("–"));
  }
  // While it is recorded, Trace shows the way the current takes.
  if (!bench_.recording()) paintStrip(painter, QRectF(0, 106, width() - 1, height() - 108));
}

/// The last ten seconds on a logarithmic scale.
void ReadingsView::paintStrip(QPainter& painter, const QRectF& box) const {
  const Theme& t = Theme::current();
  painter.setPen(QPen(t.rulingTenth(), 1));
  painter.setBrush(Qt::NoBrush);
  painter.drawRect(box);
  for (int i = 1; i < 10; ++i) {
    const double x = box.left() + box.width() * i / 10;
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(x, box.top(), x, box.bottom()));
  }
  const auto& readings = bench_.state().output.readings;
  painter.setPen(t.muted());
  painter.setFont(Theme::baseFont(11));
  if (readings.size() < 2) {
    painter.drawText(box, Qt::AlignCenter, tr("No reading yet"));
    return;
  }
  double lo = 1e-9, hi = 1e-6;
  bool any = false;
  for (const auto& r : readings) {
    const double v = std::max(std::fabs(r.current), 1e-9);
    lo = any ? std::min(lo, v) : v;
    hi = any ? std::max(hi, v) : v;
    any = true;
  }
  lo /= 2;
  hi *= 2;
  const double now = readings.back().at_s;
  QPolygonF line;
  for (const auto& r : readings) {
    const double v = std::clamp(std::fabs(r.current), lo, hi);
    line.append({box.right() - (now - r.at_s) / 10 * box.width(),
                 box.bottom() - std::log(v / lo) / std::log(hi / lo) * box.height()});
  }
  painter.setClipRect(box);
  painter.setPen(QPen(t.ink(0), 1.4));
  painter.drawPolyline(line);
}

}  // namespace kuvio::app
