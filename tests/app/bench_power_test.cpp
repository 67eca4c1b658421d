// SPDX-License-Identifier: GPL-3.0-or-later
// Recording from power-on whatever the output was, and the end of a window that records.

#include "bench_fixture.h"

#include <QElapsedTimer>
#include <QPushButton>

using namespace kuvio;
using namespace kuvio::app;
using test::AtBench;
using test::text;

TEST_CASE("with the output on the button says what it will do, and does it") {
  AtBench s;
  test::Bench sim({"--seed", "5", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  s.wire(text(sim, "log"));
  REQUIRE(s.ready());
  s.click("switchOutput");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  s.type("build", QStringLiteral("2.4.0-rc1"));
  s.type("length", QStringLiteral("60 s"));
  QTest::keyClick(s.find<QLineEdit>("length"), Qt::Key_Return);

  auto* button = s.find<QPushButton>("record");
  CHECK(button->text() == QStringLiteral("Cycle power (2 s off) and record"));
  s.choosePower(1);
  CHECK(button->text() == QStringLiteral("Record as it runs"));
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().recording(); }));
  CHECK(s.bench().state().output_on);  // not touched
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 30000));
  const auto events = [&] {
    const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
    int on = 0;
    for (const Event& e : book.events(book.captures().back().id))
      on += e.kind == EventKind::output_on;
    return on;
  };
  CHECK(events() == 0);
  CHECK(s.last().log_lines > 0);

  s.click("deskBench");
  REQUIRE(s.ready());
  if (!s.bench().state().output_on) s.click("switchOutput");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  s.choosePower(0);
  s.click("record");
  REQUIRE(s.wait([&] { return !s.bench().state().output_on; }));
  CHECK(s.bench().waitingForOff());
  CHECK_FALSE(s.find<QPushButton>("record")->isEnabled());
  QElapsedTimer off;
  off.start();
  REQUIRE(s.wait([&] { return s.bench().recording(); }));
  CHECK(off.elapsed() > 1700);
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 30000));
  CHECK(events() == 1);
  CHECK(s.last().log_lines > 0);
}

TEST_CASE("an output that does not stay off is not recorded from power-on") {
  AtBench s;
  test::Bench sim({"--seed", "6", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  s.click("switchOutput");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  s.type("build", QStringLiteral("1.0"));
  s.click("record");
  REQUIRE(s.wait([&] { return !s.bench().state().output_on; }));
  s.bench().switchOutput(true);  // somebody at the instrument
  REQUIRE(s.wait([&] { return !s.bench().waitingForOff(); }, 15000));
  CHECK_FALSE(s.bench().recording());
  CHECK_FALSE(s.told.filter(QStringLiteral("did not stay off")).isEmpty());
}

TEST_CASE("a window that must go ends its recording first, and switches off what it switched on") {
  AtBench s;
  test::Bench sim({"--seed", "7", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  s.type("build", QStringLiteral("1.0"));
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().state().recorded_s > 1; }));
  s.window.close();
  CHECK(s.window.isVisible());  // a recording is not ended by a slip of the hand
  s.window.leave();
  REQUIRE(s.wait([&] { return !s.window.isVisible(); }));
  CHECK_FALSE(s.bench().recording());
  const auto capture = s.last();
  CHECK_FALSE(capture.interrupted);
  CHECK(capture.duration_s() > 1);
  REQUIRE(s.ready());  // looked at again
  CHECK_FALSE(s.bench().state().output_on);
}
