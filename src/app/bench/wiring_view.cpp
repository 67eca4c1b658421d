// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/wiring_view.h"

#include "app/engine/bench_control.h"
#include "app/engine/text.h"
#include "app/style/theme.h"
#include "core/number_text.h"

#include <QPainter>

#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kMuch = 0.05;  // part of the supply that a shunt may drop before it is pointed out

}  // namespace

WiringView::WiringView(const BenchControl& bench, QWidget* parent)
    : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("wiring"));
  setAccessibleName(tr("Wiring: output, shunt, device"));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void WiringView::setShunts(const std::map<std::string, double>& shunts) {
  shunts_ = shunts;
  update();
}

QList<WiringView::Part> WiringView::parts() const {
  const BenchState& s = bench_.state();
  QList<Part> out;
  const auto& set = s.output.set;
  if (!set.empty()) {
    const acquire::OutputState& o = set.front();
    QString figures = qs(with_prefix(o.voltage, "V", 3));
    if (o.current_limit > 0) figures += tr(" ≤ %1").arg(qs(with_prefix(o.current_limit, "A", 3)));
    out.append({set.size() > 1 && !o.name.empty() ? tr("output %1").arg(qs(o.name)) : tr("output"),
                figures});
  } else {
    out.append({tr("supply"), tr("external")});
  }
  for (const auto& [channel, ohms] : shunts_) {
    for (const acquire::LiveChannel& c : s.channels) {
      if (c.name != channel) continue;
      // What is watched may still be the drop itself.
      const double amperes = c.quantity == Quantity::voltage ? c.max / ohms : c.max;
      const double drop = std::fabs(amperes * ohms);
      const double supply = set.empty() ? 0 : set.front().voltage;
      out.append({tr("shunt %1").arg(qs(with_prefix(ohms, "Ω", 3))),
                  tr("%1 · %2").arg(qs(with_prefix(drop, "V", 3)),
                                    qs(with_prefix(amperes * amperes * ohms, "W", 3))),
                  supply > 0 && drop > kMuch * supply});
      break;
    }
  }
  QString device = s.voltage ? qs(with_prefix(*s.voltage, "V", 3)) : QString();
  if (s.current) {
    device += (device.isEmpty() ? QString() : QStringLiteral(" · ")) +
              qs(with_prefix(*s.current, "A", 3));
  }
  out.append({tr("device"), device.isEmpty() ? QStringLiteral("–") : device});
  return out;
}

void WiringView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& t = Theme::current();
  const QList<Part> all = parts();
  const double gap = 18, n = static_cast<double>(all.size());
  const double wide = (width() - 1 - gap * (n - 1)) / n, top = 2, high = height() - 4;
  for (qsizetype i = 0; i < all.size(); ++i) {
    const double x = static_cast<double>(i) * (wide + gap);
    const bool shunt = i > 0 && i + 1 < all.size();
    painter.setPen(QPen(t.border(), 1.2));
    if (i > 0) {
      painter.drawLine(QLineF(x - gap, top + high / 2, x, top + high / 2));
      painter.drawPolyline(QPolygonF(
          {{x - 5, top + high / 2 - 3}, {x, top + high / 2}, {x - 5, top + high / 2 + 3}}));
    }
    const QRectF box(x + 0.5, top + 0.5, wide - 1, high - 1);
    painter.setBrush(Qt::NoBrush);
    if (shunt) {
      painter.drawRoundedRect(box, 3, 3);
    } else {
      painter.drawRect(box);
    }
    const QRectF text = box.adjusted(8, 5, -6, -5);
    painter.setFont(Theme::baseFont(11));
    painter.setPen(t.muted());
    painter.drawText(text, Qt::AlignLeft | Qt::AlignTop, all[i].title);
    painter.setFont(Theme::baseFont(13, QFont::DemiBold));
    painter.setPen(all[i].warned ? t.accent() : t.text());
    painter.drawText(text, Qt::AlignLeft | Qt::AlignBottom,
                     painter.fontMetrics().elidedText(all[i].figures, Qt::ElideRight,
                                                      static_cast<int>(text.width())));
  }
}

}  // namespace kuvio::app
