// SPDX-License-Identifier: GPL-3.0-or-later
// Whatever stalls, a disk, a book or a link, the window answers.

#include "app/engine/book_view.h"
#include "book/sqlite.h"
#include "cli/process.h"

#include "desk_fixture.h"

#include <QTimer>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <csignal>
#include <limits>
#include <thread>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

/// The longest time (ms) that the interface thread did not come round in, of `ms`, beyond what a
/// thread beside it that only sleeps was held up by: the machine's own stalls are not the window's.
/// The best of a few tries counts. Had it waited for what stalls here, every try would be as long
/// as the stall, and the sleeper would know nothing of it.
double longest_silence(int ms) {
  using Clock = std::chrono::steady_clock;
  const auto in_ms = [](Clock::duration d) {
    return std::chrono::duration<double, std::milli>(d).count();
  };
  double best = std::numeric_limits<double>::infinity();
  for (int attempt = 0; attempt < 4 && best > 50; ++attempt) {
    std::atomic<double> machine = 0;
    std::jthread sleeper([&](const std::stop_token& stop) {
      for (auto last = Clock::now(); !stop.stop_requested();) {
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
        const auto now = Clock::now();
        machine = std::max(machine.load(), in_ms(now - last));
        last = now;
      }
    });
    double worst = 0;
    auto since = Clock::now();
    QTimer beat;
    QObject::connect(&beat, &QTimer::timeout, [&] {
      const auto now = Clock::now();
      worst = std::max(worst, in_ms(now - since));
      since = now;
    });
    beat.start(2);
    QTest::qWait(ms);
    sleeper.request_stop();
    sleeper.join();
    best = std::min(best, worst - machine);
  }
  return best;
}

/// Uses the window as one would meanwhile.
void use(Opened& s) {
  QTest::keyClick(s.lane, Qt::Key_Plus);
  QTest::keyClick(s.lane, Qt::Key_Right);
  s.wheel(s.at(s.view().from() + 1), 1);
}

}  // namespace

TEST_CASE("a file on a stalled disk holds nothing up but itself") {
  Opened s;
  const std::string fifo = s.made.folder / "slow.recipe.toml";  // opening it waits for a writer
  REQUIRE(::mkfifo(fifo.c_str(), 0600) == 0);
  s.window.openFile(QString::fromStdString(fifo));
  use(s);
  CHECK(longest_silence(300) < 50);
  // The trace, its figures and edits go on.
  s.drag(s.at(9.0), s.at(20.0));
  REQUIRE(s.wait([&] { return s.window.readOut().contains(QStringLiteral("→")); }));
  s.window.session().put(QStringLiteral("a change"), {{0, "reference", "1.1"}});
  REQUIRE(s.wait([&] { return s.window.session().book()->reference() == "1.1"; }));
  // It is told as under way, and comes as soon as the disk does.
  REQUIRE(s.wait([&] { return s.child<QWidget>("workStrip")->isVisible(); }));
  const int end = ::open(fifo.c_str(), O_WRONLY);
  const std::string text =
      "kuvio = \"recipe/1\"\nname = \"slow\"\n[[state]]\nname = \"A\"\n"
      "level = { below = \"1 A\" }\n";
  REQUIRE(::write(end, text.data(), text.size()) == static_cast<ssize_t>(text.size()));
  ::close(end);
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::recipe) != nullptr; }));
  REQUIRE(s.wait([&] { return !s.child<QWidget>("workStrip")->isVisible(); }));
}

TEST_CASE("a book that another process is writing to keeps a change waiting, not the window") {
  Opened s;
  {
    const book::Book other = book::Book::open(s.made.path, book::Book::Mode::write);
    book::Transaction transaction(other.database());
    s.window.session().put(QStringLiteral("a change"), {{0, "reference", "1.1"}});
    use(s);
    CHECK(longest_silence(300) < 50);
    CHECK(s.window.session().book()->note("reference").empty());
    s.view().show(5, 15);
    REQUIRE(s.wait([&] { return s.lane->curve() && s.lane->timeAt(s.at(10).x()) > 9; }));
  }
  REQUIRE(s.wait([&] { return s.window.session().book()->reference() == "1.1"; }, 10000));
}

TEST_CASE("a bench that stalls, watched or recording, holds up nothing, and is told") {
  test::Bench bench({"--speed", "10"});
  Opened s;
  s.window.bench().connectTo({QString::fromStdString(bench.scpi()), {}, {}, {}});
  REQUIRE(s.wait([&] { return s.window.bench().state().phase == BenchState::Phase::ready; }));
  bench.process.signal(SIGSTOP);
  use(s);
  CHECK(longest_silence(300) < 50);
  s.window.bench().switchOutput(false);
  s.window.bench().setVoltage(3.3);
  CHECK(longest_silence(100) < 50);
  bench.process.signal(SIGCONT);
  REQUIRE(s.wait([&] {
    return !s.window.bench().state().output.set.empty() &&
           s.window.bench().state().output.set[0].voltage == Approx(3.3);
  }));

  RecordRequest request;
  request.name = request.build = "stalled";
  request.seconds = 3600;
  request.record_voltage = false;
  s.window.bench().record(request);
  REQUIRE(s.wait([&] { return s.window.bench().state().recorded_s > 1; }));
  bench.process.signal(SIGSTOP);
  use(s);
  CHECK(longest_silence(300) < 50);
  // After 5 s without an answer it is told, with what is saved; the link is tried again.
  REQUIRE(s.wait([&] { return !s.window.bench().state().away.empty(); }, 12000));
  REQUIRE(s.wait([&] { return s.window.message().contains(QStringLiteral("saved")); }));
  CHECK_THAT(s.window.message().toStdString(),
             Catch::Contains("saved") && Catch::Contains("may still be on"));
  use(s);
  CHECK(longest_silence(300) < 50);
  const double before = s.window.bench().state().recorded_s;
  bench.process.signal(SIGCONT);
  REQUIRE(s.wait(
      [&] {
        return s.window.bench().state().away.empty() &&
               s.window.bench().state().recorded_s > before + 1;
      },
      20000));
  s.window.bench().stop();
  REQUIRE(s.wait([&] {
    const auto& rows = s.window.session().book()->rows;
    return rows.size() == 3 && !rows.back().info.recording;
  }));
  CHECK_FALSE(s.window.session().book()->rows.back().info.interrupted);
  CHECK(s.window.session().book()->rows.back().info.duration_s() > 1);
}
