// SPDX-License-Identifier: GPL-3.0-or-later
// What the hand does to the lanes.

#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/trace/curves.h"
#include "app/trace/lanes.h"
#include "app/trace/marks.h"
#include "core/number_text.h"

#include <QHelpEvent>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kHandle = 6;  // half of a handle's width to aim at
constexpr double kClick = 4;   // pixels the mouse may move in a click
constexpr int kLeastHeight = 36;

}  // namespace

int Lanes::laneAt(const QPointF& place) const {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    const QRect r = lanes_[i].rect->rect();
    if (place.y() >= r.top() - 2 && place.y() <= r.bottom() + 2) return static_cast<int>(i);
  }
  return -1;
}

/// The lane whose name is there.
int Lanes::captionAt(const QPointF& place) const {
  if (place.x() > kLaneLeft - 6) return -1;
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    const double y = lanes_[i].caption->position->coords().y();
    const double top = i == 0 ? 0 : y - 9, bottom = i == 0 ? 18 : y + 9;
    if (place.y() >= top && place.y() <= bottom) return static_cast<int>(i);
  }
  return -1;
}

/// The lane whose foot is there; the last one's is the time axis, and logic lines keep their
/// height.
int Lanes::borderAt(const QPointF& place) const {
  for (std::size_t i = 0; i + 1 < lanes_.size(); ++i) {
    const double foot = lanes_[i].rect->rect().bottom() + 3;
    const bool moves =
        lanes_[i].quantity != Quantity::logic && lanes_[i + 1].quantity != Quantity::logic;
    if (moves && std::fabs(place.y() - foot) <= 3) return static_cast<int>(i);
  }
  return -1;
}

/// The threshold whose handle, at the right end of its line, is there; -1 of none.
int Lanes::thresholdAt(const QPointF& place) const {
  const QRect box = currentLane();
  if (box.isEmpty() || place.x() < box.right() - kThresholdHandle || place.x() > box.right() + 3)
    return -1;
  int best = -1;
  double nearest = 4.5;
  for (std::size_t i = 0; i < thresholds().size(); ++i) {
    const double y = currentPixel(thresholds()[i].level).value_or(-10);
    if (!(y > box.top() && y < box.bottom()) || std::fabs(y - place.y()) >= nearest) continue;
    nearest = std::fabs(y - place.y());
    best = static_cast<int>(i);
  }
  return best;
}

Lanes::Drag Lanes::handleAt(const QPointF& place) const {
  const QRectF box = lanesBox(*this);
  for (int i = 0; i < ViewState::kCursors; ++i) {
    // A cursor is taken by its number at the foot.
    if (view_.cursor(i) && std::fabs(place.x() - pixelOf(*view_.cursor(i))) <= kHandle + 2 &&
        place.y() > box.bottom() - 16 && place.y() <= box.bottom() + 2)
      return i == 0 ? Drag::first_cursor : Drag::second_cursor;
  }
  if (!view_.span() || !box.contains(place)) return Drag::none;
  if (std::fabs(place.x() - pixelOf(view_.span()->first)) <= kHandle) return Drag::left_end;
  if (std::fabs(place.x() - pixelOf(view_.span()->second)) <= kHandle) return Drag::right_end;
  return Drag::none;
}

void Lanes::wheelEvent(QWheelEvent* event) {
  // With Alt some systems swap the directions; either counts.
  const double notches =
      (event->angleDelta().y() != 0 ? event->angleDelta().y() : event->angleDelta().x()) / 120.0;
  const double factor = std::pow(0.8, notches);
  const int lane = laneAt(event->position());
  event->accept();
  if (event->modifiers() & Qt::ControlModifier) {
    if (lane < 0 || lanes_[static_cast<std::size_t>(lane)].quantity == Quantity::logic) return;
    QCPAxis* value = lanes_[static_cast<std::size_t>(lane)].value;
    lanes_[static_cast<std::size_t>(lane)].moved = true;
    value->scaleRange(factor, value->pixelToCoord(event->position().y()));
    updateTicks();
    replot(QCustomPlot::rpQueuedReplot);
  } else if (event->modifiers() & Qt::ShiftModifier) {
    view_.pan(-notches * 0.1 * (view_.to() - view_.from()));
  } else {
    view_.zoomAt(timeAt(event->position().x()), factor);
  }
}

void Lanes::mousePressEvent(QMouseEvent* event) {
  if (!view_.capture() || lanes_.empty()) return;
  setFocus(Qt::MouseFocusReason);
  const QPointF place = event->position();
  const int lane = laneAt(place);
  if (lane >= 0) choose(lanes_[static_cast<std::size_t>(lane)].spec);
  const bool left = event->button() == Qt::LeftButton;
  const bool time_axis = place.y() > lanesBox(*this).bottom() + 2;
  const Drag handle = handleAt(place);
  Drag drag = Drag::none;
  hand_.lane = lane;
  if (event->button() == Qt::MiddleButton || (left && time_axis)) {
    drag = Drag::pan;
  } else if (!left) {
    return;
  } else if (borderAt(place) >= 0) {
    hand_.lane = borderAt(place);
    drag = Drag::height;
  } else if (captionAt(place) >= 0) {
    hand_.lane = captionAt(place);
    drag = Drag::order;
  } else if (place.x() < kLaneLeft && lane >= 0) {
    if (lanes_[static_cast<std::size_t>(lane)].quantity == Quantity::logic) return;
    drag = Drag::value;
  } else if (thresholdAt(place) >= 0) {
    hand_.threshold = thresholds()[static_cast<std::size_t>(thresholdAt(place))];
    drag = Drag::threshold;
  } else if (handle != Drag::none) {
    drag = handle;
  } else {
    drag = view_.moving() ? Drag::capture : Drag::span;
  }
  beginDrag(drag, place);
}

void Lanes::beginDrag(Drag drag, const QPointF& place) {
  hand_.drag = drag;
  hand_.pressed = place;
  hand_.time = timeAt(place.x());
  hand_.pan_from = view_.from();
  hand_.pan_to = view_.to();
  if (drag == Drag::value)
    hand_.values = lanes_[static_cast<std::size_t>(hand_.lane)].value->range();
  if (drag == Drag::capture) hand_.offset = view_.offsetOf(*view_.moving());
  if (drag == Drag::height) {
    hand_.heights.clear();
    for (const Lane& l : lanes_) hand_.heights.push_back(l.rect->outerRect().height());
  }
  if (drag == Drag::order) setCursor(Qt::ClosedHandCursor);
}

void Lanes::mouseMoveEvent(QMouseEvent* event) {
  if (!view_.capture() || lanes_.empty()) return;
  const QPointF place = event->position();
  const double x = place.x(), t = timeAt(x);
  switch (hand_.drag) {
    case Drag::none: {
      setCursor(borderAt(place) >= 0            ? Qt::SizeVerCursor
                : captionAt(place) >= 0         ? Qt::OpenHandCursor
                : thresholdAt(place) >= 0       ? Qt::SplitVCursor
                : handleAt(place) != Drag::none ? Qt::SizeHorCursor
                                                : Qt::ArrowCursor);
      if (const int lane = laneAt(place); lane >= 0)
        choose(lanes_[static_cast<std::size_t>(lane)].spec);
      const bool inside = lanesBox(*this).contains(place);
      view_.setPointer(inside ? std::optional(t) : std::nullopt);
      break;
    }
    case Drag::span:
      view_.setPointer(std::nullopt);
      if (std::fabs(x - hand_.pressed.x()) > kClick) view_.setSpan(hand_.time, t);
      break;
    case Drag::left_end:
      view_.setSpan(t, view_.span() ? view_.span()->second : t);
      if (view_.span() && t > view_.span()->second - 1e-15) hand_.drag = Drag::right_end;
      break;
    case Drag::right_end:
      view_.setSpan(view_.span() ? view_.span()->first : t, t);
      if (view_.span() && t < view_.span()->first + 1e-15) hand_.drag = Drag::left_end;
      break;
    case Drag::first_cursor:
    case Drag::second_cursor:
      view_.setCursor(hand_.drag == Drag::first_cursor ? 0 : 1, t);
      break;
    case Drag::threshold:
      if (const auto level = currentValue(place.y()); level && *level > 0)
        emit thresholdDragged(hand_.threshold.rule, hand_.threshold.upper, *level, false);
      break;
    case Drag::pan: {
      const double shift = (hand_.pressed.x() - x) / std::max(1, width() - kLaneLeft - kLaneRight) *
                           (hand_.pan_to - hand_.pan_from);
      view_.show(hand_.pan_from + shift, hand_.pan_to + shift);
      break;
    }
    case Drag::value:
      dragValues(place.y());
      break;
    case Drag::height:
      dragBorder(place.y());
      break;
    case Drag::order: {
      hand_.drop_at = laneAt(place);
      if (!hand_.guide) {
        hand_.guide = new QWidget(this);
        hand_.guide->setAttribute(Qt::WA_TransparentForMouseEvents);
        hand_.guide->setAutoFillBackground(true);
        QPalette palette = hand_.guide->palette();
        palette.setColor(QPalette::Window, Theme::current().focus());
        hand_.guide->setPalette(palette);
      }
      hand_.guide->setVisible(hand_.drop_at >= 0 && hand_.drop_at != hand_.lane);
      if (hand_.drop_at >= 0) {
        const QRect box = lanes_[static_cast<std::size_t>(hand_.drop_at)].rect->rect();
        hand_.guide->setGeometry(4, hand_.drop_at < hand_.lane ? box.top() - 3 : box.bottom() + 2,
                                 width() - 8, 2);
      }
      break;
    }
    case Drag::capture:
      if (std::fabs(x - hand_.pressed.x()) > kClick)
        view_.dragOffset(hand_.offset + t - hand_.time);
      break;
  }
}

void Lanes::dragValues(double y) {
  Lane& lane = lanes_[static_cast<std::size_t>(hand_.lane)];
  lane.moved = true;
  const double share = (y - hand_.pressed.y()) / lane.rect->height();
  if (lane.value->scaleType() == QCPAxis::stLogarithmic) {
    const double factor = std::pow(hand_.values.upper / hand_.values.lower, share);
    lane.value->setRange(hand_.values.lower * factor, hand_.values.upper * factor);
  } else {
    lane.value->setRange(hand_.values + share * hand_.values.size());
  }
  updateTicks();
  replot(QCustomPlot::rpQueuedReplot);
}

/// Moves height from one lane to the next. All lanes then keep the height they have.
void Lanes::dragBorder(double y) {
  const auto above = static_cast<std::size_t>(hand_.lane);
  const int both = hand_.heights[above] + hand_.heights[above + 1];
  const int first = std::clamp(hand_.heights[above] + static_cast<int>(y - hand_.pressed.y()),
                               kLeastHeight, std::max(kLeastHeight, both - kLeastHeight));
  for (std::size_t i = 0; i < lanes_.size(); ++i)
    plan_.lanes[lanes_[i].spec].height = hand_.heights[i];
  plan_.lanes[lanes_[above].spec].height = first;
  plan_.lanes[lanes_[above + 1].spec].height = both - first;
  setHeights();
  plotLayout()->update(QCPLayoutElement::upLayout);
  updateTicks();
  replot(QCustomPlot::rpQueuedReplot);
}

void Lanes::dropLane() {
  if (hand_.guide) hand_.guide->hide();
  const int from = hand_.lane, to = std::exchange(hand_.drop_at, -1);
  if (to < 0 || to == from) return;
  LanePlan changed = plan_;
  changed.move(lanes_[static_cast<std::size_t>(from)].spec,
               lanes_[static_cast<std::size_t>(to)].spec);
  setPlan(std::move(changed));
}

void Lanes::mouseReleaseEvent(QMouseEvent* event) {
  const Drag drag = std::exchange(hand_.drag, Drag::none);
  const bool still = std::fabs(event->position().x() - hand_.pressed.x()) <= kClick;
  if (drag == Drag::order) {
    setCursor(Qt::ArrowCursor);
    dropLane();
  } else if (drag == Drag::height) {
    keepPlan();
  } else if (drag == Drag::capture) {
    view_.dropOffset();
  } else if (drag == Drag::threshold) {
    // A click on it sets nothing.
    const bool moved = std::fabs(event->position().y() - hand_.pressed.y()) >= 1;
    const double level = currentValue(event->position().y()).value_or(0);
    if (level > 0)
      emit thresholdDragged(hand_.threshold.rule, hand_.threshold.upper,
                            moved ? level : hand_.threshold.level, true);
  }
  const bool axis = drag == Drag::pan && event->button() == Qt::LeftButton;
  if (axis && still) emit timesClicked();
  if ((drag != Drag::span && drag != Drag::capture) || !still || !view_.capture()) return;
  const auto at = visit_at(view_.capture()->visits, timeAt(event->position().x()));
  view_.pickVisit(at < view_.capture()->visits.size() ? static_cast<int>(at) : ViewState::kNone);
}

void Lanes::mouseDoubleClickEvent(QMouseEvent* event) {
  if (!view_.capture() || event->button() != Qt::LeftButton) return;
  if (!lanesBox(*this).contains(event->position())) return;
  const auto at = visit_at(view_.capture()->visits, timeAt(event->position().x()));
  if (at >= view_.capture()->visits.size()) return;
  const Visit& v = view_.capture()->visits[at].visit;
  view_.pickVisit(static_cast<int>(at));
  view_.show(v.from_s - 0.08 * v.length_s(), v.to_s + 0.08 * v.length_s());
}

void Lanes::contextMenuEvent(QContextMenuEvent* event) {
  const bool keys = event->reason() == QContextMenuEvent::Keyboard;
  if (!keys) {
    if (const int lane = laneAt(event->pos()); lane >= 0)
      choose(lanes_[static_cast<std::size_t>(lane)].spec);
  }
  emit menuWanted(keys ? mapToGlobal(lanesBox(*this).center().toPoint()) : event->globalPos());
}

/// What is flagged or missing there, in words.
QString Lanes::describeAt(const QPointF& place) const {
  const int lane = laneAt(place);
  if (lane < 0 || !lanesBox(*this).contains(place)) return {};
  const double t = timeAt(place.x()), grain = 2 * (timeAt(1) - timeAt(0));
  QStringList lines;
  for (const CurvePlottable* plottable : lanes_[static_cast<std::size_t>(lane)].curves) {
    const Curve* curve = plottable->curve();
    if (!curve) continue;
    for (const FlagRun& run : curve->flags) {
      if (t < run.from_s - grain || t > run.to_s + grain) continue;
      lines << tr("%1 samples %2, %3")
                   .arg(run.samples)
                   .arg(QObject::tr(describe(run.flag)),
                        QString::fromStdString(duration(run.to_s - run.from_s)));
    }
    for (const auto& [from, to] : curve->gaps) {
      if (t >= from - grain && t <= to + grain)
        lines << tr("no data for %1").arg(QString::fromStdString(duration(to - from)));
    }
  }
  for (const Threshold& one : thresholds()) {
    const double y = currentPixel(one.level).value_or(-10);
    if (currentLane().contains(place.toPoint()) && std::fabs(place.y() - y) <= 3) lines << one.text;
  }
  lines.removeDuplicates();
  return lines.join(QLatin1Char('\n'));
}

bool Lanes::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    const QString words =
        captionAt(help->pos()) >= 0
            ? tr("%1: drag to reorder; right-click for more")
                  .arg(QString::fromStdString(
                      lanes_[static_cast<std::size_t>(captionAt(help->pos()))].name))
            : describeAt(help->pos());
    if (words.isEmpty()) {
      QToolTip::hideText();
    } else {
      QToolTip::showText(help->globalPos(), words, this);
    }
    return true;
  }
  return QCustomPlot::event(event);
}

void Lanes::focusInEvent(QFocusEvent* event) {
  QCustomPlot::focusInEvent(event);
  layer(QStringLiteral("cursor"))->replot();
}
void Lanes::focusOutEvent(QFocusEvent* event) {
  QCustomPlot::focusOutEvent(event);
  layer(QStringLiteral("cursor"))->replot();
}

void Lanes::leaveEvent(QEvent* event) {
  view_.setPointer(std::nullopt);
  QCustomPlot::leaveEvent(event);
}

}  // namespace kuvio::app
