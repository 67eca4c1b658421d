// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/query.h"

#include "wait_for.h"

#include <QObject>
#include <QTest>

#include <catch2/catch.hpp>

#include <future>

using namespace kuvio::app;

namespace {

using Answer = std::shared_ptr<const int>;
using Asked = Query<int, Answer>;

/// A query whose work waits at a gate, and gives ten times what it was asked; of 13 nothing.
struct Desk {
  QObject receiver;
  MainThread main_thread{&receiver};
  std::promise<void> open;
  std::shared_future<void> gate{open.get_future()};
  std::atomic<int> begun{0};
  std::vector<int> worked;  // of the strand alone, until it is read at the end
  std::vector<std::pair<int, bool>> arrived;
  std::vector<std::stop_source> jobs;
  std::unique_ptr<Strand> strand = std::make_unique<Strand>();
  Asked query;

  explicit Desk(OlderAnswers older)
      : query([this](Strand::Job job) { jobs.push_back(strand->post(std::move(job))); },
              main_thread, older,
              [this](const int& asked, const Asked::StillWanted& wanted) -> Answer {
                ++begun;
                gate.wait();
                worked.push_back(asked);
                last_wanted = wanted();
                return asked == 13 ? nullptr : std::make_shared<const int>(asked * 10);
              },
              [this](const Answer& answer, const int& asked, bool newest) {
                CHECK(*answer == asked * 10);
                arrived.emplace_back(*answer, newest);
              }) {}
  ~Desk() { main_thread.detach(); }

  bool begin() {
    return kuvio::test::wait_for([this] { return begun > 0; });
  }
  /// Lets the work go on, and everything arrive.
  void finish() {
    open.set_value();
    strand.reset();
    QTest::qWait(20);
  }
  std::atomic<bool> last_wanted{false};
};

}  // namespace

TEST_CASE("of requests that wait only the newest is answered") {
  Desk desk(OlderAnswers::delivered);
  desk.query.ask(1);
  REQUIRE(desk.begin());
  for (int i = 2; i <= 5; ++i) desk.query.ask(i);
  desk.open.set_value();
  REQUIRE(kuvio::test::wait_for([&] { return desk.arrived.size() == 2; }));
  desk.strand.reset();
  CHECK(desk.worked == std::vector<int>{1, 5});
  // The first was under way: it is shown, and known to be older.
  CHECK(desk.arrived == std::vector<std::pair<int, bool>>{{10, false}, {50, true}});
}

TEST_CASE("an older answer is dropped where that is wanted, and its work may know") {
  Desk desk(OlderAnswers::dropped);
  desk.query.ask(1);
  REQUIRE(desk.begin());
  desk.query.ask(2);
  desk.open.set_value();
  REQUIRE(kuvio::test::wait_for([&] { return !desk.arrived.empty(); }));
  desk.strand.reset();
  CHECK(desk.worked == std::vector<int>{1, 2});
  CHECK(desk.arrived == std::vector<std::pair<int, bool>>{{20, true}});
}

TEST_CASE("what is no longer wanted, stopped or empty does not arrive") {
  Desk desk(OlderAnswers::dropped);
  SECTION("dropped") {
    desk.query.ask(1);
    REQUIRE(desk.begin());
    desk.query.drop();
    desk.finish();
    CHECK_FALSE(desk.last_wanted);
  }
  SECTION("stopped") {
    desk.query.ask(1);
    REQUIRE(desk.begin());
    desk.jobs.front().request_stop();
    desk.finish();
    CHECK_FALSE(desk.last_wanted);
  }
  SECTION("nothing to say") {
    desk.query.ask(13);
    REQUIRE(desk.begin());
    desk.finish();
  }
  SECTION("who asked has gone") {
    desk.query.ask(1);
    REQUIRE(desk.begin());
    desk.main_thread.detach();
    desk.finish();
  }
  CHECK(desk.arrived.empty());
}
