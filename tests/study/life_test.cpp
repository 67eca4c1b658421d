// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/life.h"

#include "core/error.h"

#include "study_book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::StudyBook;

namespace {

const auto kOn = [] { return true; };

study::CaptureLife ask(const StudyBook& made, std::int64_t id,
                       const study::LifeQuestion& question = {}) {
  const study::Pool one = study::pool(made.book, "one", {made.book.capture(id)});
  return study::life_of_capture(made.book, one.ledger(), question, kOn);
}

}  // namespace

TEST_CASE("a life as captured is charge over the recording's own mean") {
  StudyBook made;
  const std::int64_t id = made.add("1.0", 3e-6, 10e-3, 5);
  const auto life = ask(made, id);
  // Of whole rounds: the sleep that is cut at the end belongs to none.
  const double mean = (2 * 3e-6 + 0.5 * 10e-3) / 2.5;
  CHECK(life.as_captured.mean == Approx(mean).epsilon(1e-3));
  REQUIRE(life.as_captured.life);
  CHECK(*life.as_captured.life == Approx(3600 / mean).epsilon(1e-3));  // a cell of 1000 mAh
  CHECK(life.captured.battery.name == "a cell of 1000 mAh");
  CHECK_FALSE(life.has_plan);
  CHECK_FALSE(life.has_battery);
  CHECK_FALSE(life.is_what_if);
  // Nobody changed a rate: the scenario is the capture.
  CHECK(life.as_scenario.mean == life.as_captured.mean);
  CHECK_FALSE(life.needed_c);
}

TEST_CASE("a plan and a battery of the book decide the scenario, a what-if before them") {
  StudyBook made;
  const std::int64_t id = made.add("1.0", 3e-6, 10e-3, 5);
  made.put(book::DocumentKind::duty, "field.duty.toml", test::kStudyDuty);
  made.put(book::DocumentKind::battery, "cell.battery.toml", test::kStudyBattery);
  // Once a minute half a second of work: 59.5 s of sleep a minute.
  const double mean = (59.5 * 3e-6 + 0.5 * 10e-3) / 60;
  auto life = ask(made, id);
  CHECK(life.has_plan);
  CHECK(life.has_battery);
  CHECK(life.as_scenario.mean == Approx(mean).epsilon(1e-4));
  CHECK(*life.as_scenario.life == Approx(360 / mean).epsilon(1e-4));

  SECTION("wanted lives say what cell is needed, the question before the note") {
    book::put(made.book, std::vector<book::Note>{{0, "wanted", "30 d"}});
    life = ask(made, id);
    CHECK(*life.wanted_s == 30 * 86400);
    CHECK(*life.needed_c == Approx(mean * 30 * 86400).epsilon(1e-4));
    study::LifeQuestion question;
    question.wanted_s = 86400;
    CHECK(*ask(made, id, question).needed_c == Approx(mean * 86400).epsilon(1e-4));
  }
  SECTION("what is harvested is taken off") {
    book::put(made.book, std::vector<book::Note>{{0, "harvest", "40 uA"}});
    life = ask(made, id);
    CHECK(*life.as_scenario.life == Approx(360 / (mean - 40e-6)).epsilon(1e-4));
    CHECK(*life.as_captured.life < *life.as_scenario.life);  // as captured nothing is harvested
  }
  SECTION("a what-if is told apart from the plan") {
    made.put(book::DocumentKind::scenario_duty, "field.duty.toml",
             "kuvio = \"duty/1\"\nname = \"field\"\nrest = \"Sleep\"\n"
             "[[activity]]\nstates = [\"Work\"]\nper = \"6 /h\"\n");
    life = ask(made, id);
    CHECK(life.is_what_if);
    CHECK(life.as_scenario.mean == Approx((599.5 * 3e-6 + 0.5 * 10e-3) / 600).epsilon(1e-4));
    CHECK(life.has_plan);
  }
  SECTION("the curve is the life over the interval, and leaves out what no time is for") {
    study::LifeQuestion question;
    question.curve_points = 20;
    life = ask(made, id, question);
    REQUIRE(life.curve.size() == 20);
    for (const auto& [interval, at] : life.curve) {
      const double here = ((interval - 0.5) * 3e-6 + 0.5 * 10e-3) / interval;
      INFO(interval);
      CHECK(*at == Approx(360 / here).epsilon(1e-4));
    }
    // Work every 600 ms leaves 100 ms of sleep; a twelfth of that is no time at all.
    made.put(book::DocumentKind::duty, "field.duty.toml",
             "kuvio = \"duty/1\"\nname = \"field\"\nrest = \"Sleep\"\n"
             "[[activity]]\nstates = [\"Work\"]\nper = \"6000 /h\"\n");
    life = ask(made, id, question);
    CHECK(life.curve.size() < 20);
    CHECK(life.curve.front().first >= 0.5);
  }
  SECTION("it is given up where it stands") {
    const study::Pool one = study::pool(made.book, "one", {made.book.capture(id)});
    CHECK(study::life_of_capture(made.book, one.ledger(), {}, [] { return false; }).curve.empty());
  }
}

TEST_CASE("lives of all builds are what each has by itself, and one without data says so") {
  StudyBook s;
  s.add("1.0", 3e-6, 10e-3);
  s.add("1.1", 9e-6, 10e-3);
  s.add("1.2", 3e-6, 10e-3, 5, false);  // not split
  s.put(book::DocumentKind::duty, "field.duty.toml", test::kStudyDuty);
  s.put(book::DocumentKind::battery, "cell.battery.toml", test::kStudyBattery);
  study::LifeBasis basis{*study::stored_duty(s.book), *study::stored_battery(s.book), 0};
  study::Pools pools(s.book);
  pools.refresh();
  int asked = 0;
  const auto lives =
      study::lives_of_builds(pools, {"1.0", "1.1", "1.2"}, basis, [&] { return ++asked > 0; });
  REQUIRE(lives.size() == 3);
  CHECK(asked == 3);
  // Once a minute 0.5 s at 10 mA, else asleep; 100 mAh.
  for (const auto& [at, sleep] : {std::pair{0U, 3e-6}, {1U, 9e-6}}) {
    const double mean = (0.5 * 10e-3 + 59.5 * sleep) / 60;
    REQUIRE(lives[at].figures.life);
    CHECK(*lives[at].figures.life == Approx(360 / mean).epsilon(1e-3));
    CHECK(*lives[at].figures.low < *lives[at].figures.life);
  }
  CHECK_FALSE(lives[2].figures.life);
  CHECK_FALSE(lives[2].figures.trouble.empty());
  CHECK(study::lives_of_builds(pools, {"1.0"}, basis, [] { return false; }).empty());
}

TEST_CASE("what cannot be worked out says why") {
  StudyBook made;
  const std::int64_t id = made.add("1.0", 3e-6, 10e-3, 5);
  book::put(made.book, std::vector<book::Note>{{0, "wanted", "some time"}});
  CHECK_THROWS_WITH(ask(made, id), Catch::Contains("\"wanted\""));
  book::put(made.book, std::vector<book::Note>{{0, "wanted", std::nullopt}});
  DutyPlan plan;
  plan.name = "crowded.duty.toml";
  plan.rest = "Sleep";
  plan.activities = {{5, {"Work"}}};  // 2.5 s of work a second
  study::LifeQuestion question;
  question.scenario = study::LifeBasis{plan, {}, 0};
  question.scenario->battery.capacity_c = 360;
  CHECK_FALSE(ask(made, id, question).as_scenario.trouble.empty());
  const book::CaptureInfo info = made.book.capture(id);
  CHECK_THROWS_WITH(study::mean_of(made.book, info, plan), Catch::Contains("crowded.duty.toml"));
  plan.activities = {{1e-3, {"Dance"}}};
  CHECK_THROWS_WITH(study::mean_of(made.book, info, plan), Catch::Contains("Dance"));
}

TEST_CASE("a capture that is not split has a mean, and one without samples has none") {
  StudyBook made;
  const std::int64_t id = made.add("1.0", 3e-6, 10e-3, 5, false);
  const auto mean = study::mean_of(made.book, made.book.capture(id), std::nullopt);
  CHECK(mean.mean.mean == Approx((12 * 3e-6 + 2.5 * 10e-3) / 14.5).epsilon(1e-6));
  const std::int64_t empty = made.add("1.0", 3e-6, 10e-3, 0, false);
  CHECK(study::mean_of(made.book, made.book.capture(empty), std::nullopt).mean.mean ==
        Approx(3e-6));
}
