// SPDX-License-Identifier: GPL-3.0-or-later
// What the Trace desk can say of what its actions need.

#include "app/engine/trace_views.h"
#include "app/trace/lane_plan.h"
#include "app/trace/lanes.h"
#include "app/trace/trace_desk.h"

#include <algorithm>

namespace kuvio::app {

void TraceDesk::answerNeeds() {
  Actions& actions = context_.actions;
  const ViewState& view = context_.view;
  const auto of_capture = [&view](auto ask) {
    return [&view, ask] { return view.capture() && ask(*view.capture()); };
  };
  const auto visit = [&view] { return view.capture() && view.visit() != ViewState::kNone; };
  const auto span = [&view] { return view.capture() && view.span().has_value(); };
  actions.answer(Needs::chosen, [&view] { return view.capture() != nullptr; });
  actions.answer(Needs::capture,
                 [&view] { return view.capture() != nullptr && !view.capture()->info.typed; });
  actions.answer(Needs::overlay,
                 [&view] { return view.shown() && view.shown()->captures.size() > 1; });
  actions.answer(Needs::states, of_capture([](const CaptureView& c) { return !c.visits.empty(); }));
  actions.answer(Needs::visit, visit);
  actions.answer(Needs::span, span);
  actions.answer(Needs::span_or_visit, [span, visit] { return span() || visit(); });
  actions.answer(Needs::cursors, [&view] { return view.cursor(0) && view.cursor(1); });
  actions.answer(Needs::earlier_view, [&view] { return view.canGoBack(); });
  actions.answer(Needs::later_view, [&view] { return view.canGoForward(); });
  actions.answer(Needs::log, of_capture([](const CaptureView& c) { return !c.log.empty(); }));
  actions.answer(Needs::marks, of_capture([](const CaptureView& c) { return !c.marks.empty(); }));
  actions.answer(Needs::breaks, of_capture([](const CaptureView& c) { return !c.breaks.empty(); }));
  actions.answer(Needs::edits, of_capture([](const CaptureView& c) { return c.edits > 0; }));
  actions.answer(Needs::live, [&view] { return view.recording(); });
  actions.answer(Needs::recipe, [this] { return context_.documents.find(DocumentKind::recipe); });
  actions.answer(Needs::hidden_lanes, [this] {
    return std::any_of(lanes_->plan().lanes.begin(), lanes_->plan().lanes.end(),
                       [](const LaneSpec& lane) { return !lane.shown; });
  });
  actions.answer(Needs::derived_lane, [this] {
    const std::size_t lane = lanes_->chosenLane();
    return lane != LanePlan::npos &&
           lanes_->plan().lanes[lane].curves.front().form != CurveForm::samples;
  });
}

}  // namespace kuvio::app
