// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/fan_view.h"

#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/trace/fan_raster.h"
#include "app/trace/lanes.h"
#include "core/number_text.h"

#include <QApplication>
#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kTarget = 8;  // pixels to aim at

}  // namespace

FanView::FanView(ViewState& view, Session& session, QWidget* parent)
    : QWidget(parent), view_(view) {
  setObjectName(QStringLiteral("fan"));
  setAccessibleName(tr("States by time and by charge"));
  setAccessibleDescription(
      tr("Each visit's stretch of time above, its share of the charge below."));
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setFixedHeight(rows_.height());
  connect(&session, &Session::frameReady, this, [this](const FramePtr& frame) {
    fan_ = frame->fan;
    fan_from_ = frame->from_s;
    fan_to_ = frame->to_s;
    update();
  });
  connect(&view_, &ViewState::captureChanged, this, [this] {
    fan_ = {};
    update();
  });
  // A change of range repaints when its frame is there.
  for (const auto signal : {&ViewState::visitChanged, &ViewState::pointedChanged})
    connect(&view_, signal, this, qOverload<>(&QWidget::update));
}

double FanView::left() const { return kLaneLeft; }
double FanView::span() const { return std::max(1, width() - kLaneLeft - kLaneRight); }

const FanBand* FanView::band(int visit) const {
  for (const FanBand& b : fan_.bands) {
    if (static_cast<int>(b.visit) == visit) return &b;
  }
  return nullptr;
}

QRectF FanView::ribbonRect(int visit) const {
  const FanBand* b = band(visit);
  return b ? ribbonRect(*b) : QRectF();
}

QRectF FanView::chargeRect(int visit) const {
  const FanBand* b = band(visit);
  return b ? chargeRect(*b) : QRectF();
}

QRectF FanView::ribbonRect(const FanBand& band) const {
  const FanBand* b = &band;
  return {left() + b->time_from * span(), rows_.ribbon, (b->time_to - b->time_from) * span(),
          rows_.ribbon_end - rows_.ribbon};
}

QRectF FanView::chargeRect(const FanBand& band) const {
  const FanBand* b = &band;
  return {left() + b->charge_from * span(), rows_.charge, (b->charge_to - b->charge_from) * span(),
          rows_.charge_end - rows_.charge};
}

QPainterPath FanView::shape(const FanBand& b) const {
  // The same curve that the bands are painted by.
  constexpr int kSteps = 24;
  QPolygonF right, both;
  for (int i = 0; i <= kSteps; ++i) {
    const double s = static_cast<double>(i) / kSteps, ease = band_ease(s);
    const double y = rows_.ribbon_end + (rows_.charge - rows_.ribbon_end) * s;
    both.append({left() + (b.time_from + (b.charge_from - b.time_from) * ease) * span(), y});
    right.prepend({left() + (b.time_to + (b.charge_to - b.time_to) * ease) * span(), y});
  }
  QPainterPath path;
  path.addPolygon(both + right);
  path.closeSubpath();
  return path;
}

std::optional<double> FanView::momentAt(const QPointF& place) const {
  const double share = (place.x() - left()) / span();
  if (!view_.capture() || share < 0 || share > 1 || place.y() > rows_.ribbon_end)
    return std::nullopt;
  return timeAt(place.x());
}

int FanView::visitAt(const QPointF& place) const {
  const double share = (place.x() - left()) / span();
  if (share < 0 || share > 1) return ViewState::kNone;
  if (place.y() <= rows_.ribbon_end) {
    for (const FanBand& b : fan_.bands) {
      if (share >= b.time_from && share < b.time_to) return static_cast<int>(b.visit);
    }
  } else if (place.y() >= rows_.charge) {
    for (const FanBand& b : fan_.bands) {
      if (share >= b.charge_from && share < b.charge_to) return static_cast<int>(b.visit);
    }
  } else {
    // Bands cross nowhere, but thin ones are drawn over wide ones: the narrowest that holds the
    // place is meant.
    const FanBand* best = nullptr;
    double narrowest = 1e9;
    for (const FanBand& b : fan_.bands) {
      const double ease =
          band_ease((place.y() - rows_.ribbon_end) / (rows_.charge - rows_.ribbon_end));
      const double a = b.time_from + (b.charge_from - b.time_from) * ease,
                   e = b.time_to + (b.charge_to - b.time_to) * ease;
      if (share >= a && share < e && e - a < narrowest) {
        best = &b;
        narrowest = e - a;
      }
    }
    if (best) return static_cast<int>(best->visit);
  }
  return ViewState::kNone;
}

void FanView::paintNames(QPainter& painter) const {
  const auto& visits = view_.capture()->visits;
  const QFontMetricsF metrics(painter.font());
  const auto write = [&](const QRectF& box, const QString& text) {
    if (metrics.horizontalAdvance(text) + 12 > box.width()) return false;
    painter.drawText(box.adjusted(6, 0, -4, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
    return true;
  };
  const Theme& t = Theme::current();
  for (const FanBand& b : fan_.bands) {
    const std::string& state = visits[b.visit].visit.state;
    const QString name = QString::fromStdString(state);
    const QRectF ribbon = ribbonRect(b), charge = chargeRect(b);
    if (ribbon.width() < 24 && charge.width() < 24) continue;
    painter.setPen(t.on(t.fill(state, view_.capture()->fills)));
    write(ribbon, name);
    const QString share = QString::fromStdString(percent(b.charge_to - b.charge_from));
    if (!write(charge, name + QStringLiteral("  ") + share)) write(charge, name);
  }
}

void FanView::paintBands(QPainter& painter) {
  const Theme& t = Theme::current();
  const auto& visits = view_.capture()->visits;
  const std::string picked = view_.pickedState();
  const auto wider = [](const QRectF& r) {
    return QRectF(r.x(), r.y(), std::max(0.7, r.width()), r.height());
  };
  // The wide bands first, so that a short visit stays in sight.
  std::vector<const FanBand*> order;
  for (const FanBand& b : fan_.bands) {
    if (b.visit < visits.size()) order.push_back(&b);
  }
  std::stable_sort(order.begin(), order.end(), [](const FanBand* a, const FanBand* b) {
    return a->time_to - a->time_from + a->charge_to - a->charge_from >
           b->time_to - b->time_from + b->charge_to - b->charge_from;
  });
  std::map<std::string, QBrush> fills;
  std::vector<BandShape> shapes;
  shapes.reserve(order.size());
  painter.setRenderHint(QPainter::Antialiasing, false);
  painter.setPen(Qt::NoPen);
  for (const FanBand* b : order) {
    const int index = static_cast<int>(b->visit);
    const std::string& state = visits[b->visit].visit.state;
    auto found = fills.find(state);
    if (found == fills.end())
      found = fills.emplace(state, t.fill(state, view_.capture()->fills)).first;
    const QBrush& fill = found->second;
    const bool lit = index == view_.pointed() || index == view_.visit();
    const bool hatched = fill.style() != Qt::SolidPattern;
    QColor body = fill.color();
    body.setAlphaF(hatched ? 0.25F : lit ? 1.0F : picked.empty() || picked == state ? 0.72F : 0.4F);
    shapes.push_back({b->time_from * span(), b->time_to * span(), b->charge_from * span(),
                      b->charge_to * span(), body});
    painter.fillRect(wider(ribbonRect(*b)), fill);
    painter.fillRect(wider(chargeRect(*b)), fill);
  }
  const double scale = devicePixelRatioF();
  const QRectF room(left(), rows_.ribbon_end, span(), rows_.charge - rows_.ribbon_end);
  QImage image(QSizeF(room.size() * scale).toSize(), QImage::Format_RGB32);
  image.fill(t.ground());
  paint_bands(image, scale, shapes);
  painter.drawImage(room, image);
}

/// What is picked is outlined, from its stretch of time to its charge.
void FanView::paintPicked(QPainter& painter) const {
  const Theme& t = Theme::current();
  for (const int index : {view_.pointed(), view_.visit()}) {
    const FanBand* b = index == ViewState::kNone ? nullptr : band(index);
    if (!b) continue;
    painter.setPen(
        QPen(index == view_.visit() ? t.focus() : t.border(), index == view_.visit() ? 1.6 : 1.0));
    painter.setBrush(Qt::NoBrush);
    QPainterPath outline = shape(*b);
    outline.addRect(ribbonRect(*b));
    outline.addRect(chargeRect(*b));
    painter.drawPath(outline.simplified());
  }
}

void FanView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  painter.fillRect(rect(), t.ground());
  if (!view_.capture() || view_.capture()->visits.empty()) return;  // the desk says what to do
  painter.setFont(Theme::baseFont(12, QFont::DemiBold));
  painter.setPen(t.text());
  const auto caption = [&](double y0, double y1, const QString& text) {
    painter.drawText(QRectF(0, y0, kLaneLeft - PxF{10}, y1 - y0), Qt::AlignVCenter | Qt::AlignRight,
                     text);
  };
  caption(rows_.ribbon, rows_.ribbon_end, tr("states"));
  caption(rows_.charge, rows_.charge_end, tr("charge"));
  painter.setFont(Theme::baseFont(12));
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setClipRect(QRectF(left() - 1, 0, span() + 2, height()));
  paintBands(painter);
  paintPicked(painter);
  paintNames(painter);
  if (dragged_ != ViewState::kNone) {
    const double x = left() + (dragged_to_ - fan_from_) / (fan_to_ - fan_from_) * span();
    painter.setPen(QPen(t.focus(), 2));
    painter.drawLine(QLineF(x, rows_.ribbon - 3, x, rows_.ribbon_end + 3));
  }
  if (hasFocus()) {
    painter.setClipping(false);
    painter.setPen(QPen(t.focus(), 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawRoundedRect(QRectF(left() - 3, 1, span() + 6, height() - 2), 4, 4);
  }
}

double FanView::timeAt(double x) const {
  return fan_from_ + (x - left()) / span() * (fan_to_ - fan_from_);
}

int FanView::edgeAt(const QPointF& place) const {
  if (place.y() > rows_.ribbon_end + 2) return ViewState::kNone;
  int best = ViewState::kNone;
  double nearest = kTarget / 2;
  for (const FanBand& b : fan_.bands) {
    if (b.visit == 0 || b.time_from <= 0) continue;
    const double off = std::fabs(left() + b.time_from * span() - place.x());
    if (off <= nearest) {
      nearest = off;
      best = static_cast<int>(b.visit);
    }
  }
  return best;
}

std::pair<int, int> FanView::travelling(int edge) const {
  const auto& visits = view_.capture()->visits;
  const double narrow = kTarget / span() * (fan_to_ - fan_from_);
  const auto sliver = [&](int visit) {
    const Visit& v = visits[static_cast<std::size_t>(visit)].visit;
    return v.state == kUnassigned && v.length_s() < narrow;
  };
  int first = edge, last = edge;
  while (first > 1 && sliver(first - 1)) --first;
  while (last + 1 < static_cast<int>(visits.size()) && sliver(last)) ++last;
  return {first, last};
}

void FanView::mouseMoveEvent(QMouseEvent* event) {
  if (dragged_ != ViewState::kNone) {
    // It stops short of its neighbours' other edges.
    const auto& visits = view_.capture()->visits;
    const auto [first, last] = travelling(dragged_);
    const Visit& left = visits[static_cast<std::size_t>(first - 1)].visit;
    const Visit& right = visits[static_cast<std::size_t>(last)].visit;
    const double grain = view_.capture()->basis.sample_s,
                 at = visits[static_cast<std::size_t>(dragged_)].visit.from_s;
    const double lowest =
        left.from_s + grain + at - visits[static_cast<std::size_t>(first)].visit.from_s;
    const double highest = right.to_s - grain + at - right.from_s;
    dragged_to_ = std::clamp(timeAt(event->position().x()), lowest, std::max(lowest, highest));
    view_.setPointer(dragged_to_);
    update();
    return;
  }
  setCursor(edgeAt(event->position()) == ViewState::kNone ? Qt::ArrowCursor : Qt::SplitHCursor);
  const int visit = visitAt(event->position());
  view_.pointAt(visit);
  view_.setPointer(momentAt(event->position()));
  if (visit == ViewState::kNone) {
    setToolTip({});
    return;
  }
  const VisitFigures& f = view_.capture()->visits[static_cast<std::size_t>(visit)];
  setToolTip(QStringLiteral("%1  %2  %3")
                 .arg(QString::fromStdString(f.visit.state),
                      QString::fromStdString(duration(f.visit.length_s())),
                      QString::fromStdString(with_prefix(f.charge, "C", 3))));
}

void FanView::mousePressEvent(QMouseEvent* event) {
  if (!view_.capture() || event->button() != Qt::LeftButton) return;
  setFocus(Qt::MouseFocusReason);
  const int edge = edgeAt(event->position());
  if (edge != ViewState::kNone) {
    dragged_ = edge;
    dragged_to_ = view_.capture()->visits[static_cast<std::size_t>(edge)].visit.from_s;
    pressed_ = event->position();
    return;
  }
  view_.pickVisit(visitAt(event->position()));
}

void FanView::mouseReleaseEvent(QMouseEvent* event) {
  const int edge = std::exchange(dragged_, ViewState::kNone);
  if (edge == ViewState::kNone) return;
  update();
  if (std::fabs(event->position().x() - pressed_.x()) < 2) {
    view_.pickVisit(visitAt(event->position()));  // a click after all
    return;
  }
  const auto [first, last] = travelling(edge);
  emit edgesMoved(
      first, last,
      dragged_to_ - view_.capture()->visits[static_cast<std::size_t>(edge)].visit.from_s);
}

void FanView::mouseDoubleClickEvent(QMouseEvent* event) {
  const int visit = visitAt(event->position());
  if (visit == ViewState::kNone) return;
  const Visit& v = view_.capture()->visits[static_cast<std::size_t>(visit)].visit;
  view_.show(v.from_s - 0.08 * v.length_s(), v.to_s + 0.08 * v.length_s());
}

void FanView::contextMenuEvent(QContextMenuEvent* event) {
  if (!view_.capture()) return;
  if (event->reason() == QContextMenuEvent::Keyboard) {
    emit menuWanted(mapToGlobal(QPoint(static_cast<int>(left()) + 20, 20)));
    return;
  }
  const int visit = visitAt(event->pos());
  if (visit != ViewState::kNone) view_.pickVisit(visit);
  view_.setPointer(momentAt(event->pos()));
  emit menuWanted(event->globalPos());
}

void FanView::leaveEvent(QEvent*) {
  view_.pointAt(ViewState::kNone);
  // What a menu does, it does to where it was opened.
  if (!QApplication::activePopupWidget()) view_.setPointer(std::nullopt);
}

}  // namespace kuvio::app
