// SPDX-License-Identifier: GPL-3.0-or-later
// The Bench desk with every kind of input, by mouse and keyboard, against the simulated bench in
// another process.

#include "app/bench/bench_desk.h"

#include "app/bench/paper_view.h"
#include "app/bench/stamps.h"
#include "app/shell/message_row.h"
#include "app/style/field_note.h"
#include "book/channel_trace.h"
#include "cli/process.h"
#include "cli/pump.h"
#include "core/measure.h"

#include "bench_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>

#include <sys/stat.h>

#include <csignal>
#include <fstream>
#include <set>
#include <thread>

using namespace kuvio;
using namespace kuvio::app;
using test::AtBench;
using test::text;

TEST_CASE("every kind of input is wired up, watched, recorded and marked from the Bench desk") {
  AtBench s;
  const std::string pipe = s.folder / "pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  test::Bench sim({"--stream", "tcp", "--stream-rate", "2000", "--meter", "--serial", "--sensors",
                   s.folder / "sensors", "--lines", pipe, "--lines-rate", "50"});
  for (const char* key : {"scpi", "log", "stream", "meter", "lines", "hwmon", "iio"})
    s.wire(text(sim, key));
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().history().channels().size() >= 9; }));
  QStringList names;
  for (const LiveHistory::Channel& c : s.bench().history().channels())
    names << QString::fromStdString(c.name);
  for (const char* name : {"I", "V", "I_shunt", "V_dut", "U", "supply", "in_current0"})
    CHECK(names.contains(QLatin1String(name)));
  // On the wire: a station for each, an open switch, and no more reading than there is room for.
  const WirePlan& plan = s.wire()->plan();
  REQUIRE(plan.lines.size() == 1);
  CHECK(plan.lines.front().drawing == WireLine::Drawing::off);
  CHECK(plan.listeners.size() == 7);  // the log, five inputs, and "+ more"
  CHECK(s.find<PaperView>("paper")->strips().size() <= 3);

  s.type("build", QStringLiteral("2.3.0"));
  s.type("length", QStringLiteral("4 s"));
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().recording() && s.bench().state().recorded_s > 1; }));
  s.click("deskBench");
  CHECK(s.find<QPushButton>("mark")->isVisible());
  CHECK_FALSE(s.find<QPushButton>("record")->isVisible());
  s.type("markNote", QStringLiteral("lid opened"));
  QTest::keyClick(s.find<QLineEdit>("markNote"), Qt::Key_Return);
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 20000));
  const auto info = s.last();
  CHECK_FALSE(info.interrupted);
  CHECK(info.channels.size() >= 10);
  for (const auto& c : info.channels) {
    INFO(c.name);
    CHECK(c.to_s == Approx(4).margin(1));  // a machine that stands still reads late
  }
  const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  bool marked = false;
  for (const auto& e : book.events(info.id))
    marked |= e.kind == EventKind::mark && e.text == "lid opened";
  CHECK(marked);
  // It is seen on Trace, among the lines.
  s.click("deskTrace");
  auto* log = s.find<NotebookTable>("log");
  REQUIRE(s.wait([&] {
    for (int r = 0; r < log->model()->rowCount(); ++r) {
      for (int c = 0; c < log->model()->columnCount(); ++c) {
        if (log->model()->index(r, c).data().toString() == QStringLiteral("◆ lid opened"))
          return true;
      }
    }
    return false;
  }));
}

TEST_CASE("a digitiser alone is recorded without an output") {
  AtBench s;
  test::Bench sim({"--stream", "serial", "--power-on"});
  s.wire(text(sim, "stream"));
  REQUIRE(s.ready());
  CHECK(s.wire()->plan().lines.front().drawing == WireLine::Drawing::elsewhere);
  CHECK(s.find<QPushButton>("record")->text() == QStringLiteral("Record"));
  CHECK_FALSE(s.find<QComboBox>("power")->isVisible());  // there is nothing to power
  CHECK_FALSE(s.find<QPushButton>("switchOffButton")->isVisible());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("1 s"));
  s.record();
  CHECK(s.last().channels.front().name == "I_shunt");
  CHECK(s.last().channels.front().samples == 1000);
}

TEST_CASE("an output over a serial line or as usbtmc is watched, switched and recorded") {
  const char* kind = GENERATE("serial", "usbtmc");
  AtBench s;
  test::Bench sim({"--serial"});
  s.wire(text(sim, kind));
  REQUIRE(s.ready());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("4 s"));
  s.record();
  const auto info = s.last();
  CHECK_FALSE(info.interrupted);
  CHECK(info.channel("I")->samples == 4000);
  const book::Book book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  const book::ChannelTrace current(book, *info.channel("I"));
  const double on = test::first_above(current, 10e-3);  // whenever it was heard
  REQUIRE(on >= 0);
  CHECK(*measure(current, on + 0.1, on + 1).mean() == Approx(18e-3).epsilon(0.02));
}

TEST_CASE("lines and streams over every other kind of link are recorded from the desk") {
  AtBench s;
  test::Bench tcp({"--lines", "tcp", "--lines-rate", "100", "--power-on"});
  test::Bench serial({"--lines", "serial", "--lines-rate", "100", "--power-on", "--stream", "tcp",
                      "--stream-rate", "1000"});
  const test::Pump pump(serial.endpoints["stream"], s.folder / "pipe");
  const std::string file = s.folder / "log.csv";
  std::ofstream(file) << "t_us,current (uA)\n0,5\n";
  std::jthread writer([&](const std::stop_token& stop) {
    std::ofstream out(file, std::ios::app);
    for (int i = 1; !stop.stop_requested(); ++i) {
      out << i * 10'000 << ",5\n" << std::flush;
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
  });
  for (const QString& address :
       {QStringLiteral("stream:") + QString::fromStdString(s.folder / "pipe"), text(tcp, "lines"),
        text(serial, "lines"), QStringLiteral("lines:") + QString::fromStdString(file)})
    s.wire(address);
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().state().channels.size() >= 7; }));
  // Watched they are called as they will be in the capture: no two alike.
  std::set<std::string> watched;
  for (const auto& c : s.bench().state().channels) watched.insert(c.name);
  CHECK(watched.size() == s.bench().state().channels.size());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("2 s"));
  s.record();
  const auto info = s.last();
  CHECK_FALSE(info.interrupted);
  REQUIRE(info.channels.size() == 7);  // two, two, two and one
  for (const auto& c : info.channels) CHECK(watched.count(c.name) == 1);
  for (const auto& c : info.channels) {
    INFO(c.name);
    CHECK(c.samples >= 90);
    CHECK(c.to_s == Approx(2).margin(1));  // a busy machine reads a file late
  }
}

TEST_CASE("a zero is taken with the device off, and applied to what is recorded then") {
  AtBench s;
  test::Bench sim({"--seed", "5"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  QSignalSpy zeroed(&s.bench(), &BenchControl::zeroed);
  s.drawer(s.firstSource());
  s.click("zero");
  REQUIRE(zeroed.wait(10000));
  CHECK(zeroed.first().at(0).toBool());
  REQUIRE(s.ready());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("1 s"));
  s.record();
  CHECK(s.last().channels.front().calibration.offset != 0);
  CHECK(s.last().conditions.at("zeroed") == "yes");
  REQUIRE(s.ready());
  s.click("switchOutput");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  CHECK_FALSE(s.find<QPushButton>("zero")->isEnabled());
}

TEST_CASE("an armed capture waits, and begins with what it waits for") {
  AtBench s;
  // Slow enough that the wait is seen before the wake that ends it, 20 s after the start.
  test::Bench sim({"--speed", "6", "--power-on"});
  s.wire(text(sim, "scpi"));
  s.wire(text(sim, "log"));
  REQUIRE(s.ready());
  CHECK(s.wire()->plan().lines.front().drawing == WireLine::Drawing::on);
  s.choosePower(1);  // already on
  CHECK(s.find<QPushButton>("record")->text() == QStringLiteral("Record as it runs"));
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("10 s"));
  s.addPhrase("start_on");
  s.type("arm", QStringLiteral("I above 2 mA"));
  s.addPhrase("pre_trigger");
  s.type("before", QStringLiteral("2 s"));
  CHECK(s.find<QPushButton>("record")->text() == QStringLiteral("Arm"));
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().state().armed; }));
  CHECK_THAT(s.find<CutLabel>("recordingText")->text().toStdString(), Catch::Contains("armed"));
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 30000));
  CHECK(s.last().channels.front().samples == 10'000);
  s.click("deskBench");
  REQUIRE(s.ready());
  s.type("arm", QStringLiteral("I over 2 mA"));  // no way to write it
  s.click("record");
  CHECK_FALSE(s.bench().recording());
}

TEST_CASE("a profile is tried from the desk, and what failed stands in the console") {
  AtBench s;
  const std::string foreign = std::string(KUVIO_SOURCE) + "/tests/foreign_instruments/";
  test::Process meter("python3", {foreign + "bench_meter.py"});
  // The source's drawer needs something at the wire's beginning: an instrument, by an address.
  s.drawer(QStringLiteral("add"));
  s.set("address", QStringLiteral("127.0.0.1:%1").arg(QString::fromStdString(meter.line())));
  s.drawer(s.firstSource());
  s.type("profile", QString::fromStdString(foreign + "bench_meter.profile.toml"));
  QSignalSpy tried(&s.bench(), &BenchControl::profileTried);
  s.click("tryProfile");
  REQUIRE(tried.wait(15000));
  const QString console = s.find<QPlainTextEdit>("console")->toPlainText();
  CHECK_THAT(console.toStdString(), Catch::Contains("✓ protocol.identity") &&
                                        Catch::Contains("✓ log.ready") && !Catch::Contains("✗"));
  s.click("connect");
  REQUIRE(s.ready());
  s.drawer(s.firstSource());
  auto* range = s.find<QComboBox>("range");
  REQUIRE(s.wait([&] { return range->isVisible() && range->count() == 3; }));
  CHECK(range->currentText() == QStringLiteral("automatic"));
  range->setCurrentText(QStringLiteral("10 mA"));
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("1 s"));
  s.record();
  CHECK(s.last().conditions.at("input") == "WORKSHOP METER 7; S/N 0042");
  CHECK(s.last().conditions.at("range") == "10 mA");
  CHECK(s.last().channel("I")->accuracy == "0.05 % + 500 nA");
}

TEST_CASE("a link that is lost is told, with what became of the output") {
  AtBench s;
  test::Bench sim({});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("60 s"));
  s.type("build", QStringLiteral("1.0"));
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().state().recorded_s > 1; }));
  QSignalSpy ended(&s.bench(), &BenchControl::recordingEnded);
  sim.process.signal(SIGKILL);
  REQUIRE(s.wait([&] { return !s.bench().state().away.empty(); }));
  CHECK_THAT(s.told.join(QLatin1Char(' ')).toStdString(), Catch::Contains("saved") &&
                                                              Catch::Contains("may still be on") &&
                                                              Catch::Contains("Reconnecting"));
  CHECK(s.find<CutLabel>("recordingText")->text().contains(QStringLiteral("link lost")));
  CHECK(s.find<QPushButton>("stripStop")->text() == QStringLiteral("End capture"));
  CHECK_FALSE(ended.count());  // it goes on until it is ended
  s.click("stripStop");
  REQUIRE((ended.count() > 0 || ended.wait(10000)));
  CHECK(ended.first().at(1).toBool());
  CHECK_THAT(ended.first().at(2).toString().toStdString(),
             Catch::Contains("saved") && Catch::Contains("may still be on"));
  CHECK(s.last().interrupted);
  REQUIRE(s.wait([&] { return s.bench().state().phase == BenchState::Phase::lost; }));
}

TEST_CASE("two outputs have a switch each, and are recorded together") {
  AtBench s;
  test::Bench sim({"--device", "perch", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  s.wire(text(sim, "log"));
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().state().output.outputs.size() == 2; }));
  s.click("switchOutput2");
  REQUIRE(s.wait([&] { return s.bench().state().output.outputs[1].second; }));
  CHECK_FALSE(s.bench().state().output.outputs[0].second);
  s.type("build", QStringLiteral("perch"));
  s.type("length", QStringLiteral("100 s"));
  s.record();
  const auto info = s.last();
  const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  // In sun the panel gives 4 mA, and most of it comes back into the cell.
  CHECK(*measure(book::ChannelTrace(book, *info.channel("I1")), 70, 95).mean() < -2e-3);
  CHECK(*measure(book::ChannelTrace(book, *info.channel("I2")), 70, 95).mean() ==
        Approx(4e-3).epsilon(0.01));
  REQUIRE(info.channel("V2"));
}

TEST_CASE("a bench set-up is saved from the desk and opened again, with nothing switched on") {
  test::Folder folder;
  const QString file = QString::fromStdString(folder / "night.bench.toml");
  test::Bench sim({"--stream", "tcp", "--stream-rate", "2000"});
  {
    AtBench s;
    for (const char* key : {"scpi", "log", "stream"}) s.wire(text(sim, key));
    REQUIRE(s.ready());
    REQUIRE(s.wait([&] { return s.bench().history().find("I_shunt") != nullptr; }));
    auto* desk = s.window.findChild<BenchDesk*>();
    desk->openDrawer(QStringLiteral("path:I_shunt"));
    s.find<QComboBox>("shuntChannel")->setCurrentText(QStringLiteral("I_shunt"));
    s.set("shunt", QStringLiteral("2 Ohm"));
    s.drawer(s.firstSource());
    s.set("voltage", QStringLiteral("3.3 V"));
    // The first voltage that was meant for this device proposes what it is never to get.
    auto* ceiling = s.find<QuantityEdit>("ceilingVoltage");
    CHECK(ceiling->isPencil());
    CHECK(ceiling->text() == QStringLiteral("3.65 V"));
    CHECK_FALSE(s.bench().ceiling({}).any());
    QTest::keyClick(ceiling, Qt::Key_Return);
    CHECK(s.bench().ceiling({}).voltage == Approx(3.65));
    CHECK_FALSE(ceiling->isPencil());
    s.type("build", QStringLiteral("2.3.0"));
    s.type("length", QStringLiteral("2 s"));
    s.type("rate", QStringLiteral("500 Hz"));
    desk->openDrawer(QStringLiteral("logic"));
    s.type("logicLines", QStringLiteral("radio_on"));
    s.addPhrase("start_on");
    s.type("arm", QStringLiteral("I above 5 mA"));
    s.drawer(QStringLiteral("device"));
    s.type("board", QStringLiteral("7"));
    const auto& set = s.bench().state().output.set;
    REQUIRE(s.wait([&] { return !set.empty() && set.front().voltage == Approx(3.3); }));
    QSignalSpy saved(&s.bench(), &BenchControl::setupSaved);
    RecordRequest request;
    REQUIRE(s.fill(request));
    s.bench().saveSetup(file, QStringLiteral("night"), request);
    REQUIRE((saved.count() > 0 || saved.wait(5000)));
  }
  const auto setup = acquire::read_bench_setup(file.toStdString());
  CHECK(setup.name == "night");
  CHECK(setup.record.inputs.size() == 2);
  CHECK(setup.record.shunts.at("I_shunt") == 2);
  CHECK(*setup.record.inputs[0].settings.outputs.at("").voltage == Approx(3.3));
  CHECK_FALSE(setup.record.inputs[0].settings.outputs.at("").power_on);
  CHECK(*setup.record.inputs[0].settings.outputs.at("").never_above.voltage == Approx(3.65));
  AtBench s;
  s.bench().readSetup(file);
  REQUIRE(s.ready());
  CHECK(s.find<QLineEdit>("outputAddress")->text() == text(sim, "scpi"));
  CHECK(s.wire()->plan().find(QStringLiteral("input:") + text(sim, "stream")));
  CHECK(s.find<QLineEdit>("rate")->text() == QStringLiteral("500 Hz"));
  CHECK(s.find<QLineEdit>("arm")->text() == QStringLiteral("I above 0.005 A"));
  CHECK(s.find<QLineEdit>("board")->text() == QStringLiteral("7"));
  CHECK(s.bench().ceiling({}).voltage == Approx(3.65));
  CHECK_FALSE(s.bench().state().output_on);
  // On the wire: what the shunt drops and burns, once current flows.
  REQUIRE(s.wait([&] { return s.wire()->plan().find(QStringLiteral("path:I_shunt")); }));
  CHECK_THAT(s.wire()->plan().lines.front().source.title.toStdString(), Catch::Contains("3.30"));
  CHECK_THAT(s.wire()->plan().find(QStringLiteral("path:I_shunt"))->title.toStdString(),
             Catch::Contains("2.00"));
  s.type("build", QStringLiteral("2.3.0"));
  s.record();
  const auto info = s.last();
  CHECK(info.channel("I")->samples == 1000);
  CHECK(info.channel("radio_on"));
  CHECK(info.conditions.at("board") == "7");
  CHECK(info.conditions.at("voltage") == "3.3 V");
  CHECK(info.conditions.at("shunt_I_shunt") == "2 Ohm");
  REQUIRE(s.ready());
  CHECK(s.bench().setup());
  // Wired up otherwise by hand it is no longer that set-up: nothing of it is applied.
  s.drawer(QStringLiteral("input:") + text(sim, "stream"));
  s.click("disconnectListener");
  CHECK_FALSE(s.bench().setup());
  CHECK_FALSE(s.wire()->plan().find(QStringLiteral("input:") + text(sim, "stream")));
}

TEST_CASE("a set-up that is wrong, or whose output is on, is told and changes nothing") {
  test::Folder folder;
  AtBench s;
  const QString file = QString::fromStdString(folder / "a.bench.toml");
  std::ofstream(folder / "a.bench.toml") << "kuvio = \"bench/1\"\nname = \"a\"\ncolour = 1\n";
  s.bench().readSetup(file);
  REQUIRE(s.wait([&] { return !s.told.isEmpty(); }));
  CHECK_THAT(s.told.last().toStdString(), Catch::Contains("a.bench.toml:3"));
  test::Bench sim({"--power-on"});
  std::ofstream(folder / "a.bench.toml")
      << "kuvio = \"bench/1\"\nname = \"a\"\n[[input]]\naddress = \"" + sim.scpi() +
             "\"\n[[input.output]]\nvoltage = \"5 V\"\n";
  s.bench().readSetup(file);
  REQUIRE(s.ready());
  REQUIRE(s.wait(
      [&] { return s.told.join(QLatin1Char(' ')).contains(QStringLiteral("were not applied")); }));
  QTest::qWait(300);
  CHECK(s.bench().state().output.set.front().voltage == Approx(3.6));
}

TEST_CASE("the desk tells when the current has settled, and each output is set by itself") {
  AtBench s;
  test::Bench sim({"--device", "perch"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().state().output.set.size() == 2; }));
  REQUIRE(s.wait([&] { return s.wire()->plan().lines.size() == 2; }));
  const double first = s.bench().state().output.set[0].voltage;
  s.drawer(QStringLiteral("source:2"));
  s.set("voltage2", QStringLiteral("4.8 V"));
  REQUIRE(s.wait([&] { return s.bench().state().output.set[1].voltage == Approx(4.8); }));
  CHECK(s.bench().state().output.set[0].voltage == first);
  REQUIRE(s.wait([&] { return s.bench().state().drift.has_value(); }, 10000));
  CHECK(*s.bench().state().drift < 0.05);
  auto* paper = s.find<PaperView>("paper");
  REQUIRE(s.wait([&] { return paper->settledText().startsWith(QStringLiteral("settled")); }));
  s.click("switchOutput1");
  REQUIRE(
      s.wait([&] { return paper->settledText().startsWith(QStringLiteral("not settled")); }, 5000));
}

TEST_CASE(
    "the output's fields show what it has: refused comes back, not understood is not powered") {
  AtBench s;
  test::Bench sim({"--seed", "4", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  s.drawer(s.firstSource());
  auto* voltage = s.find<QuantityEdit>("voltage");
  REQUIRE(AtBench::wait([&] { return voltage->quantity().has_value(); }));
  const double confirmed = *voltage->quantity();
  s.type("voltage", QStringLiteral("60 V"));
  QTest::keyClick(voltage, Qt::Key_Return);
  REQUIRE(AtBench::wait([&] { return !s.told.filter(QStringLiteral("refused")).isEmpty(); }));
  CHECK(AtBench::wait([&] { return voltage->quantity() == confirmed; }));
  CHECK_FALSE(s.bench().state().output_on);
  s.type("voltage", QStringLiteral("3x7"));
  s.click("switchOutput");
  QTest::qWait(600);
  CHECK_FALSE(s.bench().state().output_on);
  CHECK(s.window.message().contains(QStringLiteral("not switched on")));
  // What is in pencil is not set by leaving the line, nor by a switch: that says what it does.
  s.type("voltage", QStringLiteral("3.3"));  // volts, as the line says
  CHECK(voltage->isPencil());
  auto* on = s.find<QPushButton>("switchOutput");
  CHECK(on->text() == QStringLiteral("Switch on 3.60\u2009V"));
  CHECK(s.wire()->plan().lines.front().pencil == QStringLiteral("3.3 V is not set"));
  s.click("switchOutput");
  REQUIRE(AtBench::wait([&] { return s.bench().state().output_on; }));
  CHECK_THAT(s.window.message().toStdString(), Catch::Contains("is not set"));
  QTest::qWait(300);
  CHECK(s.bench().state().output.set[0].voltage == Approx(confirmed));
  CHECK(voltage->text() == QStringLiteral("3.3"));
  CHECK(voltage->isPencil());
  QTest::keyClick(voltage, Qt::Key_Return);
  REQUIRE(AtBench::wait([&] {
    return !s.bench().state().output.set.empty() &&
           s.bench().state().output.set[0].voltage == Approx(3.3);
  }));
  // With the device on a change of more than a tenth is asked about; to keep is the way out.
  s.set("voltage", QStringLiteral("4.5 V"));
  CHECK(s.find<QPushButton>("keepVoltage")->hasFocus());
  QTest::qWait(400);
  CHECK(s.bench().state().output.set[0].voltage == Approx(3.3));
  s.click("keepVoltage");
  CHECK(voltage->quantity() == Approx(3.3));
  // Above its ceiling nothing is set, on or off.
  s.set("ceilingVoltage", QStringLiteral("3.4 V"));
  s.set("voltage", QStringLiteral("3.5 V"));
  CHECK_THAT(FieldNote::at(voltage).toStdString(), Catch::Contains("above its ceiling of 3.4"));
  QTest::qWait(400);
  CHECK(s.bench().state().output.set[0].voltage == Approx(3.3));
  CHECK(voltage->quantity() == Approx(3.3));
  s.click("switchOutput");
}
