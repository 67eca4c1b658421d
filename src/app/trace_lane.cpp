// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace_lane.h"

#include "app/overview.h"
#include "app/theme.h"
#include "app/ticks.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr double kHandle = 6;  // half of a handle's width to aim at
constexpr double kClick = 4;   // pixels the mouse may move in a click
}  // namespace

// --- TracePlottable
// ---------------------------------------------------------------------------------

TracePlottable::TracePlottable(QCPAxis* time, QCPAxis* value) : QCPAbstractPlottable(time, value) {}

QCPRange TracePlottable::getKeyRange(bool& found, QCP::SignDomain) const {
  found = frame_ != nullptr;
  return frame_ ? QCPRange(frame_->from_s, frame_->to_s) : QCPRange();
}

QCPRange TracePlottable::getValueRange(bool& found, QCP::SignDomain, const QCPRange&) const {
  found = false;
  QCPRange out;
  const auto add = [&](double lo, double hi) {
    if (!found) out = QCPRange(lo, hi);
    found = true;
    out.lower = std::min(out.lower, lo);
    out.upper = std::max(out.upper, hi);
  };
  if (!frame_) return out;
  for (const EnvelopeColumn& c : frame_->columns) {
    if (c.any) add(c.lo, c.hi);
  }
  for (const TracePoint& p : frame_->points) add(p.value, p.value);
  return out;
}

double TracePlottable::y(double value) const {
  const QCPAxis* axis = mValueAxis.data();
  // On a logarithmic axis nothing and less lie at its foot.
  if (axis->scaleType() == QCPAxis::stLogarithmic) value = std::max(value, axis->range().lower);
  return std::clamp(axis->coordToPixel(value), -4000.0, 8000.0);
}

void TracePlottable::draw(QCPPainter* painter) {
  if (!frame_) return;
  painter->setPen(mPen);
  painter->setAntialiasing(!frame_->points.empty());
  if (!frame_->points.empty()) {
    drawPoints(painter);
  } else {
    drawColumns(painter);
  }
}

void TracePlottable::drawColumns(QCPPainter* painter) const {
  const QCPAxis* key = mKeyAxis.data();
  const double width =
      (frame_->to_s - frame_->from_s) / static_cast<double>(frame_->columns.size());
  QVector<QLineF> lines;
  lines.reserve(static_cast<int>(frame_->columns.size()));
  double last_top = 0, last_bottom = 0;
  bool pen = false;
  for (std::size_t i = 0; i < frame_->columns.size(); ++i) {
    const EnvelopeColumn& c = frame_->columns[i];
    if (!c.any) {
      pen = false;
      continue;
    }
    const double x = key->coordToPixel(frame_->from_s + (static_cast<double>(i) + 0.5) * width);
    double top = y(c.hi), bottom = y(c.lo);
    const double own_top = top, own_bottom = bottom;
    if (pen && !c.missing) {  // reach to the neighbour, so that an edge is a line
      if (top > last_bottom) top = last_bottom;
      if (bottom < last_top) bottom = last_top;
    }
    lines.append(QLineF(x, top, x, std::max(bottom, top + 1)));
    last_top = own_top;
    last_bottom = own_bottom;
    pen = true;
  }
  painter->drawLines(lines);
}

void TracePlottable::drawPoints(QCPPainter* painter) const {
  const QCPAxis* key = mKeyAxis.data();
  QPolygonF line;
  const auto flush = [&] {
    if (line.size() > 1) painter->drawPolyline(line);
    line.clear();
  };
  for (const TracePoint& p : frame_->points) {
    if (p.gap_before) flush();
    const QPointF at(key->coordToPixel(p.time_s), y(p.value));
    if (frame_->averaged && !line.isEmpty()) line.append(QPointF(at.x(), line.last().y()));
    line.append(at);
  }
  flush();
  const double pitch = frame_->points.size() > 1
                           ? key->axisRect()->width() / static_cast<double>(frame_->points.size())
                           : 0;
  if (pitch < 8) return;
  painter->setBrush(mPen.color());
  for (const TracePoint& p : frame_->points)
    painter->drawEllipse(QPointF(key->coordToPixel(p.time_s), y(p.value)), 1.8, 1.8);
}

// --- TraceLane
// ---------------------------------------------------------------------------------------

TraceLane::TraceLane(ViewState& view, Session& session, QWidget* parent)
    : QCustomPlot(parent), view_(view), session_(session) {
  setObjectName(QStringLiteral("currentLane"));
  setAccessibleName(tr("Current over time"));
  setAccessibleDescription(
      tr("The trace of the captured current. Drag to mark a span, turn the wheel to zoom."));
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setMinimumHeight(160);
  setNoAntialiasingOnDrag(true);
  axisRect()->setAutoMargins(QCP::msNone);
  axisRect()->setMargins(QMargins(kLaneLeft, 20, kLaneRight, 26));
  axisRect()->setupFullAxesBox(false);
  for (QCPAxis* axis : {xAxis2, yAxis2}) axis->setTicks(false);
  for (QCPAxis* axis : {xAxis, yAxis}) {
    axis->setTicker(QSharedPointer<QCPAxisTickerText>::create());
    axis->grid()->setSubGridVisible(true);
    axis->setTickLength(0, 4);
    axis->setSubTickLength(0, 2);
    axis->setTickLabelPadding(6);
  }
  trace_ = new TracePlottable(xAxis, yAxis);
  addLayer(QStringLiteral("marks"), layer(QStringLiteral("main")), QCustomPlot::limBelow);
  addLayer(QStringLiteral("cursor"), nullptr, QCustomPlot::limAbove);
  layer(QStringLiteral("cursor"))->setMode(QCPLayer::lmBuffered);
  for (QCPItemRect** rect : {&visit_, &span_}) {
    *rect = new QCPItemRect(this);
    (*rect)->setLayer(QStringLiteral("marks"));
    (*rect)->topLeft->setTypeY(QCPItemPosition::ptAxisRectRatio);
    (*rect)->bottomRight->setTypeY(QCPItemPosition::ptAxisRectRatio);
    (*rect)->setVisible(false);
    (*rect)->setPen(Qt::NoPen);
  }
  auto* caption = new QCPItemText(this);
  caption->setText(tr("current"));
  caption->setObjectName(QStringLiteral("caption"));
  caption->setClipToAxisRect(false);
  caption->setPositionAlignment(Qt::AlignRight | Qt::AlignTop);
  caption->position->setType(QCPItemPosition::ptAbsolute);
  caption->position->setCoords(kLaneLeft - 8, 1);
  caption_ = caption;
  pointer_ = new QCPItemStraightLine(this);
  pointer_->setLayer(QStringLiteral("cursor"));
  pointer_->setVisible(false);
  for (QCPItemStraightLine*& end : ends_) {
    end = new QCPItemStraightLine(this);
    end->setVisible(false);
  }
  applyTheme();
  setLogarithmic(true);
  connect(&view_, &ViewState::captureChanged, this, [this] {
    trace_->setFrame(nullptr);
    fitValues();
    rangeChanged();
  });
  connect(&view_, &ViewState::rangeChanged, this, &TraceLane::rangeChanged);
  connect(&view_, &ViewState::spanChanged, this, [this] {
    updateMarks();
    replot(QCustomPlot::rpQueuedReplot);
  });
  connect(&view_, &ViewState::visitChanged, this, [this] {
    updateMarks();
    replot(QCustomPlot::rpQueuedReplot);
  });
  connect(&view_, &ViewState::pointerChanged, this, [this] {
    pointer_->setVisible(view_.pointer().has_value());
    if (view_.pointer()) {
      pointer_->point1->setCoords(*view_.pointer(), yAxis->range().lower);
      pointer_->point2->setCoords(*view_.pointer(), yAxis->range().upper);
    }
    layer(QStringLiteral("cursor"))->replot();
  });
  connect(&session_, &Session::frameReady, this, &TraceLane::takeFrame);
}

void TraceLane::applyTheme() {
  const Theme& t = Theme::current();
  setBackground(QBrush(t.ground()));
  for (QCPAxis* axis : {xAxis, yAxis, xAxis2, yAxis2}) {
    axis->setBasePen(QPen(t.rulingTenth()));
    axis->setTickPen(QPen(t.border()));
    axis->setSubTickPen(QPen(t.rulingTenth()));
    axis->setTickLabelColor(t.muted());
    axis->setTickLabelFont(Theme::baseFont(11));
    axis->grid()->setPen(QPen(t.rulingTenth(), 1));
    axis->grid()->setSubGridPen(QPen(t.ruling(), 1));
    axis->grid()->setZeroLinePen(QPen(t.border(), 1));
  }
  caption_->setFont(Theme::baseFont(12, QFont::DemiBold));
  caption_->setColor(t.text());
  QColor wash = t.focus();
  wash.setAlpha(28);
  span_->setBrush(wash);
  QColor shade = t.text();
  shade.setAlpha(16);
  visit_->setBrush(shade);
  pointer_->setPen(QPen(t.border(), 1, Qt::DashLine));
  for (QCPItemStraightLine* end : ends_) end->setPen(QPen(t.focus(), 1.5));
  replot(QCustomPlot::rpQueuedReplot);
}

void TraceLane::setInk(const QColor& ink) {
  trace_->setPen(QPen(ink, 1.0));
  replot(QCustomPlot::rpQueuedReplot);
}

void TraceLane::setLogarithmic(bool on) {
  logarithmic_ = on;
  yAxis->setScaleType(on ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
  fitValues();
  updateTicks();
  updateMarks();
  replot(QCustomPlot::rpQueuedReplot);
}

void TraceLane::fitValues() {
  double lo = 0, hi = 0;
  const double least = view_.capture() ? quietLevel(view_.capture()->overview) : 0;
  bool any = false;
  if (view_.capture()) {
    for (const EnvelopeColumn& c : view_.capture()->overview) {
      if (!c.any) continue;
      lo = any ? std::min(lo, c.lo) : c.lo;
      hi = any ? std::max(hi, c.hi) : c.hi;
      any = true;
    }
  }
  if (!any || !(hi > 0 || lo < 0)) {
    yAxis->setRange(logarithmic_ ? QCPRange(1e-6, 1) : QCPRange(0, 1));
  } else if (logarithmic_) {
    const double top = std::max(hi, 1e-9);
    const double foot = std::clamp(least, top * 1e-9, top / 10);
    yAxis->setRange(std::pow(10, std::floor(std::log10(foot))), top * 2);
  } else {
    const double room = (hi - std::min(lo, 0.0)) * 0.06;
    yAxis->setRange(lo < 0 ? lo - room : 0, hi + room);
  }
  updateTicks();
}

void TraceLane::rangeChanged() {
  xAxis->setRange(view_.from(), view_.to());
  updateTicks();
  updateMarks();
  askFrame();
  replot(QCustomPlot::rpQueuedReplot);
}

void TraceLane::askFrame() {
  const int columns = axisRect()->width();
  if (view_.capture() && columns > 0) session_.wantFrame(view_.from(), view_.to(), columns);
}

void TraceLane::takeFrame(const FramePtr& frame) {
  trace_->setFrame(frame);
  replot(QCustomPlot::rpQueuedReplot);
  emit framePainted();
}

void TraceLane::updateTicks() {
  const auto give = [](QCPAxis* axis, const std::vector<Tick>& ticks) {
    auto ticker = qSharedPointerDynamicCast<QCPAxisTickerText>(axis->ticker());
    ticker->clear();
    for (const Tick& t : ticks) ticker->addTick(t.at, QString::fromStdString(t.label));
  };
  // Four rulings between two labels, as on graph paper.
  qSharedPointerDynamicCast<QCPAxisTickerText>(xAxis->ticker())->setSubTickCount(4);
  const int width = std::max(1, axisRect()->width()), height = std::max(1, axisRect()->height());
  give(xAxis, time_ticks(xAxis->range().lower, xAxis->range().upper, std::max(2, width / 110)));
  const std::string unit = view_.capture() ? view_.capture()->channel.unit : "A";
  const QCPRange r = yAxis->range();
  if (logarithmic_ && r.lower > 0) {
    // Rulings closer than 6 px are dropped: nine of them share a decade.
    give(yAxis, log_ticks(r.lower, r.upper, height, 54, unit));
  } else {
    give(yAxis, value_ticks(r.lower, r.upper, std::max(2, height / 40), unit));
  }
}

void TraceLane::updateMarks() {
  const auto stretch = [](QCPItemRect* rect, double a, double b) {
    rect->topLeft->setCoords(a, 0);
    rect->bottomRight->setCoords(b, 1);
    rect->setVisible(true);
  };
  span_->setVisible(false);
  for (QCPItemStraightLine* end : ends_) end->setVisible(false);
  if (const auto& span = view_.span()) {
    stretch(span_, span->first, span->second);
    for (int i = 0; i < 2; ++i) {
      const double t = i == 0 ? span->first : span->second;
      ends_[i]->point1->setCoords(t, yAxis->range().lower);
      ends_[i]->point2->setCoords(t, yAxis->range().upper);
      ends_[i]->setVisible(true);
    }
  }
  visit_->setVisible(false);
  if (view_.capture() && view_.visit() != ViewState::kNone) {
    const Visit& v = view_.capture()->visits[static_cast<std::size_t>(view_.visit())].visit;
    stretch(visit_, v.from_s, v.to_s);
  }
}

TraceLane::Drag TraceLane::handleAt(double pixel) const {
  if (!view_.span()) return Drag::none;
  if (std::fabs(pixel - pixelOf(view_.span()->first)) <= kHandle) return Drag::left_end;
  if (std::fabs(pixel - pixelOf(view_.span()->second)) <= kHandle) return Drag::right_end;
  return Drag::none;
}

void TraceLane::wheelEvent(QWheelEvent* event) {
  // With Alt some systems swap the directions; either counts.
  const double notches =
      (event->angleDelta().y() != 0 ? event->angleDelta().y() : event->angleDelta().x()) / 120.0;
  const double factor = std::pow(0.8, notches);
  if (event->modifiers() & Qt::ControlModifier) {
    yAxis->scaleRange(factor, yAxis->pixelToCoord(event->position().y()));
    updateTicks();
    replot(QCustomPlot::rpQueuedReplot);
  } else if (event->modifiers() & Qt::ShiftModifier) {
    view_.pan(-notches * 0.1 * (view_.to() - view_.from()));
  } else {
    view_.zoomAt(timeAt(event->position().x()), factor);
  }
  event->accept();
}

void TraceLane::mousePressEvent(QMouseEvent* event) {
  if (!view_.capture()) return;
  setFocus(Qt::MouseFocusReason);
  pressed_ = event->position();
  pressed_time_ = timeAt(pressed_.x());
  pan_from_ = view_.from();
  pan_to_ = view_.to();
  const bool on_axis = pressed_.y() > axisRect()->bottom();
  if (event->button() == Qt::MiddleButton || (event->button() == Qt::LeftButton && on_axis)) {
    drag_ = Drag::pan;
  } else if (event->button() == Qt::LeftButton) {
    drag_ = handleAt(pressed_.x());
    if (drag_ == Drag::none) drag_ = Drag::span;
  }
}

void TraceLane::mouseMoveEvent(QMouseEvent* event) {
  if (!view_.capture()) return;
  const double x = event->position().x(), t = timeAt(x);
  switch (drag_) {
    case Drag::none:
      setCursor(handleAt(x) == Drag::none ? Qt::ArrowCursor : Qt::SizeHorCursor);
      view_.setPointer(axisRect()->rect().contains(event->position().toPoint()) ? std::optional(t)
                                                                                : std::nullopt);
      break;
    case Drag::span:
      view_.setPointer(std::nullopt);
      if (std::fabs(x - pressed_.x()) > kClick) view_.setSpan(pressed_time_, t);
      break;
    case Drag::left_end:
      view_.setSpan(t, view_.span() ? view_.span()->second : t);
      if (view_.span() && t > view_.span()->second - 1e-15) drag_ = Drag::right_end;
      break;
    case Drag::right_end:
      view_.setSpan(view_.span() ? view_.span()->first : t, t);
      if (view_.span() && t < view_.span()->first + 1e-15) drag_ = Drag::left_end;
      break;
    case Drag::pan: {
      const double shift = (pressed_.x() - x) / axisRect()->width() * (pan_to_ - pan_from_);
      view_.show(pan_from_ + shift, pan_to_ + shift);
      break;
    }
  }
}

void TraceLane::mouseReleaseEvent(QMouseEvent* event) {
  const bool click =
      drag_ == Drag::span && std::fabs(event->position().x() - pressed_.x()) <= kClick;
  drag_ = Drag::none;
  if (!click || !view_.capture()) return;
  const auto at = visit_at(view_.capture()->visits, timeAt(event->position().x()));
  view_.pickVisit(at < view_.capture()->visits.size() ? static_cast<int>(at) : ViewState::kNone);
}

void TraceLane::mouseDoubleClickEvent(QMouseEvent* event) {
  if (!view_.capture() || event->button() != Qt::LeftButton) return;
  const auto at = visit_at(view_.capture()->visits, timeAt(event->position().x()));
  if (at >= view_.capture()->visits.size()) return;
  const Visit& v = view_.capture()->visits[at].visit;
  view_.pickVisit(static_cast<int>(at));
  view_.show(v.from_s - 0.08 * v.length_s(), v.to_s + 0.08 * v.length_s());
}

void TraceLane::leaveEvent(QEvent* event) {
  view_.setPointer(std::nullopt);
  QCustomPlot::leaveEvent(event);
}

void TraceLane::resizeEvent(QResizeEvent* event) {
  QCustomPlot::resizeEvent(event);
  updateTicks();
  askFrame();
}

}  // namespace kuvio::app
