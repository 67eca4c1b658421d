// SPDX-License-Identifier: GPL-3.0-or-later
// Which lanes are seen where not all find room, how many are not, and what else stands beside them.

#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "app/trace/lanes.h"
#include "app/trace/marks.h"

#include <QScrollBar>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr Px kHeadAndFoot{42}, kLogicRoom{27}, kRoom{43};  // pixels, with the spacing
constexpr int kLeast = 150, kUsual = 190;  // height that the lanes ask for, and not more

}  // namespace

void Lanes::makePaging() {
  paging_.bar = new QScrollBar(Qt::Vertical, this);
  paging_.bar->setObjectName(QStringLiteral("laneBar"));
  paging_.bar->setAccessibleName(tr("Lanes shown"));
  paging_.bar->setFocusPolicy(Qt::NoFocus);
  paging_.bar->hide();
  connect(paging_.bar, &QScrollBar::valueChanged, this, [this](int top) {
    if (top == std::exchange(paging_.top, top)) return;
    build();
    rangeChanged();
  });
  paging_.hidden = button({}, QStringLiteral("hiddenLanes"), this);
  paging_.hidden->setFlat(true);
  paging_.hidden->setFont(Theme::baseFont(11));
  paging_.hidden->setForegroundRole(QPalette::PlaceholderText);
  paging_.hidden->hide();
  connect(paging_.hidden, &QPushButton::clicked, this, [this] {
    emit hiddenClicked(paging_.hidden->mapToGlobal(QPoint(0, paging_.hidden->height())));
  });
}

std::vector<std::pair<std::size_t, int>> Lanes::allLanes() const {
  const int captures = view_.shown() ? static_cast<int>(view_.shown()->captures.size()) : 0;
  const bool apart = plan_.captures_apart && captures > 1;
  std::vector<std::pair<std::size_t, int>> out;
  for (const std::size_t spec : plan_.visible(channels_)) {
    for (int c = apart ? 0 : -1; c < (apart ? captures : 0); ++c) out.emplace_back(spec, c);
  }
  return out;
}

/// What a lane takes at the least.
int Lanes::needOf(std::size_t spec) const {
  const std::string& channel = plan_.lanes[spec].curves.front().channel;
  const bool logic = std::any_of(channels_.begin(), channels_.end(), [&](const auto& c) {
    return c.name == channel && c.quantity == Quantity::logic;
  });
  return logic ? kLogicRoom : kRoom;
}

int Lanes::room(const std::vector<std::pair<std::size_t, int>>& all, int from) const {
  int left = height() - kHeadAndFoot, fit = 0;
  for (auto i = static_cast<std::size_t>(from); i < all.size(); ++i) {
    left -= needOf(all[i].first);
    if (left < 0 && fit > 0) break;
    ++fit;
  }
  return fit;
}

void Lanes::bringIntoView(std::size_t spec) {
  const auto all = allLanes();
  const int at = static_cast<int>(
      std::find_if(all.begin(), all.end(), [&](const auto& l) { return l.first == spec; }) -
      all.begin());
  if (at >= static_cast<int>(all.size())) return;
  int top = std::min(paging_.top, at);
  while (at >= top + room(all, top)) ++top;
  if (top == paging_.top) return;
  paging_.top = top;
  build();
  rangeChanged();
}

void Lanes::showCounts(int all) {
  int need = kHeadAndFoot;
  for (const auto& [spec, capture] : allLanes()) need += needOf(spec);
  setMinimumHeight(std::clamp(need, kLeast, kUsual));
  const QSignalBlocker quiet(paging_.bar);
  paging_.bar->setVisible(paging_.beyond > 0);
  paging_.bar->setGeometry(width() - 12, 18, 10, std::max(20, height() - kHeadAndFoot));
  paging_.bar->setRange(0, paging_.beyond);
  paging_.bar->setPageStep(std::max(1, all - paging_.beyond));
  paging_.bar->setValue(paging_.top);
  const int hidden = hiddenLanes();
  paging_.hidden->setVisible(hidden > 0 || paging_.beyond > 0);
  paging_.hidden->setText(hidden > 0 ? tr("%1 hidden").arg(hidden)
                                     : tr("%1 of %2").arg(all - paging_.beyond).arg(all));
  paging_.hidden->setAccessibleName(
      hidden > 0 ? tr("%1 lanes hidden").arg(hidden)
                 : tr("%1 of %2 lanes shown").arg(all - paging_.beyond).arg(all));
  paging_.hidden->setToolTip(tr("Choose lanes"));
  paging_.hidden->setGeometry(2, height() - 23, kLaneLeft - 26, 22);
}

int Lanes::hiddenLanes() const {
  LanePlan all = plan_;
  for (LaneSpec& lane : all.lanes) lane.shown = true;
  return static_cast<int>(all.visible(channels_).size() - plan_.visible(channels_).size());
}

void Lanes::setReserve(int pixels) {
  if (reserve_ == pixels) return;
  reserve_ = pixels;
  if (!lanes_.empty()) updateTicks();
  replot(QCustomPlot::rpQueuedReplot);
}

void Lanes::setThresholds(std::vector<Threshold> thresholds) {
  if (thresholds == thresholds_->thresholds()) return;
  thresholds_->set(std::move(thresholds));
  replot(QCustomPlot::rpQueuedReplot);
}

const std::vector<Threshold>& Lanes::thresholds() const { return thresholds_->thresholds(); }

QRect Lanes::currentLane() const {
  for (const Lane& lane : lanes_) {
    if (lane.quantity == Quantity::current) return lane.rect->rect();
  }
  return {};
}

std::optional<double> Lanes::currentPixel(double value) const {
  for (const Lane& lane : lanes_) {
    if (lane.quantity != Quantity::current) continue;
    if (lane.scale == ValueScale::logarithmic) value = std::max(value, lane.value->range().lower);
    const QRect box = lane.rect->rect();
    return std::clamp(lane.value->coordToPixel(lane.toAxis(value)), static_cast<double>(box.top()),
                      static_cast<double>(box.bottom() + 1));
  }
  return std::nullopt;
}

std::optional<double> Lanes::currentValue(double pixel) const {
  for (const Lane& lane : lanes_) {
    if (lane.quantity == Quantity::current) return lane.fromAxis(lane.value->pixelToCoord(pixel));
  }
  return std::nullopt;
}

std::vector<double> Lanes::currentEdges(int least) const {
  constexpr int kStep = 3;  // pixels
  std::vector<double> out;
  for (const Lane& lane : lanes_) {
    if (lane.quantity != Quantity::current) continue;
    const int steps = std::clamp(lane.rect->height() / kStep, least, 200);
    const QCPRange r = lane.value->range();
    const bool log = lane.scale == ValueScale::logarithmic && r.lower > 0;
    for (int i = 0; i <= steps; ++i) {
      const double share = static_cast<double>(i) / steps;
      out.push_back(log ? r.lower * std::pow(r.upper / r.lower, share)
                        : lane.fromAxis(r.lower + (r.upper - r.lower) * share));
    }
    return out;
  }
  return out;
}

}  // namespace kuvio::app
