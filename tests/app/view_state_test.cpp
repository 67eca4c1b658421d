// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/view_state.h"

#include "app/engine/trace_views.h"

#include <QSignalSpy>
#include <QTest>

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::app;

namespace {

ShownPtr capture(double from, double to, std::int64_t id = 1, bool recording = false) {
  auto out = std::make_shared<CaptureView>();
  out->info.id = id;
  out->info.recording = recording;
  out->from_s = from;
  out->to_s = to;
  double t = from;
  for (const char* state : {"A", "B", "A", "C"}) {
    VisitFigures v;
    v.visit = {state, t, t + (to - from) / 4, true};
    v.charge = state[0] == 'A' ? t + 1 : 1;
    out->visits.push_back(v);
    t += (to - from) / 4;
  }
  auto shown = std::make_shared<ShownCaptures>();
  shown->captures.push_back(out);
  return shown;
}

}  // namespace

TEST_CASE("the view stays inside the capture, whatever is asked for") {
  ViewState view;
  view.show(0, 10);  // no capture yet: nothing happens
  view.setShown(capture(100, 200));
  CHECK(view.from() == 100);
  CHECK(view.to() == 200);
  view.show(150, 160);
  view.pan(1000);
  CHECK(view.to() == Approx(200));
  CHECK(view.from() == Approx(190));
  view.pan(-1000);
  CHECK(view.from() == Approx(100));
  view.zoomAt(105, 1e9);
  CHECK(view.to() - view.from() == Approx(100));
  for (int i = 0; i < 200; ++i) view.zoomAt(150, 0.5);
  CHECK(view.to() > view.from());
  view.show(NAN, 3);
  view.show(-INFINITY, INFINITY);
  CHECK(view.to() > view.from());
}

TEST_CASE("history walks back through views, a turn of the wheel being one place in it") {
  ViewState view;
  view.setShown(capture(0, 100));
  for (int i = 0; i < 5; ++i) view.zoomAt(50, 0.8);
  QTest::qWait(650);
  view.show(10, 20);
  QTest::qWait(650);
  view.show(30, 40);
  view.back();
  CHECK(view.from() == Approx(10));
  view.back();
  CHECK(view.to() - view.from() == Approx(100 * 0.32768));
  view.back();
  CHECK(view.to() - view.from() == Approx(100));
  CHECK_FALSE(view.canGoBack());
  view.forward();
  view.forward();
  CHECK(view.from() == Approx(10));
  CHECK(view.canGoForward());
}

TEST_CASE("a span is ordered, clamped and cleared") {
  ViewState view;
  view.setShown(capture(0, 100));
  QSignalSpy changed(&view, &ViewState::spanChanged);
  view.setSpan(60, 20);
  CHECK(*view.span() == std::pair(20.0, 60.0));
  view.setSpan(90, 1000);
  CHECK(view.span()->second == 100);
  view.setSpan(50, 50);  // nothing to mark: the one before stays
  CHECK(view.span()->first == 90);
  view.clearSpan();
  view.clearSpan();
  CHECK_FALSE(view.span());
  CHECK(changed.count() == 3);
}

TEST_CASE("picking a state picks its shown visit with the most charge, steps go visit by visit") {
  ViewState view;
  view.setShown(capture(0, 100));
  view.pickState("A");
  CHECK(view.visit() == 2);
  CHECK(view.pickedState() == "A");
  view.show(0, 30);
  view.pickVisit(ViewState::kNone);
  view.pickState("A");
  CHECK(view.visit() == 0);
  view.stepVisit(1);
  CHECK(view.visit() == 1);
  for (int i = 0; i < 9; ++i) view.stepVisit(1);
  CHECK(view.visit() == 3);
  view.pickVisit(77);
  CHECK(view.visit() == ViewState::kNone);
  view.pickState("Nowhere");
  CHECK(view.visit() == ViewState::kNone);
}

TEST_CASE("the pointer points at the visit under it") {
  ViewState view;
  view.setShown(capture(0, 100));
  view.setPointer(30);
  CHECK(view.pointed() == 1);
  view.setPointer(std::nullopt);
  CHECK(view.pointed() == ViewState::kNone);
}

TEST_CASE("the same capture anew keeps range and span, another begins whole") {
  ViewState view;
  view.setShown(capture(0, 100));
  view.show(10, 20);
  view.setSpan(12, 15);
  view.setShown(capture(0, 150));
  CHECK(view.from() == 10);
  CHECK(view.span());
  view.showAll();
  view.setShown(capture(0, 200));  // it grew while all of it was shown: all of it is shown
  CHECK(view.to() == 200);
  view.setShown(capture(0, 50, 2));
  CHECK(view.to() == 50);
  CHECK_FALSE(view.span());
  view.setShown(nullptr);
  CHECK_FALSE(view.capture());
}

TEST_CASE("while recording the view follows, panning back holds it, and End returns") {
  ViewState view;
  view.setShown(capture(0, 100, 1, true));
  CHECK_FALSE(view.held());
  view.setShown(capture(0, 110, 1, true));  // whole: it grows
  CHECK(view.from() == 0);
  CHECK(view.to() == 110);
  view.show(100, 110);  // zoomed in at the live end: the width stays
  view.setShown(capture(0, 120, 1, true));
  CHECK(view.from() == Approx(110));
  CHECK(view.to() == Approx(120));
  view.pan(-30);
  CHECK(view.held());
  view.setShown(capture(0, 130, 1, true));
  CHECK(view.from() == Approx(80));
  CHECK(view.behind() == Approx(40));
  view.returnToLive();
  CHECK_FALSE(view.held());
  CHECK(view.to() == Approx(130));
  CHECK(view.to() - view.from() == Approx(10));
  view.setShown(capture(0, 130, 1, false));  // ended
  CHECK_FALSE(view.recording());
}

TEST_CASE("an edit keeps the visit that was picked, another capture does not") {
  ViewState view;
  view.setShown(capture(0, 100));
  view.pickVisit(2);
  view.setShown(capture(0, 100));
  CHECK(view.visit() == 2);
  view.setShown(capture(0, 100, 2));
  CHECK(view.visit() == ViewState::kNone);
}

TEST_CASE("captures drawn together share one stretch of time") {
  ViewState view;
  auto both = std::make_shared<ShownCaptures>(*capture(0, 100));
  both->captures.push_back(capture(20, 160, 2)->captures.front());
  view.setShown(both);
  CHECK(view.begin() == 0);
  CHECK(view.end() == 160);
  CHECK(view.to() == 160);
  view.setShown(capture(0, 100));  // the longer one is drawn no more
  CHECK(view.end() == 100);
  CHECK(view.to() <= 100);
}

TEST_CASE("steps go from moment to moment, from where was gone last, and end at the ends") {
  ViewState view;
  CHECK_FALSE(view.step({1, 2}, 1));  // no capture yet
  view.setShown(capture(0, 100));
  const std::vector<double> moments{10, 20, 20.5, 90};
  view.show(0, 40);
  view.setPointer(12);
  REQUIRE(view.step(moments, 1));
  CHECK(*view.pointer() == 20);
  view.setPointer(3);  // the mouse has moved, but the place gone to is still in view
  REQUIRE(view.step(moments, 1));
  CHECK(*view.pointer() == 20.5);
  REQUIRE(view.step(moments, 1));
  CHECK(*view.pointer() == 90);
  CHECK(view.from() <= 90);
  CHECK(view.to() >= 90);
  CHECK_FALSE(view.step(moments, 1));
  for (const double wanted : {20.5, 20.0, 10.0}) {
    REQUIRE(view.step(moments, -1));
    CHECK(*view.pointer() == wanted);
  }
  CHECK_FALSE(view.step(moments, -1));
  CHECK_FALSE(view.step({}, 1));
}

TEST_CASE("whole cycles snap a span and give it back as it was drawn") {
  ViewState view;
  view.setShown(capture(0, 100));  // A 0-25, B 25-50, A 50-75, C 75-100: A is entered once, at 50
  QSignalSpy changed(&view, &ViewState::spanChanged);
  view.setWholeCycles(true);
  view.setSpan(10, 80);
  CHECK_FALSE(view.cycles());  // no state is entered twice
  CHECK(*view.span() == std::pair(10.0, 80.0));
  auto more = std::make_shared<CaptureView>(*capture(0, 100)->captures.front());
  more->visits.clear();
  for (int i = 0; i < 20; ++i) {
    VisitFigures v;
    v.visit = {i % 2 ? "Busy" : "Rest", i * 5.0, i * 5.0 + 5, true};
    more->visits.push_back(v);
  }
  auto shown = std::make_shared<ShownCaptures>();
  shown->captures.push_back(more);
  view.setShown(shown);
  view.setSpan(11, 47);
  REQUIRE(view.cycles());
  CHECK(view.cycles()->state == "Rest");  // the one at its start
  CHECK(*view.span() == std::pair(10.0, 50.0));
  CHECK(view.cycles()->cycles == 4);
  view.pickVisit(1);  // another state's cycles, once it is picked
  view.setSpan(11, 47);
  CHECK(view.cycles()->state == "Busy");
  CHECK(*view.span() == std::pair(15.0, 45.0));
  view.setWholeCycles(false);
  CHECK(*view.span() == std::pair(11.0, 47.0));
  CHECK(changed.count() >= 5);
}

TEST_CASE("cursors stay inside the capture and go with it") {
  ViewState view;
  view.setCursor(0, 5);
  CHECK_FALSE(view.cursor(0));  // no capture yet
  view.setShown(capture(100, 200));
  view.setCursor(0, 50);
  view.setCursor(1, 150);
  CHECK(*view.cursor(0) == 100);
  view.setShown(capture(100, 250));  // the same one has grown
  CHECK(*view.cursor(1) == 150);
  view.setShown(capture(0, 10, 2));
  CHECK_FALSE(view.cursor(0));
}

TEST_CASE("a capture that is moved lies where it is dragged until it is dropped") {
  ViewState view;
  auto two = std::make_shared<ShownCaptures>();
  two->captures = {capture(0, 100)->captures.front(), capture(0, 60, 2)->captures.front()};
  view.setShown(two);
  view.dragOffset(3);  // nothing is moved yet
  CHECK(view.offsetOf(1) == 0);
  view.setMoving(1);
  QSignalSpy dropped(&view, &ViewState::offsetDragged);
  view.dropOffset();  // taken and let go where it was
  CHECK(dropped.isEmpty());
  view.dragOffset(3);
  view.dragOffset(-4.5);
  CHECK(view.offsets() == std::vector<double>{0, -4.5});
  view.dropOffset();
  REQUIRE(dropped.size() == 1);
  CHECK(dropped.front().at(1).toDouble() == -4.5);
  view.setMoving(std::nullopt);
  CHECK(view.offsetOf(1) == 0);
}
