// SPDX-License-Identifier: GPL-3.0-or-later
// How the live paper is drawn; paper_view.cpp says what stands on it.

#include "app/bench/paper_view.h"
#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"
#include "core/number_text.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

QString figure(double value, const std::string& unit) { return qs(with_prefix(value, unit, 4)); }

}  // namespace

void PaperView::paintRuling(QPainter& painter, const QRectF& box, const PaperScale& scale,
                            const std::string& unit) const {
  const Theme& t = Theme::current();
  std::vector<Tick> ticks;
  switch (scale.kind) {
    case PaperScale::Kind::straight:
      ticks =
          value_ticks(scale.from, scale.to, std::max(2, static_cast<int>(box.height() / 34)), unit);
      break;
    case PaperScale::Kind::decades:
      ticks = log_ticks(scale.from, scale.to, box.height(), 24, unit);
      break;
    case PaperScale::Kind::both_ways:
      ticks = both_ways_ticks(scale.from, scale.to, scale.quiet, box.height(), unit);
      break;
  }
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick : ticks) {
    const double y =
        scale.kind == PaperScale::Kind::both_ways
            ? box.bottom() - (tick.at - scale.from) / (scale.to - scale.from) * box.height()
            : scale.at(tick.at, box);
    if (y < box.top() - 0.5 || y > box.bottom() + 0.5) continue;
    painter.setPen(QPen(tick.major ? t.rulingTenth() : t.ruling(), 1));
    painter.drawLine(QLineF(box.left(), y, box.right(), y));
    if (!tick.major) continue;
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y - PxF{8}, kAxis - 6, PxF{16}), Qt::AlignRight | Qt::AlignVCenter,
                     qs(tick.label));
  }
}

/// The mean as a line, and behind it how far what was recorded went either way.
void PaperView::paintInk(QPainter& painter, const QRectF& box, const PaperScale& scale,
                         const LiveHistory::Channel& channel, std::size_t ink) const {
  painter.save();
  painter.setClipRect(box.adjusted(0, -1, 1, 1));
  const QColor color = Theme::current().ink(ink);
  QPolygonF line;
  const auto draw = [&] {
    painter.setPen(QPen(color, 1.5));
    if (line.size() > 1) painter.drawPolyline(line);
    if (line.size() == 1) painter.drawEllipse(line.front(), 1, 1);
    line.clear();
  };
  const double from_s = from();
  for (auto p = channel.points.begin(); p != channel.points.end(); ++p) {
    if (p->at_s < from_s && (p + 1) != channel.points.end() && (p + 1)->at_s < from_s) continue;
    if (p->begins) draw();
    const double x = xOf(p->at_s, box);
    if (p->max > p->min) {
      painter.setPen(QPen(QColor(color.red(), color.green(), color.blue(), 90), 1.2));
      painter.drawLine(QLineF(x, scale.at(p->min, box), x, scale.at(p->max, box)));
    }
    line.append({x, scale.at(p->mean, box)});
  }
  draw();
  painter.restore();
}

void PaperView::paintColumn(QPainter& painter) const {
  const Theme& t = Theme::current();
  const QRectF box = column();
  const auto* c = shown();
  const bool live = c && bench_.state().phase != BenchState::Phase::lost &&
                    bench_.state().phase != BenchState::Phase::none;
  painter.setPen(live ? t.text() : t.muted());
  painter.setFont(Theme::baseFont(25, QFont::DemiBold));
  painter.drawText(QRectF(box.left(), box.top() + PxF{14}, box.width(), PxF{32}),
                   Qt::AlignLeft | Qt::AlignVCenter, live ? figures() : QStringLiteral("–"));
  painter.setFont(Theme::baseFont(12));
  painter.setPen(t.muted());
  painter.drawText(QRectF(box.left(), box.top(), box.width(), PxF{16}),
                   Qt::AlignLeft | Qt::AlignVCenter, c ? qs(c->name) : QString());
  const QString over = window_s_ > 0 ? tr("mean of %1 s").arg(window_s_) : tr("now");
  painter.drawText(QRectF(box.left(), box.top() + PxF{46}, box.width(), PxF{16}),
                   Qt::AlignLeft | Qt::AlignVCenter, tr("%1 ▾").arg(over));
  const QString settled = settledText();
  painter.drawText(QRectF(box.left(), box.top() + PxF{66}, box.width(), PxF{34}),
                   Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, settled);
  if (!live || c->points.empty()) return;
  // A leader from the figures to the pen.
  const double y = std::clamp(scaleFor(c->name).at(c->points.back().mean, plot()), plot().top(),
                              plot().bottom());
  painter.setPen(QPen(t.border(), 1));
  painter.drawPolyline(QPolygonF({{plot().right() + 2, y},
                                  {box.left() - 7, y},
                                  {box.left() - 7, box.top() + 30},
                                  {box.left() - 3, box.top() + 30}}));
  painter.setPen(Qt::NoPen);
  painter.setBrush(t.ink(0));
  painter.drawEllipse(QPointF(plot().right(), y), 3, 3);
  painter.setBrush(Qt::NoBrush);
}

void PaperView::paintLimit(QPainter& painter) const {
  const auto y = limitY();
  if (!y) return;
  const Theme& t = Theme::current();
  const QRectF p = plot();
  const double value = proposed_.value_or(*limit_);
  const double true_y = scaleFor(shown()->name).at(value, p);
  const QString text =
      (trips_ ? tr("trips at %1") : tr("limits at %1")).arg(qs(with_prefix(value, "A", 3)));
  QFont font = Theme::baseFont(11);
  font.setItalic(proposed_.has_value());
  painter.setFont(font);
  const bool off_scale = true_y < p.top() - 0.5 || true_y > p.bottom() + 0.5;
  const double wide = QFontMetricsF(font).horizontalAdvance(text) + (off_scale ? PxF{26} : PxF{14});
  const double top = std::clamp(*y - PxF{8}, p.top(), p.bottom() - PxF{16});
  if (!off_scale) {
    painter.setPen(QPen(t.accent(), 1.1, proposed_ ? Qt::DotLine : Qt::DashLine));
    painter.drawLine(QLineF(p.left(), *y, p.right(), *y));
  }
  const QRectF tab(p.right() - wide - 4, top, wide, PxF{16});
  painter.setPen(QPen(t.accent(), 1));
  painter.setBrush(t.ground());
  painter.drawRoundedRect(tab, 3, 3);
  painter.setBrush(Qt::NoBrush);
  painter.setPen(proposed_ ? t.muted() : t.accent());
  painter.drawText(
      tab, Qt::AlignCenter,
      off_scale ? (true_y < p.top() ? QStringLiteral("↑ ") : QStringLiteral("↓ ")) + text : text);
}

void PaperView::paintStrips(QPainter& painter) const {
  const Theme& t = Theme::current();
  const QStringList names = strips();
  for (int i = 0; i < names.size(); ++i) {
    const auto* c = bench_.history().find(names[i].toStdString());
    if (!c) continue;
    const QRectF box = strip(i);
    painter.setPen(QPen(t.rulingTenth(), 1));
    painter.drawRect(box);
    const PaperScale scale = scaleFor(c->name);
    paintInk(painter, box, scale, *c, static_cast<std::size_t>(i) + 1);
    painter.setFont(Theme::baseFont(11));
    painter.setPen(t.muted());
    const QRectF name(0, box.top(), kAxis - 6, box.height());
    painter.drawText(name, Qt::AlignRight | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(names[i], Qt::ElideMiddle, kAxis - 8));
    painter.setFont(Theme::baseFont(14, QFont::DemiBold));
    painter.setPen(t.text());
    if (!c->points.empty())
      painter.drawText(
          QRectF(column().left(), box.top(), column().width(), box.height()),
          Qt::AlignLeft | Qt::AlignVCenter,
          isRead(c->name) ? figure(c->points.back().mean, c->unit) : QStringLiteral("–"));
  }
  const auto more = static_cast<int>(bench_.history().channels().size()) - 1 - names.size();
  if (more <= 0) return;
  painter.setFont(Theme::baseFont(11));
  painter.setPen(t.muted());
  painter.drawText(QRectF(column().left(), plot().bottom() + 2, column().width(), PxF{16}),
                   Qt::AlignLeft | Qt::AlignVCenter,
                   tr("%n more · Page Down", nullptr, static_cast<int>(more)));
}

void PaperView::paintSpan(QPainter& painter) const {
  if (!marked_) return;
  const QRectF p = plot();
  const auto [a, b] = std::minmax(marked_->first, marked_->second);
  const QRectF box(QPointF(std::max(p.left(), xOf(a, p)), p.top()),
                   QPointF(std::min(p.right(), xOf(b, p)), p.bottom()));
  if (box.right() > box.left()) painter.fillRect(box, Theme::current().wash());
}

void PaperView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& t = Theme::current();
  const QRectF p = plot();
  const auto* c = shown();
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick : time_ticks(0, span_s_, std::max(3, static_cast<int>(p.width() / 110)))) {
    const double x = p.right() - tick.at / span_s_ * p.width();
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(x, p.top(), x, p.bottom()));
    if (!tick.major || tick.at < 1e-9 || x < p.left() + 20) continue;
    painter.setPen(t.muted());
    painter.drawText(QRectF(x - PxF{60}, p.bottom() + 2, PxF{120}, PxF{16}), Qt::AlignCenter,
                     QStringLiteral("−") + qs(tick.label));
  }
  painter.setPen(t.muted());
  painter.drawText(QRectF(p.right() - PxF{60}, p.bottom() + 2, PxF{60}, PxF{16}),
                   Qt::AlignRight | Qt::AlignVCenter, tr("now"));
  if (c) {
    const PaperScale scale = scaleFor(c->name);
    paintRuling(painter, p, scale, c->unit);
    paintSpan(painter);
    paintInk(painter, p, scale, *c, 0);
    painter.setFont(Theme::baseFont(11));
    for (const AxisMark& m : axisMarks()) {
      const double y = std::clamp(m.y, p.top() + 7, p.bottom() - 7);
      const double wide = painter.fontMetrics().horizontalAdvance(m.text) + 8;
      painter.fillRect(QRectF(p.left() + PxF{8}, y - PxF{7}, wide, PxF{14}), t.ground());
      painter.setPen(QPen(t.text(), 1.4));
      painter.drawLine(QLineF(p.left(), m.y, p.left() + 6, m.y));
      painter.setPen(t.text());
      painter.drawText(QRectF(p.left() + PxF{12}, y - PxF{8}, wide, PxF{16}),
                       Qt::AlignLeft | Qt::AlignVCenter, m.text);
    }
  } else {
    painter.setPen(t.muted());
    painter.setFont(Theme::baseFont(13));
    painter.drawText(p, Qt::AlignCenter, tr("No reading yet"));
  }
  painter.setPen(QPen(hasFocus() ? t.focus() : t.rulingTenth(), hasFocus() ? 1.6 : 1));
  painter.setBrush(Qt::NoBrush);
  painter.drawRect(p);
  paintLimit(painter);
  paintColumn(painter);
  paintStrips(painter);
}

}  // namespace kuvio::app
