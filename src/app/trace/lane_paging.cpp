// SPDX-License-Identifier: GPL-3.0-or-later
// Which lanes are seen where not all find room, how many are not, and what else stands beside them.

#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "app/trace/lanes.h"
#include "app/trace/marks.h"

#include <QScrollBar>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr int kHeadAndFoot = 42, kLogicRoom = 27, kRoom = 43;  // pixels, with the spacing
constexpr int kLeast = 150, kUsual = 190;  // height that the lanes ask for, and not more

}  // namespace

void Lanes::makePaging() {
  bar_ = new QScrollBar(Qt::Vertical, this);
  bar_->setObjectName(QStringLiteral("laneBar"));
  bar_->setAccessibleName(tr("Lanes shown"));
  bar_->setFocusPolicy(Qt::NoFocus);
  bar_->hide();
  connect(bar_, &QScrollBar::valueChanged, this, [this](int top) {
    if (top == std::exchange(top_, top)) return;
    build();
    rangeChanged();
  });
  hidden_ = button({}, QStringLiteral("hiddenLanes"), this);
  hidden_->setFlat(true);
  hidden_->setFont(Theme::baseFont(11));
  hidden_->setForegroundRole(QPalette::PlaceholderText);
  hidden_->hide();
  connect(hidden_, &QPushButton::clicked, this,
          [this] { emit hiddenClicked(hidden_->mapToGlobal(QPoint(0, hidden_->height()))); });
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
  int top = std::min(top_, at);
  while (at >= top + room(all, top)) ++top;
  if (top == top_) return;
  top_ = top;
  build();
  rangeChanged();
}

void Lanes::showCounts(int all) {
  int need = kHeadAndFoot;
  for (const auto& [spec, capture] : allLanes()) need += needOf(spec);
  setMinimumHeight(std::clamp(need, kLeast, kUsual));
  const QSignalBlocker quiet(bar_);
  bar_->setVisible(beyond_ > 0);
  bar_->setGeometry(width() - 12, 18, 10, std::max(20, height() - kHeadAndFoot));
  bar_->setRange(0, beyond_);
  bar_->setPageStep(std::max(1, all - beyond_));
  bar_->setValue(top_);
  const int hidden = hiddenLanes();
  hidden_->setVisible(hidden > 0 || beyond_ > 0);
  hidden_->setText(hidden > 0 ? tr("%1 hidden").arg(hidden)
                              : tr("%1 of %2").arg(all - beyond_).arg(all));
  hidden_->setAccessibleName(hidden > 0 ? tr("%1 lanes hidden").arg(hidden)
                                        : tr("%1 of %2 lanes shown").arg(all - beyond_).arg(all));
  hidden_->setToolTip(tr("Choose lanes"));
  hidden_->setGeometry(2, height() - 23, kLaneLeft - 26, 22);
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

std::vector<double> Lanes::currentEdges() const {
  constexpr int kStep = 3;  // pixels
  std::vector<double> out;
  for (const Lane& lane : lanes_) {
    if (lane.quantity != Quantity::current) continue;
    const int steps = std::clamp(lane.rect->height() / kStep, 20, 200);
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
