// SPDX-License-Identifier: GPL-3.0-or-later
// The device's drawer: its lines, what is fed beside it, and its reset.

#include "app/bench/station_drawers.h"
#include "app/style/field_note.h"

#include "bench_fixture.h"

#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>

using namespace kuvio;
using namespace kuvio::app;
using test::AtBench;
using test::text;

TEST_CASE("lines, the auxiliary output and the device's reset are at hand on the desk") {
  AtBench s;
  test::Bench sim({"--power-on"});
  s.wire(text(sim, "scpi"));
  s.wire(text(sim, "log"));
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().state().output.lines.size() == 2; }));
  s.drawer(QStringLiteral("device"));
  CHECK(s.find<QPushButton>("line1")->text() == QStringLiteral("reset: high"));
  const auto said = [&](const char* what) {
    return s.find<QPlainTextEdit>("console")->toPlainText().contains(QLatin1String(what));
  };
  s.click("switchOutputaux");
  REQUIRE(s.wait([&] { return said("service port: fed"); }));
  // It is set like any other output.
  s.click("settingsOfaux");
  s.set("voltageaux", QStringLiteral("3 V"));
  // What it feeds has power, and three volts are much less than five: that is asked about.
  s.click("setBigStepaux");
  REQUIRE(s.wait([&] { return said("service port: gone"); }));
  CHECK(s.bench().state().output.set[0].voltage == Approx(3.6));
  s.drawer(QStringLiteral("device"));
  s.click("resetDevice");
  REQUIRE(s.wait([&] { return said("(reset pin)"); }));
  s.type("resetHow", QStringLiteral("line nothing"));
  s.click("resetDevice");
  CHECK_THAT(FieldNote::at(s.find<QLineEdit>("resetHow")).toStdString(),
             Catch::Contains("is not a reset"));
  // While it is recorded too, and then it is in the capture.
  s.type("resetHow", QStringLiteral("line reset low for 300 ms"));
  s.type("build", QStringLiteral("2.3.0"));
  s.type("length", QStringLiteral("3 s"));
  s.choosePower(1);
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().state().recorded_s > 0.7; }));
  s.click("deskBench");
  s.click("resetDevice");
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 20000));
  const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  int resets = 0;
  for (const auto& e : book.events(s.last().id)) resets += e.kind == EventKind::device_reset;
  CHECK(resets == 1);
  s.click("deskTrace");
  auto* log = s.find<NotebookTable>("log");
  REQUIRE(s.wait([&] {
    for (int r = 0; r < log->model()->rowCount(); ++r) {
      for (int c = 0; c < log->model()->columnCount(); ++c) {
        if (log->model()->index(r, c).data().toString().startsWith(
                QStringLiteral("● device reset: line reset low")))
          return true;
      }
    }
    return false;
  }));
}
