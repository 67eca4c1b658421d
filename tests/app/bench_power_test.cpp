// SPDX-License-Identifier: GPL-3.0-or-later
// Recording from power-on whatever the output was, and the end of a window that records.

#include "bench_fixture.h"

#include <QElapsedTimer>
#include <QPushButton>

using namespace kuvio;
using namespace kuvio::app;
using test::AtBench;
using test::text;

TEST_CASE("from power-on with the output on is asked about, and either answer keeps its word") {
  AtBench s;
  test::Bench sim({"--seed", "5", "--speed", "20"});
  s.type("outputAddress", text(sim, "scpi"));
  s.type("logAddress", text(sim, "log"));
  s.click("connect");
  REQUIRE(s.ready());
  s.click("outputOn");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  s.type("build", QStringLiteral("2.4.0-rc1"));
  s.type("length", QStringLiteral("60 s"));
  QTest::keyClick(s.find<QLineEdit>("length"), Qt::Key_Return);

  s.click("recordPowerOn");
  REQUIRE(s.wait([&] { return s.window.findChild<QPushButton*>(QStringLiteral("fromOff")); }));
  CHECK_FALSE(s.bench().recording());
  s.click("recordAsItIs");
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
  if (!s.bench().state().output_on) s.click("outputOn");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  s.click("recordPowerOn");
  REQUIRE(s.wait([&] { return s.window.findChild<QPushButton*>(QStringLiteral("fromOff")); }));
  s.click("fromOff");
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
  s.type("outputAddress", text(sim, "scpi"));
  s.click("connect");
  REQUIRE(s.ready());
  s.click("outputOn");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  s.type("build", QStringLiteral("1.0"));
  s.click("recordPowerOn");
  REQUIRE(s.wait([&] { return s.window.findChild<QPushButton*>(QStringLiteral("fromOff")); }));
  s.click("fromOff");
  REQUIRE(s.wait([&] { return !s.bench().state().output_on; }));
  s.bench().switchOutput(true);  // somebody at the instrument
  REQUIRE(s.wait([&] { return !s.bench().waitingForOff(); }, 15000));
  CHECK_FALSE(s.bench().recording());
  CHECK_FALSE(s.told.filter(QStringLiteral("did not stay off")).isEmpty());
}

TEST_CASE("a window that must go ends its recording first, and switches off what it switched on") {
  AtBench s;
  test::Bench sim({"--seed", "7", "--speed", "20"});
  s.type("outputAddress", text(sim, "scpi"));
  s.click("connect");
  REQUIRE(s.ready());
  s.type("build", QStringLiteral("1.0"));
  s.click("recordPowerOn");
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
