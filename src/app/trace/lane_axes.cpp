// SPDX-License-Identifier: GPL-3.0-or-later
// The lanes' axes: ranges, scales, ticks, captions.

#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/ticks.h"
#include "app/style/trace_sketch.h"
#include "app/trace/curves.h"
#include "app/trace/lanes.h"
#include "core/level_scale.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr Px kHalfLabel{30};           // of a moment on the time axis
constexpr Px kHeadRoom{6};             // the first caption stands above its lane
constexpr Px kCaptionRoom{20};         // under a caption there is no room for a label
constexpr double kThroughZero = 0.02;  // of the largest value: so much below zero is no noise

void give(QCPAxis* axis, const std::vector<Tick>& ticks) {
  auto ticker = qSharedPointerDynamicCast<QCPAxisTickerText>(axis->ticker());
  ticker->clear();
  for (const Tick& t : ticks) ticker->addTick(t.at, QString::fromStdString(t.label));
}

}  // namespace

void Lanes::setLogarithmic(bool on) {
  logarithmic_ = on;
  fitValues();
  replot(QCustomPlot::rpQueuedReplot);
}

void Lanes::fitValues() {
  bool changed = false;
  for (Lane& lane : lanes_) {
    lane.moved = false;
    LaneSpec& spec = plan_.lanes[lane.spec];
    if (spec.fit == ValueFit::fixed) {
      spec.fit.reset();
      changed = true;
    }
    fitLane(lane);
    if (fitOf(lane) == ValueFit::seen) fitToSeen(lane);
  }
  if (changed) keepPlan();
  updateTicks();
}

/// Currents keep one scale for the whole capture; other lanes fit to what is seen.
ValueFit Lanes::fitOf(const Lane& lane) const {
  if (plan_.lanes[lane.spec].fit) return *plan_.lanes[lane.spec].fit;
  const bool whole = lane.quantity == Quantity::logic ||
                     (lane.quantity == Quantity::current && !lane.sources.empty() &&
                      lane.sources.front().form == CurveForm::samples);
  return whole ? ValueFit::capture : ValueFit::seen;
}

void Lanes::chooseScale(Lane& lane, double lo, double hi, double quiet) const {
  const double largest = std::max(std::fabs(lo), std::fabs(hi));
  lane.scale = ValueScale::linear;
  if (lane.quantity == Quantity::current && logarithmic_ && largest > 0) {
    const bool through = lo < -kThroughZero * largest && lo < -3 * quiet;
    lane.scale = through ? ValueScale::symlog : ValueScale::logarithmic;
  }
  if (plan_.lanes[lane.spec].scale && lane.quantity != Quantity::logic)
    lane.scale = *plan_.lanes[lane.spec].scale;
  const double foot = std::clamp(quiet, largest * 1e-6, std::max(largest / 10, 1e-12));
  lane.quiet = std::pow(10, std::floor(std::log10(std::max(foot, 1e-12))));
  lane.value->setScaleType(lane.scale == ValueScale::logarithmic ? QCPAxis::stLogarithmic
                                                                 : QCPAxis::stLinear);
  for (CurvePlottable* curve : lane.curves)
    curve->setThroughZero(lane.scale == ValueScale::symlog ? lane.quiet : 0);
}

void Lanes::fitLane(Lane& lane) const {
  double lo = 0, hi = 0, quiet = 0;
  bool any = false;
  for (const CurveSource& source : lane.sources) {
    if (!view_.shown() || source.capture >= view_.shown()->captures.size()) continue;
    const CaptureView& c = *view_.shown()->captures[source.capture];
    const auto it = c.extremes.find(source.channel);
    if (it == c.extremes.end()) continue;
    lo = any ? std::min(lo, it->second.first) : it->second.first;
    hi = any ? std::max(hi, it->second.second) : it->second.second;
    if (source.channel == c.channel.name) {
      const double level = quiet_level(c.overview);
      quiet = quiet > 0 && level > 0 ? std::min(quiet, level) : std::max(quiet, level);
    }
    any = true;
  }
  chooseScale(lane, lo, hi, quiet);
  if (lane.moved) return;
  const LaneSpec& spec = plan_.lanes[lane.spec];
  const bool log = lane.scale == ValueScale::logarithmic;
  if (spec.fit == ValueFit::fixed && (!log || spec.low > 0)) {
    lane.value->setRange(lane.toAxis(spec.low), lane.toAxis(spec.high));
    return;
  }
  if (lane.quantity == Quantity::logic) {
    lane.value->setRange(-0.25, 1.25);
  } else if (!any || !(hi > lo || hi != 0)) {
    // Nothing at all, or nothing but zero: it lies in the middle.
    lane.value->setRange(log ? QCPRange(1e-6, 1) : any ? QCPRange(-1e-6, 1e-6) : QCPRange(0, 1));
  } else if (log) {
    const double top = std::max(hi, 1e-9);
    const double foot =
        std::clamp(quiet > 0 ? quiet : std::max(lo, top * 1e-6), top * 1e-9, top / 10);
    lane.value->setRange(std::pow(10, std::floor(std::log10(foot))), top * 2);
  } else if (lane.scale == ValueScale::symlog) {
    const double a = lane.toAxis(std::min(lo, 0.0)), b = lane.toAxis(std::max(hi, 0.0));
    lane.value->setRange(a - 0.06 * (b - a), b + 0.06 * (b - a));
  } else {
    const double base = lane.quantity == Quantity::voltage ? lo : std::min(lo, 0.0);
    const double room = std::max((hi - base) * 0.08, 1e-12);
    lane.value->setRange(base < 0 || lane.quantity == Quantity::voltage ? base - room : 0,
                         hi + room);
  }
}

/// The value axis takes in what the frame shows, but for moments without power: a voltage that is
/// gone for less than a tenth of the view would flatten all the rest.
void Lanes::fitToSeen(Lane& lane) const {
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
  const auto gone = [&](const auto& s) {
    return lane.quantity == Quantity::voltage && s.first < hi / 2;
  };
  const auto lost = std::count_if(seen.begin(), seen.end(), gone);
  const bool leave_out = lost * 10 < static_cast<std::ptrdiff_t>(seen.size());
  lo = hi;
  for (const auto& s : seen) {
    if (!leave_out || !gone(s)) lo = std::min(lo, s.first);
  }
  if (lane.scale == ValueScale::logarithmic) {
    hi = std::max(hi, 1e-12);
    lo = std::clamp(lo, std::max(lane.quiet / 10, hi * 1e-9), hi / 1.5);
    lane.value->setRange(lo / 1.3, hi * 1.3);
    return;
  }
  lo = lane.toAxis(lo);
  hi = lane.toAxis(hi);
  const double room = std::max((hi - lo) * 0.12, std::max(std::fabs(hi), 1e-9) * 1e-3);
  lane.value->setRange(lo - room, hi + room);
}

void Lanes::updateTicks() {
  const int width = std::max(1, this->width() - kLaneLeft - kLaneRight);
  auto times = time_ticks(view_.from(), view_.to(), std::max(2, width / 110));
  for (Lane& lane : lanes_) {
    // Four rulings between two labels, as on graph paper.
    qSharedPointerDynamicCast<QCPAxisTickerText>(lane.time->ticker())->setSubTickCount(4);
    give(lane.time, times);
    if (&lane != &lanes_.back()) continue;
    for (Tick& tick : times) {
      if (pixelOf(tick.at) >
          this->width() - kLaneRight - reserve_ - (reserve_ > 0 ? kHalfLabel : 0))
        tick.label.clear();
    }
    give(lane.time, times);
  }
  for (Lane& lane : lanes_) {
    if (lane.quantity != Quantity::logic) updateValueTicks(lane);
  }
  placeCaptions();
  emit valuesChanged();
}

void Lanes::updateValueTicks(Lane& lane) {
  const int height = std::max(1, lane.rect->height());
  const QCPRange r = lane.value->range();
  const bool log = lane.scale == ValueScale::logarithmic && r.lower > 0;
  std::vector<Tick> ticks;
  if (log && r.upper / r.lower > 4) {
    // Rulings closer than 6 px are dropped: nine of them share a decade.
    ticks = log_ticks(r.lower, r.upper, height, 54, lane.unit);
  } else if (lane.scale == ValueScale::symlog) {
    ticks = both_ways_ticks(r.lower, r.upper, lane.quiet, height, lane.unit);
  } else {
    ticks = value_ticks(r.lower, r.upper, std::max(3, height / 36), lane.unit);
  }
  const double room = &lane == &lanes_.front() ? kHeadRoom : kCaptionRoom;
  for (Tick& t : ticks) {
    if (lane.value->coordToPixel(t.at) - lane.rect->top() < room) t.label.clear();
  }
  give(lane.value, ticks);
}

void Lanes::placeCaptions() {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    Lane& lane = lanes_[i];
    QFont font = lane.caption->font();
    font.setUnderline(chosen_by_keys_ && lane.spec == chosen_);
    lane.caption->setFont(font);
    const QRect box = lane.rect->rect();
    const bool above = i == 0;
    lane.caption->setPositionAlignment(Qt::AlignRight | (above ? Qt::AlignTop : Qt::AlignVCenter));
    const double middle = lane.quantity == Quantity::logic ? box.center().y() : box.top() + 8;
    lane.caption->position->setCoords(kLaneLeft - 8, above ? 1.0 : middle);
  }
}

}  // namespace kuvio::app
