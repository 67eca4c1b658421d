// SPDX-License-Identifier: GPL-3.0-or-later
// What the Trace desk does to its lanes: their menu, their actions, their dialogs.

#include "app/engine/trace_views.h"
#include "app/trace/lane_dialogs.h"
#include "app/trace/lane_plan.h"
#include "app/trace/lanes.h"
#include "app/trace/trace_desk.h"

#include <QMenu>

#include <algorithm>

namespace kuvio::app {
namespace {

/// The place in the plan of the next lane that is seen, upwards (-1) or downwards (+1).
std::size_t beside(const std::vector<std::size_t>& visible, std::size_t lane, int direction) {
  const auto at = std::find(visible.begin(), visible.end(), lane);
  if (at == visible.end()) return LanePlan::npos;
  const auto next = (at - visible.begin()) + direction;
  if (next < 0 || next >= static_cast<std::ptrdiff_t>(visible.size())) return LanePlan::npos;
  return visible[static_cast<std::size_t>(next)];
}

}  // namespace

void TraceDesk::changeLane(const std::function<void(LanePlan&, std::size_t)>& change) {
  const std::size_t lane = lanes_->chosenLane();
  if (lane == LanePlan::npos) return;
  LanePlan plan = lanes_->plan();
  change(plan, lane);
  lanes_->setPlan(std::move(plan));
}

void TraceDesk::makeLaneActions() {
  const DeskId desk = DeskId::trace;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    return context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  const auto shift = [this](int direction) {
    const std::size_t lane = lanes_->chosenLane();
    const auto next = beside(lanes_->plan().visible(lanes_->channels()), lane, direction);
    if (next == LanePlan::npos) return;
    changeLane([&](LanePlan& plan, std::size_t) { plan.move(lane, next); });
    lanes_->followLane(next);
  };
  add("nextLane", tr("Select next lane"), QKeySequence(Qt::Key_PageDown),
      [this] { lanes_->stepLane(1); });
  add("previousLane", tr("Select previous lane"), QKeySequence(Qt::Key_PageUp),
      [this] { lanes_->stepLane(-1); });
  add("laneUp", tr("Move lane up"), QKeySequence(tr("Ctrl+Shift+Up")), [shift] { shift(-1); });
  add("laneDown", tr("Move lane down"), QKeySequence(tr("Ctrl+Shift+Down")), [shift] { shift(1); });
  add("hideLane", tr("Hide lane"), QKeySequence(tr("H")), [this] {
    changeLane([&](LanePlan& plan, std::size_t lane) {
      if (plan.visible(lanes_->channels()).size() > 1) plan.lanes[lane].shown = false;
    });
  });
  add("showAllLanes", tr("Show all lanes"), QKeySequence(tr("Shift+H")), [this] {
    LanePlan plan = lanes_->plan();
    for (LaneSpec& lane : plan.lanes) lane.shown = true;
    lanes_->setPlan(std::move(plan));
  });
  add("laneOver", tr("Merge into lane above"), {}, [this] {
    changeLane([&](LanePlan& plan, std::size_t lane) {
      const auto above = beside(plan.visible(lanes_->channels()), lane, -1);
      if (above != LanePlan::npos) plan.overlay(lane, above);
    });
  });
  add("laneApart", tr("One lane per curve"), {},
      [this] { changeLane([](LanePlan& plan, std::size_t lane) { plan.separate(lane); }); });
  add("capturesApart", tr("One lane per capture"), QKeySequence(tr("Ctrl+Shift+A")), [this] {
    LanePlan plan = lanes_->plan();
    plan.captures_apart = !plan.captures_apart;
    lanes_->setPlan(std::move(plan));
  });
  add("chargeLane", tr("Add running charge"), {}, [this] {
    changeLane([](LanePlan& plan, std::size_t lane) { plan.derive(lane, CurveForm::charge, 0); });
  });
  add("meanLane", tr("Add rolling mean…"), {}, [this] {
    auto* dialog = new WindowDialog((context_.view.to() - context_.view.from()) / 50, this);
    connect(dialog, &WindowDialog::given, this, [this](double window_s) {
      changeLane(
          [&](LanePlan& plan, std::size_t lane) { plan.derive(lane, CurveForm::mean, window_s); });
    });
    dialog->show();
  });
  add("removeLane", tr("Remove derived lane"), {}, [this] {
    changeLane([](LanePlan& plan, std::size_t lane) {
      if (plan.lanes[lane].curves.front().form != CurveForm::samples) plan.remove(lane);
    });
  });
  makeScaleActions();
}

void TraceDesk::makeScaleActions() {
  const DeskId desk = DeskId::trace;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    return context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  add("scaleLinear", tr("Linear scale"), {}, [this] { setScale(ValueScale::linear); });
  add("scaleLog", tr("Logarithmic scale"), {}, [this] { setScale(ValueScale::logarithmic); });
  add("scaleBoth", tr("Symmetric log scale"), {}, [this] { setScale(ValueScale::symlog); });
  add("axisCapture", tr("Scale axis to whole capture"), {},
      [this] { setFit(ValueFit::capture, 0, 1); });
  add("axisSeen", tr("Scale axis to view"), {}, [this] { setFit(ValueFit::seen, 0, 1); });
  add("axisFixed", tr("Fixed axis…"), {}, [this] {
    const std::size_t lane = lanes_->chosenLane();
    if (lane == LanePlan::npos) return;
    const auto [low, high] = lanes_->shownValues(lane);
    auto* dialog = new AxisDialog(low, high, lanes_->unitOf(lane), this);
    connect(dialog, &AxisDialog::given, this,
            [this](double from, double to) { setFit(ValueFit::fixed, from, to); });
    dialog->show();
  });
}

void TraceDesk::setScale(ValueScale scale) {
  changeLane([&](LanePlan& plan, std::size_t lane) {
    plan.lanes[lane].scale = scale;
    if (plan.lanes[lane].fit == ValueFit::fixed && plan.lanes[lane].low <= 0 &&
        scale == ValueScale::logarithmic)
      plan.lanes[lane].fit.reset();
  });
}

void TraceDesk::setFit(ValueFit fit, double low, double high) {
  if (fit == ValueFit::fixed && lanes_->scaleOf(lanes_->chosenLane()) == ValueScale::logarithmic &&
      low <= 0) {
    emit messageReported(
        tr("A log axis must start above zero. Use the symmetric log or linear scale."));
    return;
  }
  changeLane([&](LanePlan& plan, std::size_t lane) {
    plan.lanes[lane].fit = fit;
    plan.lanes[lane].low = low;
    plan.lanes[lane].high = high;
  });
}

void TraceDesk::fillLanesList(QMenu& menu) {
  const LanePlan& plan = lanes_->plan();
  LanePlan all = plan;
  for (LaneSpec& lane : all.lanes) lane.shown = true;
  for (const std::size_t i : all.visible(lanes_->channels())) {
    QStringList names;
    for (const LaneCurve& c : plan.lanes[i].curves) names << curve_name(c);
    QAction* one = menu.addAction(names.join(QStringLiteral(", ")));
    one->setCheckable(true);
    one->setChecked(plan.lanes[i].shown);
    connect(one, &QAction::toggled, this, [this, i](bool on) {
      LanePlan changed = lanes_->plan();
      changed.lanes[i].shown = on;
      lanes_->setPlan(std::move(changed));
    });
  }
  menu.addSeparator();
  menu.addAction(context_.actions.find(QStringLiteral("showAllLanes")));
  menu.addAction(context_.actions.find(QStringLiteral("capturesApart")));
}

void TraceDesk::chooseLanes(const QPoint& at) {
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("lanesList"));
  fillLanesList(menu);
  context_.actions.grey(&menu);
  menu.exec(at);
}

void TraceDesk::lanesMenu(QMenu& menu) {
  const LanePlan& plan = lanes_->plan();
  fillLanesList(*menu.addMenu(tr("Lanes")));
  const std::size_t chosen = lanes_->chosenLane();
  if (chosen == LanePlan::npos) return;
  const LaneSpec& lane = plan.lanes[chosen];
  QMenu* own = menu.addMenu(tr("Lane of %1").arg(curve_name(lane.curves.front())));
  own->setObjectName(QStringLiteral("laneMenu"));
  const auto offer = [&](const char* id) {
    own->addAction(context_.actions.find(QLatin1String(id)));
  };
  for (const char* id : {"laneUp", "laneDown", "hideLane", "laneOver"}) offer(id);
  if (lane.curves.size() > 1) offer("laneApart");
  own->addSeparator();
  for (const char* id : {"scaleLinear", "scaleLog", "scaleBoth"}) offer(id);
  own->addSeparator();
  for (const char* id : {"axisCapture", "axisSeen", "axisFixed", "fitValues"}) offer(id);
  own->addSeparator();
  for (const char* id : {"chargeLane", "meanLane"}) offer(id);
  if (lane.curves.front().form != CurveForm::samples) offer("removeLane");
  menu.addAction(context_.actions.find(QStringLiteral("logScale")));
}

}  // namespace kuvio::app
