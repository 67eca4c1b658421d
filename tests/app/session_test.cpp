// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/session.h"

#include "app/engine/reader.h"
#include "app/engine/state_edits.h"
#include "app/engine/trace_views.h"
#include "book/notes.h"
#include "core/error.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <atomic>
#include <thread>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

TEST_CASE("a strand runs its jobs in order, stops the one that is asked to and runs the last") {
  std::vector<int> done;
  std::atomic<bool> last{false}, stopped{false}, started{false};
  {
    Strand strand;
    strand.at_end([&] { last = true; });
    strand.post([&](const std::stop_token&) { done.push_back(1); });
    strand.post([&](const std::stop_token&) { done.push_back(2); });
    std::stop_source source = strand.post([&](const std::stop_token& stop) {
      started = true;
      while (!stop.stop_requested()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
      stopped = true;
    });
    REQUIRE(test::wait_for([&] { return started.load(); }));
    source.request_stop();
    REQUIRE(test::wait_for([&] { return stopped.load(); }));
  }
  CHECK(last);
  CHECK(done == std::vector<int>{1, 2});
}

TEST_CASE("a courier delivers in the interface thread, and nothing to who has gone") {
  auto* to = new QObject;
  const MainThread main_thread(to);
  std::thread::id where;
  bool arrived = false;
  std::thread([&] {
    main_thread.deliver([&] {
      where = std::this_thread::get_id();
      arrived = true;
    });
  }).join();
  REQUIRE(test::wait_for([&] { return arrived; }));
  CHECK(where == std::this_thread::get_id());
  MainThread retired = main_thread;
  retired.detach();
  delete to;
  main_thread.deliver([] { FAIL("delivered to nobody"); });
  QTest::qWait(20);
}

TEST_CASE("a change is made, undone and redone, and a failing one changes nothing") {
  Made made;
  Session session;
  QStringList told;
  QObject::connect(&session, &Session::failed, [&](const QString& m) { told << m; });
  session.open(QString::fromStdString(made.path));
  REQUIRE(test::wait_for([&] { return session.book() != nullptr; }));
  QSignalSpy changed(&session, &Session::changed);
  session.put(QStringLiteral("one"), {{0, "reference", "1.1"}, {made.capture, "name", "renamed"}});
  REQUIRE(test::wait_for([&] { return changed.count() == 1; }));
  REQUIRE(test::wait_for([&] { return session.book()->reference() == "1.1"; }));
  session.change(QStringLiteral("bad"),
                 [](const book::Book&, const std::stop_token&) -> book::ChangeRequest {
                   throw Error(Failure::bad_data, "no", "here", "because");
                 });
  REQUIRE(test::wait_for([&] { return !told.isEmpty(); }));
  CHECK(told.front() == QStringLiteral("no: here: because"));
  CHECK(session.history()->count() == 1);
  session.put(QStringLiteral("the same again"), {{0, "reference", "1.1"}});
  session.history()->undo();
  REQUIRE(test::wait_for([&] { return session.book()->row(made.capture)->info.name == "1.0"; }));
  CHECK(session.history()->count() == 1);  // what changes nothing is no step
  session.history()->redo();
  REQUIRE(
      test::wait_for([&] { return session.book()->row(made.capture)->info.name == "renamed"; }));
}

TEST_CASE("splitting many captures can be cancelled and then nothing is changed") {
  Made made(false);
  Session session;
  session.open(QString::fromStdString(made.path));
  REQUIRE(test::wait_for([&] { return session.book() != nullptr; }));
  const auto recipe =
      formats::read_recipe(std::string(KUVIO_SOURCE) + "/examples/satchel.recipe.toml");
  std::vector<std::int64_t> ids(4000, made.capture);
  apply_recipe(session, ids, {"r.recipe.toml", "", recipe.text, ""});
  QTest::qWait(50);
  session.cancel();
  QSignalSpy busy(&session, &Session::busyChanged);
  REQUIRE((busy.wait(10000)));
  QTest::qWait(50);
  CHECK(session.history()->count() == 0);
  CHECK_FALSE(session.book()->document(book::DocumentKind::recipe));
}

TEST_CASE("frames of panning are those of a fresh look, column for column") {
  Made made;
  Reader reader(QString::fromStdString(made.path));
  reader.show({made.capture});
  const auto view = [&](double from) {
    FrameRequest request{from, from + 30, 700, 1, {{{0, "I"}}}};
    return request;
  };
  for (int i = 0; i < 12; ++i) {
    const double from = 0.37 * i;
    const FramePtr panned = reader.frame(view(from), 60);
    Reader other(QString::fromStdString(made.path));
    other.show({made.capture});
    const FramePtr fresh = other.frame(view(from), 60);
    const Curve &a = panned->lanes[0].curves[0], &b = fresh->lanes[0].curves[0];
    REQUIRE(a.columns.size() == b.columns.size());
    CHECK(a.from_s == Approx(b.from_s));
    int differ = 0;
    for (std::size_t k = 0; k < a.columns.size(); ++k)
      differ += a.columns[k].any != b.columns[k].any || a.columns[k].lo != b.columns[k].lo ||
                a.columns[k].hi != b.columns[k].hi;
    // The grid of a pan is that of its first frame but for rounding: a sample on an edge may fall
    // into the next column.
    CHECK(differ <= 4);
  }
}

TEST_CASE("a frame without time is loose around what a patient one holds, and is made exact") {
  test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 10'000};
    book::CaptureWriter w(book, {"c", "1", {}, false}, {channel});
    std::vector<double> values(2'000'000);
    std::uint64_t state = 7;
    for (double& v : values) {
      state = state * 6364136223846793005ULL + 1442695040888963407ULL;
      v = 1e-6 * static_cast<double>(state >> 50);
    }
    w.append(0, 0, 1, values);
    w.finish("made", false);
  }
  Reader hasty(QString::fromStdString(path)), patient(QString::fromStdString(path));
  const auto id = hasty.list()->rows.front().info.id;
  hasty.show({id});
  patient.show({id});
  // Some hundreds of samples a column: columns' edges lie inside strides.
  for (const double width : {40.0, 130.0}) {
    const FrameRequest request{3.3, 3.3 + width, 700, 1, {{{0, "I"}}}};
    const FramePtr approximate = hasty.frame(request, 0), exact = patient.frame(request, 60);
    CHECK(approximate->approximate);
    CHECK_FALSE(exact->approximate);
    const auto &a = approximate->lanes[0].curves[0].columns, &b = exact->lanes[0].curves[0].columns;
    REQUIRE(a.size() == b.size());
    for (std::size_t i = 0; i < a.size(); ++i) {
      REQUIRE(a[i].lo <= b[i].lo);
      REQUIRE(a[i].hi >= b[i].hi);
    }
    const FramePtr then = hasty.frame(request, 60);
    CHECK_FALSE(then->approximate);
    const auto& c = then->lanes[0].curves[0].columns;
    std::size_t other = 0;
    for (std::size_t i = 0; i < c.size(); ++i) other += c[i].lo != b[i].lo || c[i].hi != b[i].hi;
    CHECK(other == 0);
  }
}
