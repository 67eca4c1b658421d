// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/lanes.h"

#include "app/look/theme.h"
#include "app/look/ticks.h"
#include "app/trace/curves.h"
#include "app/trace/overview.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kHandle = 6;   // half of a handle's width to aim at
constexpr double kClick = 4;    // pixels the mouse may move in a click
constexpr int kStandInMs = 14;  // a frame later than this is stood in for
constexpr int kLogicHeight = 20, kFoot = 24, kHead = 18;

int rank(const book::ChannelInfo& c) {
  if (c.quantity == "current") return 0;
  if (c.quantity == "voltage") return 1;
  return c.quantity == "logic" ? 3 : 2;
}

}  // namespace

Lanes::Lanes(ViewState& view, Session& session, QWidget* parent)
    : QCustomPlot(parent), view_(view), session_(session) {
  setObjectName(QStringLiteral("lanes"));
  setAccessibleName(tr("Traces over time"));
  setAccessibleDescription(
      tr("The captured channels. Drag to mark a span, turn the wheel to zoom."));
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setMinimumHeight(150);
  setPlottingHint(QCP::phCacheLabels, true);
  plotLayout()->clear();
  plotLayout()->setRowSpacing(4);
  addLayer(QStringLiteral("marks"), layer(QStringLiteral("main")), QCustomPlot::limBelow);
  addLayer(QStringLiteral("cursor"), nullptr, QCustomPlot::limAbove);
  layer(QStringLiteral("cursor"))->setMode(QCPLayer::lmBuffered);
  (new StretchMark(this, view_))->setLayer(QStringLiteral("marks"));
  (new PointerMark(this, view_))->setLayer(QStringLiteral("cursor"));
  stand_in_.setSingleShot(true);
  stand_in_.setInterval(kStandInMs);
  connect(&stand_in_, &QTimer::timeout, this, [this] { replot(QCustomPlot::rpQueuedReplot); });
  applyTheme();
  connect(&view_, &ViewState::captureChanged, this, &Lanes::takeShown);
  connect(&view_, &ViewState::rangeChanged, this, &Lanes::rangeChanged);
  for (const auto signal : {&ViewState::spanChanged, &ViewState::visitChanged})
    connect(&view_, signal, this, [this] { replot(QCustomPlot::rpQueuedReplot); });
  connect(&view_, &ViewState::pointerChanged, this,
          [this] { layer(QStringLiteral("cursor"))->replot(); });
  connect(&session_, &Session::frameReady, this, &Lanes::takeFrame);
  connect(this, &QCustomPlot::afterReplot, this, [this] {
    if (std::exchange(fresh_, false)) emit framePainted();
  });
}

void Lanes::takeShown() {
  std::vector<book::ChannelInfo> all;
  if (view_.shown()) {
    for (const CaptureViewPtr& c : view_.shown()->captures) {
      for (const book::ChannelInfo& channel : c->info.channels) {
        const bool known = std::any_of(all.begin(), all.end(), [&](const book::ChannelInfo& a) {
          return a.name == channel.name;
        });
        if (!known) all.push_back(channel);
      }
    }
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const auto& a, const auto& b) { return rank(a) < rank(b); });
  channels_.clear();
  for (const book::ChannelInfo& c : all) channels_.push_back(c.name);
  build();
  rangeChanged();
}

/// Makes the lanes anew where their number or that of the captures is another than before.
void Lanes::build() {
  std::vector<std::string> wanted;
  for (const std::string& name : channels_) {
    if (!isHidden(name)) wanted.push_back(name);
  }
  const std::size_t captures = view_.shown() ? view_.shown()->captures.size() : 0;
  if (wanted != built_ || captures != built_captures_) {
    clearPlottables();
    for (const Lane& lane : lanes_) removeItem(lane.caption);
    plotLayout()->clear();
    lanes_.clear();
    frame_.reset();
    for (std::size_t i = 0; i < wanted.size(); ++i) {
      const book::ChannelInfo* info = nullptr;
      for (const CaptureViewPtr& c : view_.shown()->captures) {
        if (!info) info = c->info.channel(wanted[i]);
      }
      if (info) addLane(*info, i + 1 == wanted.size());
    }
    built_ = wanted;
    built_captures_ = captures;
    applyTheme();
  }
  for (Lane& lane : lanes_) {
    for (std::size_t i = 0; i < lane.curves.size(); ++i) {
      static constexpr Qt::PenStyle kStyles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine,
                                                 Qt::DashDotLine};
      const std::size_t ink = view_.shown()->captures[i]->ink;
      // Captures of one build, and inks that a colour-blind eye may confuse, differ by the line.
      QPen pen(Theme::current().ink(ink), 1);  // the one width that is painted fast
      if (i > 0 && lane.quantity == "logic") pen.setStyle(kStyles[i % 4]);
      lane.curves[i]->setPen(pen);
    }
    fitLane(lane);
  }
}

void Lanes::addLane(const book::ChannelInfo& channel, bool last) {
  Lane lane;
  lane.name = channel.name;
  lane.quantity = channel.quantity;
  lane.unit = channel.unit;
  const bool logic = lane.quantity == "logic", first = lanes_.empty();
  lane.rect = new QCPAxisRect(this, false);
  lane.time = lane.rect->addAxis(QCPAxis::atBottom);
  lane.value = lane.rect->addAxis(QCPAxis::atLeft);
  lane.rect->setAutoMargins(QCP::msNone);
  lane.rect->setMargins(QMargins(kLaneLeft, first ? kHead : 2, kLaneRight, last ? kFoot : 1));
  if (logic) {
    lane.rect->setMinimumSize(0, kLogicHeight);
    lane.rect->setMaximumSize(QWIDGETSIZE_MAX, kLogicHeight);
  } else {
    lane.rect->setMinimumSize(0, lane.quantity == "current" ? 90 : 36);
  }
  const int row = plotLayout()->rowCount();
  plotLayout()->addElement(row, 0, lane.rect);
  plotLayout()->setRowStretchFactor(row, lane.quantity == "current" ? 5 : logic ? 0.01 : 1);
  for (QCPAxis* axis : {lane.time, lane.value}) {
    axis->setTicker(QSharedPointer<QCPAxisTickerText>::create());
    axis->setTickLength(0, 4);
    axis->setSubTickLength(0, 2);
    axis->setTickLabelPadding(6);
    axis->setLayer(QStringLiteral("axes"));
    axis->grid()->setLayer(QStringLiteral("grid"));
    axis->grid()->setVisible(true);
    axis->grid()->setSubGridVisible(!logic);
  }
  if (!last) {
    lane.time->setTickLabels(false);
    lane.time->setTickLength(0, 0);
    lane.time->setSubTickLength(0, 0);
  }
  if (logic) {
    lane.value->setTickLabels(false);
    lane.value->setTicks(false);
    lane.value->grid()->setVisible(false);
  }
  lane.caption = new QCPItemText(this);
  lane.caption->setClipToAxisRect(false);
  lane.caption->position->setType(QCPItemPosition::ptAbsolute);
  const bool only = std::count(channels_.begin(), channels_.end(), channel.name) == 1;
  const QString name = QString::fromStdString(
      lane.quantity == "current" && first && only && channel.name.size() < 3 ? "current"
      : lane.quantity == "voltage" && channel.name.size() < 3                ? "voltage"
                                                                             : channel.name);
  lane.caption->setText(name);
  for (std::size_t i = 0; i < view_.shown()->captures.size(); ++i)
    lane.curves.push_back(new CurvePlottable(lane.time, lane.value));
  for (CurvePlottable* curve : lane.curves) curve->setDots(!logic);
  // The first capture lies on top.
  for (std::size_t i = lane.curves.size(); i-- > 0;)
    lane.curves[i]->setLayer(QStringLiteral("main"));
  lanes_.push_back(lane);
}

void Lanes::styleLane(Lane& lane) const {
  const Theme& t = Theme::current();
  for (QCPAxis* axis : {lane.time, lane.value}) {
    axis->setBasePen(QPen(t.rulingTenth()));
    axis->setTickPen(QPen(t.border()));
    axis->setSubTickPen(QPen(t.rulingTenth()));
    axis->setTickLabelColor(t.muted());
    axis->setTickLabelFont(Theme::baseFont(11));
    axis->grid()->setPen(QPen(t.rulingTenth(), 1));
    axis->grid()->setSubGridPen(QPen(t.ruling(), 1));
    axis->grid()->setZeroLinePen(QPen(t.border(), 1));
    axis->grid()->setAntialiased(false);
    axis->grid()->setAntialiasedSubGrid(false);
  }
  lane.caption->setFont(Theme::baseFont(12, QFont::DemiBold));
  lane.caption->setColor(t.text());
}

void Lanes::applyTheme() {
  setBackground(QBrush(Theme::current().ground()));
  for (Lane& lane : lanes_) styleLane(lane);
  if (view_.shown()) {
    for (Lane& lane : lanes_) {
      for (std::size_t i = 0; i < lane.curves.size(); ++i) {
        QPen pen = lane.curves[i]->pen();
        pen.setColor(Theme::current().ink(view_.shown()->captures[i]->ink));
        lane.curves[i]->setPen(pen);
      }
    }
  }
  replot(QCustomPlot::rpQueuedReplot);
}

std::vector<std::string> Lanes::laneNames() const {
  std::vector<std::string> out;
  for (const Lane& lane : lanes_) out.push_back(lane.name);
  return out;
}

void Lanes::setHidden(const std::string& name, bool hidden) {
  if (hidden == isHidden(name)) return;
  if (hidden) {
    hidden_.insert(name);
  } else {
    hidden_.erase(name);
  }
  build();
  rangeChanged();
}

QCPRange Lanes::valueRange(int lane) const {
  return lanes_.at(static_cast<std::size_t>(lane)).value->range();
}

const Curve* Lanes::curve(int lane, int capture) const {
  return lanes_.at(static_cast<std::size_t>(lane))
      .curves.at(static_cast<std::size_t>(capture))
      ->curve();
}

double Lanes::pixelOf(double t) const {
  const double width = std::max(1, this->width() - kLaneLeft - kLaneRight);
  return kLaneLeft + (t - view_.from()) / (view_.to() - view_.from()) * width;
}

double Lanes::timeAt(double pixel) const {
  const double width = std::max(1, this->width() - kLaneLeft - kLaneRight);
  return view_.from() + (pixel - kLaneLeft) / width * (view_.to() - view_.from());
}

void Lanes::setLogarithmic(bool on) {
  logarithmic_ = on;
  fitValues();
  replot(QCustomPlot::rpQueuedReplot);
}

void Lanes::fitValues() {
  for (Lane& lane : lanes_) {
    lane.fixed = false;
    fitLane(lane);
    if (lane.follows()) fitToSeen(lane);
  }
  updateTicks();
}

void Lanes::fitLane(Lane& lane) const {
  double lo = 0, hi = 0, quiet = 0;
  bool any = false;
  if (view_.shown()) {
    for (const CaptureViewPtr& c : view_.shown()->captures) {
      const auto it = c->extremes.find(lane.name);
      if (it == c->extremes.end()) continue;
      lo = any ? std::min(lo, it->second.first) : it->second.first;
      hi = any ? std::max(hi, it->second.second) : it->second.second;
      if (lane.name == c->channel.name) {
        const double level = quietLevel(c->overview);
        quiet = quiet > 0 && level > 0 ? std::min(quiet, level) : std::max(quiet, level);
      }
      any = true;
    }
  }
  const bool log = logarithmic_ && lane.quantity == "current";
  lane.value->setScaleType(log ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
  if (lane.quantity == "logic") {
    lane.value->setRange(-0.25, 1.25);
  } else if (!any || !(hi > lo || hi != 0)) {
    lane.value->setRange(log ? QCPRange(1e-6, 1) : QCPRange(0, 1));
  } else if (log) {
    const double top = std::max(hi, 1e-9);
    const double foot =
        std::clamp(quiet > 0 ? quiet : std::max(lo, top * 1e-6), top * 1e-9, top / 10);
    lane.value->setRange(std::pow(10, std::floor(std::log10(foot))), top * 2);
  } else {
    const double base = lane.quantity == "voltage" ? lo : std::min(lo, 0.0);
    const double room = std::max((hi - base) * 0.08, 1e-12);
    lane.value->setRange(base < 0 || lane.quantity == "voltage" ? base - room : 0, hi + room);
  }
}

/// The value axis takes in what the frame shows, but for moments without power: a voltage that is
/// gone for less than a tenth of the view would flatten all the rest.
void Lanes::fitToSeen(Lane& lane) {
  std::vector<std::pair<double, double>> seen;
  for (const CurvePlottable* plottable : lane.curves) {
    const Curve* curve = plottable->curve();
    if (!curve) continue;
    for (const EnvelopeColumn& c : curve->columns) {
      if (c.any) seen.emplace_back(c.lo, c.hi);
    }
    for (const TracePoint& p : curve->points) seen.emplace_back(p.value, p.value);
  }
  if (seen.empty()) return;
  double lo = seen.front().first, hi = seen.front().second;
  for (const auto& [a, b] : seen) hi = std::max(hi, b);
  const auto gone = [&](const auto& s) { return lane.quantity == "voltage" && s.first < hi / 2; };
  const auto lost = std::count_if(seen.begin(), seen.end(), gone);
  const bool leave_out = lost * 10 < static_cast<std::ptrdiff_t>(seen.size());
  lo = hi;
  for (const auto& s : seen) {
    if (!leave_out || !gone(s)) lo = std::min(lo, s.first);
  }
  const double room = std::max((hi - lo) * 0.12, std::max(std::fabs(hi), 1e-9) * 1e-3);
  lane.value->setRange(lo - room, hi + room);
}

void Lanes::rangeChanged() {
  for (Lane& lane : lanes_) lane.time->setRange(view_.from(), view_.to());
  updateTicks();
  askFrame();
  if (lanes_.empty()) {
    replot(QCustomPlot::rpQueuedReplot);
  } else if (!stand_in_.isActive()) {
    stand_in_.start();
  }
}

void Lanes::askFrame() {
  const int columns = width() - kLaneLeft - kLaneRight;
  if (view_.capture() && columns > 0 && !lanes_.empty())
    session_.wantFrame({view_.from(), view_.to(), columns, laneNames()});
}

void Lanes::takeFrame(const FramePtr& frame) {
  frame_ = frame;
  for (Lane& lane : lanes_) {
    for (std::size_t i = 0; i < lane.curves.size(); ++i) {
      const Curve* found = nullptr;
      for (const LaneFrame& f : frame->lanes) {
        if (f.name != lane.name) continue;
        for (const Curve& c : f.curves) {
          if (c.capture == i) found = &c;
        }
      }
      lane.curves[i]->setCurve(found ? frame : nullptr, found);
    }
  }
  for (Lane& lane : lanes_) {
    if (lane.follows()) fitToSeen(lane);
  }
  updateTicks();
  fresh_ = true;
  stand_in_.stop();
  replot(QCustomPlot::rpQueuedReplot);
}

void Lanes::updateTicks() {
  const auto give = [](QCPAxis* axis, const std::vector<Tick>& ticks) {
    auto ticker = qSharedPointerDynamicCast<QCPAxisTickerText>(axis->ticker());
    ticker->clear();
    for (const Tick& t : ticks) ticker->addTick(t.at, QString::fromStdString(t.label));
  };
  const int width = std::max(1, this->width() - kLaneLeft - kLaneRight);
  const auto times = time_ticks(view_.from(), view_.to(), std::max(2, width / 110));
  for (Lane& lane : lanes_) {
    // Four rulings between two labels, as on graph paper.
    qSharedPointerDynamicCast<QCPAxisTickerText>(lane.time->ticker())->setSubTickCount(4);
    give(lane.time, times);
    const int height = std::max(1, lane.rect->height());
    const QCPRange r = lane.value->range();
    if (lane.quantity == "logic") continue;
    if (lane.value->scaleType() == QCPAxis::stLogarithmic && r.lower > 0) {
      // Rulings closer than 6 px are dropped: nine of them share a decade.
      give(lane.value, log_ticks(r.lower, r.upper, height, 54, lane.unit));
    } else {
      auto ticks = value_ticks(r.lower, r.upper, std::max(2, height / 36), lane.unit);
      // Under its caption there is no room for a label.
      if (&lane != &lanes_.front()) {
        for (Tick& t : ticks) {
          if ((r.upper - t.at) / r.size() * height < 20) t.label.clear();
        }
      }
      give(lane.value, ticks);
    }
  }
  placeCaptions();
}

void Lanes::placeCaptions() {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    Lane& lane = lanes_[i];
    const QRect box = lane.rect->rect();
    const bool above = i == 0;
    lane.caption->setPositionAlignment(Qt::AlignRight | (above ? Qt::AlignTop : Qt::AlignVCenter));
    const double middle = lane.quantity == "logic" ? box.center().y() : box.top() + 8;
    lane.caption->position->setCoords(kLaneLeft - 8, above ? 1.0 : middle);
  }
}

int Lanes::laneAt(const QPointF& place) const {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    const QRect r = lanes_[i].rect->rect();
    if (place.y() >= r.top() - 2 && place.y() <= r.bottom() + 2) return static_cast<int>(i);
  }
  return -1;
}

Lanes::Drag Lanes::handleAt(double pixel) const {
  if (!view_.span()) return Drag::none;
  if (std::fabs(pixel - pixelOf(view_.span()->first)) <= kHandle) return Drag::left_end;
  if (std::fabs(pixel - pixelOf(view_.span()->second)) <= kHandle) return Drag::right_end;
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
    if (lane < 0) return;
    QCPAxis* value = lanes_[static_cast<std::size_t>(lane)].value;
    lanes_[static_cast<std::size_t>(lane)].fixed = true;
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
  pressed_ = event->position();
  pressed_time_ = timeAt(pressed_.x());
  pan_from_ = view_.from();
  pan_to_ = view_.to();
  drag_lane_ = laneAt(pressed_);
  const bool time_axis = pressed_.y() > lanesBox(*this).bottom();
  const bool value_axis = pressed_.x() < kLaneLeft && drag_lane_ >= 0;
  if (event->button() == Qt::MiddleButton || (event->button() == Qt::LeftButton && time_axis)) {
    drag_ = Drag::pan;
  } else if (event->button() == Qt::LeftButton && value_axis) {
    drag_ = Drag::value;
    pan_values_ = lanes_[static_cast<std::size_t>(drag_lane_)].value->range();
  } else if (event->button() == Qt::LeftButton) {
    drag_ = handleAt(pressed_.x());
    if (drag_ == Drag::none) drag_ = Drag::span;
  }
}

void Lanes::mouseMoveEvent(QMouseEvent* event) {
  if (!view_.capture() || lanes_.empty()) return;
  const double x = event->position().x(), t = timeAt(x);
  switch (drag_) {
    case Drag::none: {
      setCursor(handleAt(x) == Drag::none ? Qt::ArrowCursor : Qt::SizeHorCursor);
      const bool inside = lanesBox(*this).contains(event->position());
      view_.setPointer(inside ? std::optional(t) : std::nullopt);
      break;
    }
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
      const double shift = (pressed_.x() - x) / std::max(1, width() - kLaneLeft - kLaneRight) *
                           (pan_to_ - pan_from_);
      view_.show(pan_from_ + shift, pan_to_ + shift);
      break;
    }
    case Drag::value: {
      Lane& lane = lanes_[static_cast<std::size_t>(drag_lane_)];
      lane.fixed = true;
      const double share = (event->position().y() - pressed_.y()) / lane.rect->height();
      if (lane.value->scaleType() == QCPAxis::stLogarithmic) {
        const double factor = std::pow(pan_values_.upper / pan_values_.lower, share);
        lane.value->setRange(pan_values_.lower * factor, pan_values_.upper * factor);
      } else {
        lane.value->setRange(pan_values_ + share * pan_values_.size());
      }
      updateTicks();
      replot(QCustomPlot::rpQueuedReplot);
      break;
    }
  }
}

void Lanes::mouseReleaseEvent(QMouseEvent* event) {
  const bool click =
      drag_ == Drag::span && std::fabs(event->position().x() - pressed_.x()) <= kClick;
  drag_ = Drag::none;
  if (!click || !view_.capture()) return;
  const auto at = visit_at(view_.capture()->visits, timeAt(event->position().x()));
  view_.pickVisit(at < view_.capture()->visits.size() ? static_cast<int>(at) : ViewState::kNone);
}

void Lanes::mouseDoubleClickEvent(QMouseEvent* event) {
  if (!view_.capture() || event->button() != Qt::LeftButton) return;
  const auto at = visit_at(view_.capture()->visits, timeAt(event->position().x()));
  if (at >= view_.capture()->visits.size()) return;
  const Visit& v = view_.capture()->visits[at].visit;
  view_.pickVisit(static_cast<int>(at));
  view_.show(v.from_s - 0.08 * v.length_s(), v.to_s + 0.08 * v.length_s());
}

void Lanes::contextMenuEvent(QContextMenuEvent* event) {
  const QPoint at = event->reason() == QContextMenuEvent::Keyboard
                        ? mapToGlobal(lanesBox(*this).center().toPoint())
                        : event->globalPos();
  emit menuWanted(at);
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

void Lanes::resizeEvent(QResizeEvent* event) {
  QCustomPlot::resizeEvent(event);
  plotLayout()->update(QCPLayoutElement::upMargins);
  plotLayout()->update(QCPLayoutElement::upLayout);
  updateTicks();
  askFrame();
}

}  // namespace kuvio::app
