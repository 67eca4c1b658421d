// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/lanes.h"

#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"
#include "app/trace/curves.h"
#include "app/trace/marks.h"
#include "book/notes.h"
#include "core/level_scale.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr int kStandInMs = 14;  // a frame later than this is stood in for
constexpr Px kLogicHeight{20}, kFoot{24}, kHead{18};

}  // namespace

Lanes::Lanes(ViewState& view, Session& session, QWidget* parent)
    : QCustomPlot(parent), view_(view), session_(session) {
  setObjectName(QStringLiteral("lanes"));
  setAccessibleName(tr("Traces over time"));
  setAccessibleDescription(
      tr("The captured channels. Drag to mark a span, turn the wheel to zoom."));
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setMinimumHeight(Px{150});
  setPlottingHint(QCP::phCacheLabels, true);
  plotLayout()->clear();
  plotLayout()->setRowSpacing(4 + static_cast<int>(16 * (text_scale() - 1)));
  addLayer(QStringLiteral("marks"), layer(QStringLiteral("main")), QCustomPlot::limBelow);
  addLayer(QStringLiteral("cursor"), nullptr, QCustomPlot::limAbove);
  layer(QStringLiteral("cursor"))->setMode(QCPLayer::lmBuffered);
  (new StretchMark(this, view_))->setLayer(QStringLiteral("marks"));
  (new LogTicks(this, view_))->setLayer(QStringLiteral("marks"));
  thresholds_ = new ThresholdMark(*this, view_);
  thresholds_->setLayer(QStringLiteral("cursor"));
  (new CursorMark(this, view_))->setLayer(QStringLiteral("cursor"));
  (new PointerMark(this, view_))->setLayer(QStringLiteral("cursor"));
  stand_in_.setSingleShot(true);
  stand_in_.setInterval(kStandInMs);
  connect(&stand_in_, &QTimer::timeout, this, [this] { replot(QCustomPlot::rpQueuedReplot); });
  makePaging();
  applyTheme();
  connect(&view_, &ViewState::captureChanged, this, &Lanes::takeShown);
  connect(&view_, &ViewState::rangeChanged, this, &Lanes::rangeChanged);
  connect(&view_, &ViewState::offsetsChanged, this, &Lanes::askFrame);
  for (const auto signal :
       {&ViewState::spanChanged, &ViewState::visitChanged, &ViewState::logMatchesChanged})
    connect(&view_, signal, this, [this] { replot(QCustomPlot::rpQueuedReplot); });
  for (const auto signal : {&ViewState::pointerChanged, &ViewState::cursorsChanged})
    connect(&view_, signal, this, [this] { layer(QStringLiteral("cursor"))->replot(); });
  connect(&session_, &Session::frameReady, this, &Lanes::takeFrame);
  connect(this, &QCustomPlot::afterReplot, this, [this] {
    if (std::exchange(fresh_, false)) emit framePainted();
  });
}

double Lanes::Lane::toAxis(double v) const {
  return scale == ValueScale::symlog ? symlog(v, quiet) : v;
}
double Lanes::Lane::fromAxis(double place) const {
  return scale == ValueScale::symlog ? from_symlog(place, quiet) : place;
}

void Lanes::takeShown() {
  channels_.clear();
  if (view_.shown()) {
    for (const CaptureViewPtr& c : view_.shown()->captures) {
      for (const book::ChannelInfo& channel : c->info.channels) {
        const bool known =
            std::any_of(channels_.begin(), channels_.end(),
                        [&](const book::ChannelInfo& a) { return a.name == channel.name; });
        if (!known) channels_.push_back(channel);
      }
    }
  }
  restorePlan();
  plan_.add_missing(channels_);
  build();
  rangeChanged();
}

/// The plan that was kept with the book, once the book is another.
void Lanes::restorePlan() {
  if (!session_.book() || session_.book()->path == plan_book_) return;
  plan_book_ = session_.book()->path;
  plan_ = LanePlan::restored(QByteArray::fromStdString(session_.book()->note("lanes")));
}

void Lanes::keepPlan() { session_.storeQuietly("lanes", plan_.saved().toStdString()); }

void Lanes::setPlan(LanePlan plan) {
  plan_ = std::move(plan);
  plan_.add_missing(channels_);
  keepPlan();
  build();
  rangeChanged();
}

bool Lanes::isHidden(const std::string& channel) const {
  const std::size_t at = plan_.lane_of(channel);
  return at != LanePlan::npos && !plan_.lanes[at].shown;
}

void Lanes::setHidden(const std::string& channel, bool hidden) {
  const std::size_t at = plan_.lane_of(channel);
  if (at == LanePlan::npos || plan_.lanes[at].shown == !hidden) return;
  LanePlan changed = plan_;
  changed.lanes[at].shown = !hidden;
  setPlan(std::move(changed));
}

/// Makes the lanes anew where they, or the number of captures, are others than before.
void Lanes::build() {
  const std::size_t captures = view_.shown() ? view_.shown()->captures.size() : 0;
  const auto all = allLanes();
  const int count = static_cast<int>(all.size());
  // As far down as the last lanes fill the page.
  int lowest = count;
  while (lowest > 0 && room(all, lowest - 1) >= count - lowest + 1) --lowest;
  paging_.top = std::clamp(paging_.top, 0, lowest);
  const int fit = room(all, paging_.top);
  paging_.beyond = count - fit;
  const auto first = all.begin() + paging_.top, last = first + fit;
  QStringList wanted{QString::number(captures)};
  for (auto it = first; it != last; ++it) {
    for (const LaneCurve& c : plan_.lanes[it->first].curves)
      wanted << curve_name(c) << QString::number(c.window_s, 'g', 17);
    wanted << QString::number(it->second);
  }
  for (const book::ChannelInfo& c : channels_)
    wanted << QString::fromStdString(c.name) << QString::number(static_cast<int>(c.quantity))
           << QString::fromStdString(c.unit);
  if (wanted != built_) {
    clearPlottables();
    for (const Lane& lane : lanes_) removeItem(lane.caption);
    plotLayout()->clear();
    lanes_.clear();
    frame_.reset();
    ++revision_;
    for (auto it = first; it != last; ++it) addLane(it->first, it->second, it + 1 == last);
    built_ = wanted;
    applyTheme();
  }
  for (std::size_t i = 0; i < lanes_.size(); ++i)  // the same lanes may stand elsewhere in it
    lanes_[i].spec = first[static_cast<std::ptrdiff_t>(i)].first;
  setHeights();
  for (Lane& lane : lanes_) {
    inkLane(lane);
    fitLane(lane);
  }
  showCounts(count);
}

void Lanes::setHeights() {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    const Lane& lane = lanes_[i];
    const double own = plan_.lanes[lane.spec].height;
    const double usual = lane.quantity == Quantity::current ? 5
                         : lane.quantity == Quantity::logic ? 0.01
                                                            : 1;
    // Heights by hand are pixels of when they were set; beside lanes without one these count as
    // so many pixels.
    plotLayout()->setRowStretchFactor(static_cast<int>(i), lane.quantity == Quantity::logic ? 0.01
                                                           : own > 0 ? own / 50
                                                                     : usual);
  }
}

/// Which channels of which captures a lane shows, and what they measure.
void Lanes::fillLane(Lane& lane, int capture) const {
  const auto& captures = view_.shown()->captures;
  for (const LaneCurve& c : plan_.lanes[lane.spec].curves) {
    const auto info = std::find_if(channels_.begin(), channels_.end(),
                                   [&](const auto& channel) { return channel.name == c.channel; });
    if (info == channels_.end()) continue;
    if (lane.name.empty()) {
      lane.name = curve_name(c).toStdString();
      std::tie(lane.quantity, lane.unit) = curve_quantity(c, *info);
    }
    for (std::size_t i = 0; i < captures.size(); ++i) {
      if (capture < 0 || static_cast<std::size_t>(capture) == i)
        lane.sources.push_back({i, c.channel, c.form, c.window_s});
    }
  }
}

void Lanes::setUpAxes(Lane& lane, bool last) {
  const bool logic = lane.quantity == Quantity::logic;
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
}

QString Lanes::captionOf(const Lane& lane, int capture) const {
  const std::vector<LaneCurve>& curves = plan_.lanes[lane.spec].curves;
  const LaneCurve& top = curves.front();
  QString name = QString::fromStdString(lane.name);
  const auto of_its_kind =
      std::count_if(channels_.begin(), channels_.end(),
                    [&](const auto& channel) { return channel.quantity == lane.quantity; });
  if (top.form == CurveForm::samples && lane.name.size() < 3 && of_its_kind == 1) {
    // A symbol is less than a word, where there is no second one to tell it from.
    if (lane.quantity == Quantity::current) name = tr("current");
    if (lane.quantity == Quantity::voltage) name = tr("voltage");
  } else if (top.form == CurveForm::charge) {
    name = tr("charge %1").arg(QString::fromStdString(top.channel));
  } else if (top.form == CurveForm::mean) {
    name = tr("mean %1").arg(QString::fromStdString(top.channel));
  }
  if (curves.size() > 1) name += QStringLiteral(" +%1").arg(curves.size() - 1);
  if (capture >= 0)
    name +=
        QStringLiteral(" ") + QChar(QLatin1Char('a').unicode() + static_cast<char16_t>(capture));
  return name;
}

void Lanes::addLane(std::size_t spec, int capture, bool last) {
  Lane lane;
  lane.spec = spec;
  fillLane(lane, capture);
  const bool logic = lane.quantity == Quantity::logic, first = lanes_.empty();
  lane.rect = new QCPAxisRect(this, false);
  lane.time = lane.rect->addAxis(QCPAxis::atBottom);
  lane.value = lane.rect->addAxis(QCPAxis::atLeft);
  lane.rect->setAutoMargins(QCP::msNone);
  lane.rect->setMargins(QMargins(kLaneLeft, first ? kHead : 2, kLaneRight, last ? kFoot : 1));
  if (logic) {
    lane.rect->setMinimumSize(Px{0}, kLogicHeight);
    lane.rect->setMaximumSize(QWIDGETSIZE_MAX, kLogicHeight);
  } else {
    lane.rect->setMinimumSize(Px{0}, Px{36});
  }
  plotLayout()->addElement(plotLayout()->rowCount(), 0, lane.rect);
  setUpAxes(lane, last);
  lane.caption = new QCPItemText(this);
  lane.caption->setClipToAxisRect(false);
  lane.caption->position->setType(QCPItemPosition::ptAbsolute);
  lane.caption->setText(QFontMetrics(Theme::baseFont(12, QFont::DemiBold))
                            .elidedText(captionOf(lane, capture), Qt::ElideRight, kLaneLeft - 12));
  for (std::size_t i = 0; i < lane.sources.size(); ++i) {
    lane.curves.push_back(new CurvePlottable(lane.time, lane.value));
    lane.curves.back()->setDots(!logic);
    lane.curves.back()->setHatched(i == 0);
  }
  // The first lies on top.
  for (std::size_t i = lane.curves.size(); i-- > 0;)
    lane.curves[i]->setLayer(QStringLiteral("main"));
  lanes_.push_back(std::move(lane));
}

void Lanes::inkLane(Lane& lane) const {
  if (!view_.shown()) return;
  const std::string first = lane.sources.empty() ? "" : lane.sources.front().channel;
  const CurveForm form = lane.sources.empty() ? CurveForm::samples : lane.sources.front().form;
  std::size_t other = 0;
  for (std::size_t i = 0; i < lane.curves.size(); ++i) {
    const CurveSource& source = lane.sources[i];
    if (source.capture >= view_.shown()->captures.size()) continue;
    static constexpr Qt::PenStyle kStyles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine,
                                               Qt::DashDotLine};
    const std::size_t ink = view_.shown()->captures[source.capture]->ink;
    // Captures of one build, and inks that a colour-blind eye may confuse, differ by the line; so
    // do the channels that lie over each other.
    QPen pen(Theme::current().ink(ink), 1);  // the one width that is painted fast
    const bool overlaid = source.channel != first || source.form != form;
    if (overlaid) {
      if (i > 0 && (source.channel != lane.sources[i - 1].channel ||
                    source.form != lane.sources[i - 1].form))
        ++other;
      pen.setColor(Theme::current().ink(ink + other));
    }
    if (source.capture > 0 && lane.quantity == Quantity::logic)
      pen.setStyle(kStyles[source.capture % 4]);
    lane.curves[i]->setPen(pen);
  }
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
  for (Lane& lane : lanes_) {
    styleLane(lane);
    inkLane(lane);
  }
  if (!lanes_.empty()) updateTicks();  // the notation of moments may be another
  replot(QCustomPlot::rpQueuedReplot);
}

std::vector<std::string> Lanes::laneNames() const {
  std::vector<std::string> out;
  for (const Lane& lane : lanes_) out.push_back(lane.name);
  return out;
}

QCPRange Lanes::valueRange(int lane) const {
  return lanes_.at(static_cast<std::size_t>(lane)).value->range();
}

const Curve* Lanes::curve(int lane, int capture) const {
  const Lane& l = lanes_.at(static_cast<std::size_t>(lane));
  for (std::size_t i = 0; i < l.sources.size(); ++i) {
    if (l.sources[i].capture == static_cast<std::size_t>(capture)) return l.curves[i]->curve();
  }
  return nullptr;
}

QRect Lanes::laneRect(int lane) const {
  return lanes_.at(static_cast<std::size_t>(lane)).rect->rect();
}

std::size_t Lanes::chosenLane() const {
  if (chosen_ < plan_.lanes.size()) return chosen_;
  return lanes_.empty() ? LanePlan::npos : lanes_.front().spec;
}

void Lanes::choose(std::size_t spec) {
  chosen_ = spec;
  if (!std::exchange(chosen_by_keys_, false)) return;
  placeCaptions();
  replot(QCustomPlot::rpQueuedReplot);
}

void Lanes::followLane(std::size_t spec) {
  chosen_ = spec;
  bringIntoView(spec);
  placeCaptions();
}

void Lanes::stepLane(int direction) {
  if (lanes_.empty()) return;
  const std::size_t now = chosenLane();
  const auto all = allLanes();
  auto at = std::find_if(all.begin(), all.end(), [&](const auto& l) { return l.first == now; }) -
            all.begin();
  if (chosen_by_keys_) at += direction;  // the first press shows which it is
  at = std::clamp<std::ptrdiff_t>(at, 0, static_cast<std::ptrdiff_t>(all.size()) - 1);
  chosen_ = all[static_cast<std::size_t>(at)].first;
  bringIntoView(chosen_);
  chosen_by_keys_ = true;
  placeCaptions();
  replot(QCustomPlot::rpQueuedReplot);
}

ValueScale Lanes::scaleOf(std::size_t spec) const {
  for (const Lane& lane : lanes_) {
    if (lane.spec == spec) return lane.scale;
  }
  return ValueScale::linear;
}

std::string Lanes::unitOf(std::size_t spec) const {
  for (const Lane& lane : lanes_) {
    if (lane.spec == spec) return lane.unit;
  }
  return {};
}

std::pair<double, double> Lanes::shownValues(std::size_t spec) const {
  for (const Lane& lane : lanes_) {
    if (lane.spec == spec)
      return {lane.fromAxis(lane.value->range().lower), lane.fromAxis(lane.value->range().upper)};
  }
  return {0, 1};
}

double Lanes::pixelOf(double t) const {
  const double width = std::max(1, this->width() - kLaneLeft - kLaneRight);
  return kLaneLeft + (t - view_.from()) / (view_.to() - view_.from()) * width;
}

double Lanes::timeAt(double pixel) const {
  const double width = std::max(1, this->width() - kLaneLeft - kLaneRight);
  return view_.from() + (pixel - kLaneLeft) / width * (view_.to() - view_.from());
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
  if (!view_.capture() || columns <= 0 || lanes_.empty()) return;
  FrameRequest request{view_.from(), view_.to(), columns, revision_, {}, view_.offsets()};
  for (const Lane& lane : lanes_) request.lanes.push_back(lane.sources);
  session_.requestFrame(request);
}

void Lanes::takeFrame(const FramePtr& frame) {
  if (frame->revision != revision_ || frame->lanes.size() != lanes_.size()) return;
  frame_ = frame;
  for (std::size_t n = 0; n < lanes_.size(); ++n) {
    Lane& lane = lanes_[n];
    for (std::size_t i = 0; i < lane.curves.size(); ++i) {
      const Curve* found = nullptr;
      for (const Curve& c : frame->lanes[n].curves) {
        if (c.source == lane.sources[i]) found = &c;
      }
      lane.curves[i]->setCurve(found ? frame : nullptr, found);
    }
    if (fitOf(lane) == ValueFit::seen && !lane.moved) fitToSeen(lane);
  }
  updateTicks();
  fresh_ = true;
  stand_in_.stop();
  replot(QCustomPlot::rpQueuedReplot);
}

void Lanes::resizeEvent(QResizeEvent* event) {
  QCustomPlot::resizeEvent(event);
  build();  // more of the lanes may find room, or fewer
  for (Lane& lane : lanes_) lane.time->setRange(view_.from(), view_.to());
  plotLayout()->update(QCPLayoutElement::upMargins);
  plotLayout()->update(QCPLayoutElement::upLayout);
  updateTicks();
  askFrame();
}

}  // namespace kuvio::app
