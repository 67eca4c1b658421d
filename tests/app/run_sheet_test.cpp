// SPDX-License-Identifier: GPL-3.0-or-later
// The run sheet against the simulated bench: what it says is what it does; stamps; addresses typed.

#include "app/bench/run_sheet.h"

#include "app/bench/paper_view.h"
#include "app/bench/plug_drawer.h"
#include "app/bench/stamps.h"
#include "app/style/field_note.h"
#include "cli/process.h"

#include "bench_fixture.h"

using namespace kuvio;
using namespace kuvio::app;
using test::AtBench;
using test::text;

TEST_CASE("the run sheet reads as a sentence, and its button says what it will do") {
  AtBench s;
  auto* sheet = s.find<RunSheet>("runSheet");
  auto* button = s.find<QPushButton>("record");
  CHECK_FALSE(button->isEnabled());
  test::Bench sim({"--seed", "3", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return button->text() == QStringLiteral("Record and power on"); }));
  CHECK(sheet->sentence() ==
        QStringLiteral("Record which build? for 10 min at 1 kHz powering on as it starts off again "
                       "at the end"));
  // Without a build it goes to that blank, and nothing is recorded or switched.
  s.click("record");
  CHECK(s.find<QLineEdit>("build")->hasFocus());
  CHECK_FALSE(FieldNote::at(s.find<QLineEdit>("build")).isEmpty());
  QTest::qWait(300);
  CHECK_FALSE(s.bench().recording());
  CHECK_FALSE(s.bench().state().output_on);
  s.choosePower(2);  // by somebody else
  CHECK(button->text() == QStringLiteral("Record, output stays off"));
  s.type("build", QStringLiteral("2.4.0"));
  s.type("length", QStringLiteral("1 s"));
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().recording(); }));
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 20000));
  CHECK_FALSE(s.bench().state().output_on);
  CHECK(s.last().duration_s() == Approx(1).margin(0.01));
  s.click("deskBench");
  // The next build is asked for again, and the button takes what stands there.
  auto* build = static_cast<Blank*>(s.find<QLineEdit>("build"));
  CHECK(build->isPencil());
  CHECK(build->text() == QStringLiteral("2.4.0"));
  QTest::keyClick(build, Qt::Key_Return);
  CHECK_FALSE(build->isPencil());
}

TEST_CASE("phrases come by + and go again with what they said") {
  AtBench s;
  auto* sheet = s.find<RunSheet>("runSheet");
  sheet->setBuild(QStringLiteral("1"));
  s.addPhrase("start_on");
  s.type("arm", QStringLiteral("I above 5 mA"));
  s.addPhrase("stop_charge");
  s.type("stopCharge", QStringLiteral("5 mC"));
  s.addPhrase("reset");
  s.type("resetAtStart", QStringLiteral("line reset low for 100 ms"));
  s.addPhrase("note");
  s.type("captureNote", QStringLiteral("new antenna"));
  CHECK(sheet->sentence().contains(QStringLiteral("starting on I above 5 mA")));
  RecordRequest r;
  REQUIRE(s.fill(r));
  CHECK(r.arm.wanted());
  CHECK(r.before_s == 0);  // not asked for
  CHECK(r.until_charge == Approx(5e-3));
  REQUIRE(r.reset);
  CHECK(r.reset->name == "reset");
  CHECK(r.conditions.at("note") == "new antenna");
  s.click("remove-start_on");
  s.click("remove-reset");
  RecordRequest again;
  REQUIRE(s.fill(again));
  CHECK_FALSE(again.arm.wanted());
  CHECK_FALSE(again.reset);
  CHECK_FALSE(sheet->sentence().contains(QStringLiteral("starting on")));
  // What cannot be read is said at its blank, and nothing goes.
  s.addPhrase("stop_on");
  s.type("until", QStringLiteral("when it rains"));
  CHECK_FALSE(s.fill(again));
  CHECK_FALSE(FieldNote::at(s.find<QLineEdit>("until")).isEmpty());
}

TEST_CASE("with two outputs the sheet says which is powered, and that one is") {
  AtBench s;
  test::Bench sim({"--device", "perch", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  auto* which = s.find<QComboBox>("powerWhich");
  REQUIRE(s.wait([&] { return which->isVisible() && which->count() == 3; }));
  s.find<RunSheet>("runSheet")->setBuild(QStringLiteral("1"));
  which->setCurrentIndex(1);
  RecordRequest r;
  REQUIRE(s.fill(r));
  CHECK(r.power_outputs == std::vector<std::string>{"2"});
  which->setCurrentIndex(2);
  REQUIRE(s.fill(r));
  CHECK(r.power_outputs == std::vector<std::string>{"1", "2"});
  CHECK(r.power_apart_s == 0);
  auto* sheet = s.find<RunSheet>("runSheet");
  sheet->addPhrase(QStringLiteral("apart"));
  s.type("apart", QStringLiteral("6 s"));
  CHECK_THAT(sheet->sentence().toStdString(), Catch::Contains("then the next after 6 s"));
  s.type("length", QStringLiteral("20 s"));
  s.click("record");
  REQUIRE(s.wait([&] {
    const auto& all = s.bench().state().output.outputs;
    return s.bench().recording() && all.size() == 2 && all[0].second && all[1].second;
  }));
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 20000));
  // One after the other, by the device's time.
  const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  std::vector<double> on;
  for (const Event& e : book.events(s.last().id)) {
    if (e.kind == EventKind::output_on) on.push_back(e.earliest_s);
  }
  REQUIRE(on.size() == 2);
  CHECK(on[1] - on[0] > 5.5);
  CHECK(on[1] - on[0] < 15);
}

TEST_CASE("whoever switches off while an output waits for its turn has switched that off too") {
  AtBench s;
  test::Bench sim({"--device", "perch", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  auto* which = s.find<QComboBox>("powerWhich");
  REQUIRE(s.wait([&] { return which->isVisible() && which->count() == 3; }));
  auto* sheet = s.find<RunSheet>("runSheet");
  sheet->setBuild(QStringLiteral("1"));
  which->setCurrentIndex(2);
  sheet->addPhrase(QStringLiteral("apart"));
  s.type("apart", QStringLiteral("60 s"));
  s.type("length", QStringLiteral("120 s"));
  s.click("record");
  REQUIRE(s.wait([&] {
    const auto& all = s.bench().state().output.outputs;
    return s.bench().recording() && all.size() == 2 && all[0].second;
  }));
  CHECK_FALSE(s.bench().state().output.outputs[1].second);
  s.bench().switchOutput(false);
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 20000));
  const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  int on = 0;
  for (const Event& e : book.events(s.last().id)) on += e.kind == EventKind::output_on;
  CHECK(on == 1);
}

TEST_CASE("stamps are blank, ticked or refused, and blank again when something else is connected") {
  AtBench s;
  test::Bench sim({"--power-on"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  auto* detached = s.find<Stamp>("stampDetached");
  auto* settled = s.find<Stamp>("stampSettled");
  QTest::mouseClick(detached, Qt::LeftButton);
  CHECK(detached->state() == Stamp::State::ticked);
  // It settles by itself: the device hibernates.
  REQUIRE(s.wait([&] { return settled->state() == Stamp::State::ticked; }, 20000));
  s.find<RunSheet>("runSheet")->setBuild(QStringLiteral("1"));
  RecordRequest r;
  REQUIRE(s.fill(r));
  CHECK(r.conditions.at("debugger") == "detached");
  CHECK(r.conditions.at("settled") == "yes");
  CHECK(r.conditions.count("zeroed") == 0);
  detached->setFocus();
  QTest::keyClick(detached, Qt::Key_Space);
  CHECK(detached->state() == Stamp::State::refused);
  RecordRequest refused;
  REQUIRE(s.fill(refused));
  CHECK(refused.conditions.at("debugger") == "attached");
  s.wire(text(sim, "log"));
  CHECK(detached->state() == Stamp::State::blank);
}

TEST_CASE("an address is taken as people write it, or refused with how it is written") {
  const auto as = [](const char* typed, WiredAs what) {
    return typed_address(QString::fromUtf8(typed), what);
  };
  CHECK(as("192.168.0.20", WiredAs::instrument).address ==
        QStringLiteral("scpi+tcp://192.168.0.20:5025"));
  CHECK(as(" lab-psu.local:5555 ", WiredAs::instrument).address ==
        QStringLiteral("scpi+tcp://lab-psu.local:5555"));
  CHECK(as("192.168.0.20:23", WiredAs::log).address == QStringLiteral("log+tcp://192.168.0.20:23"));
  CHECK(as("/dev/ttyUSB0", WiredAs::log).address == QStringLiteral("log+serial:/dev/ttyUSB0"));
  CHECK(as("/dev/ttyUSB0", WiredAs::instrument).address ==
        QStringLiteral("scpi+serial:/dev/ttyUSB0"));
  CHECK(as("/dev/usbtmc0", WiredAs::instrument).address == QStringLiteral("usbtmc:/dev/usbtmc0"));
  CHECK(as("/sys/class/hwmon/hwmon3", WiredAs::readings).address ==
        QStringLiteral("sysfs:/sys/class/hwmon/hwmon3"));
  // A full one says itself what it is.
  CHECK(as("log+serial:/dev/ttyUSB0?baud=9600", WiredAs::instrument).as == WiredAs::log);
  CHECK(as("stream+tcp://h:1", WiredAs::instrument).as == WiredAs::readings);
  CHECK(as("scpi+tcp://h:1", WiredAs::log).as == WiredAs::instrument);
  for (const char* wrong :
       {"", "   ", "my supply", "sci+tcp://h:1", "scpi+tcp://h", "h:99999999999"}) {
    INFO(wrong);
    CHECK_FALSE(as(wrong, WiredAs::instrument).trouble.isEmpty());
  }
}

TEST_CASE("the paper shows what is read, is zoomed by keys, and marks a span") {
  AtBench s;
  test::Bench sim({"--power-on", "--stream", "tcp"});
  for (const char* key : {"scpi", "stream"}) s.wire(text(sim, key));
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().history().channels().size() >= 4; }));
  s.window.findChild<BenchDesk*>()->openDrawer({});
  QTest::qWait(50);
  auto* paper = s.find<PaperView>("paper");
  paper->setFocus();
  const double span = paper->span();
  QTest::keyClick(paper, Qt::Key_Plus);
  CHECK(paper->span() == Approx(span / 2));
  for (int i = 0; i < 20; ++i) QTest::keyClick(paper, Qt::Key_Minus);
  CHECK(paper->span() == 600);  // ten minutes at most
  for (int i = 0; i < 20; ++i) QTest::keyClick(paper, Qt::Key_Plus);
  CHECK(paper->span() == 10);
  CHECK(paper->channel() == "I");
  CHECK(paper->figures().endsWith(QStringLiteral("A")));
  CHECK(paper->ticksText().join(QLatin1Char(' ')).contains(QStringLiteral("mean")));
  QTest::keyClick(paper, Qt::Key_PageDown);
  CHECK(paper->channel() == "V");
  CHECK(paper->figures().endsWith(QStringLiteral("V")));
  CHECK(paper->strips().contains(QStringLiteral("I")));
  QTest::keyClick(paper, Qt::Key_PageUp);
  REQUIRE(s.wait([&] { return s.bench().history().now_s() > 4; }));
  QTest::mousePress(paper, Qt::LeftButton, {}, {paper->width() / 2, 40});
  QTest::mouseMove(paper, {paper->width() - 200, 40});
  QTest::mouseRelease(paper, Qt::LeftButton, {}, {paper->width() - 200, 40});
  CHECK_THAT(paper->spanText().toStdString(), Catch::Contains("of I: mean"));
  CHECK_THAT(s.window.readOut().toStdString(), Catch::Contains("of I: mean"));
  QTest::keyClick(paper, Qt::Key_Escape);
  CHECK(paper->spanText().isEmpty());
}

TEST_CASE("the wire is walked by arrows, a drawer opened by Enter or Space and closed by Esc") {
  AtBench s;
  test::Bench sim({});
  for (const char* key : {"scpi", "log"}) s.wire(text(sim, key));
  REQUIRE(s.ready());
  auto* desk = s.window.findChild<BenchDesk*>();
  desk->openDrawer({});
  s.wire()->focusStation(s.firstSource());
  const auto at = [&] { return s.window.focusWidget()->objectName(); };
  CHECK(at() == QStringLiteral("station-") + s.firstSource());
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Right);
  CHECK(at() == QStringLiteral("switchOutput"));
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Space);
  QTest::qWait(300);
  CHECK_FALSE(s.bench().state().output_on);
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Down);
  CHECK(at().startsWith(QStringLiteral("station-")));
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Up);
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Left);
  for (int i = 0; i < 5; ++i) QTest::keyClick(s.window.focusWidget(), Qt::Key_Right);
  CHECK(at() == QStringLiteral("station-device"));
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Return);
  CHECK(desk->openedDrawer() == QStringLiteral("device"));
  CHECK(at() == QStringLiteral("board"));
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Escape);
  CHECK(desk->openedDrawer().isEmpty());
  CHECK(at() == QStringLiteral("station-device"));
  CHECK_FALSE(s.bench().state().output_on);  // no key on the way switched anything
  s.find<QPushButton>("switchOutput")->setFocus();
  QTest::keyClick(s.window.focusWidget(), Qt::Key_Return);
  CHECK(s.wait([&] { return s.bench().state().output_on; }));
}

TEST_CASE("nothing on the bench moves when a message comes or a recording begins and ends") {
  AtBench s;
  test::Bench sim({"--power-on", "--speed", "20"});
  for (const char* key : {"scpi", "log"}) s.wire(text(sim, key));
  REQUIRE(s.ready());
  s.window.findChild<BenchDesk*>()->openDrawer({});
  s.find<RunSheet>("runSheet")->setBuild(QStringLiteral("1"));
  s.type("length", QStringLiteral("40 s"));
  s.choosePower(1);
  QTest::qWait(100);
  std::map<QString, QRect> places;
  const auto take = [&] {
    std::map<QString, QRect> out;
    for (const char* name : {"wire", "paper", "console", "sendLine", "stampZeroed", "setup"}) {
      const QWidget* w = s.find<QWidget>(name);
      out[QLatin1String(name)] = {w->mapTo(&s.window, QPoint()), w->size()};
    }
    return out;
  };
  const auto before = take();
  emit s.bench().failed(QStringLiteral("Something that takes a whole long line to be said. ") +
                        QString(200, QLatin1Char('x')));
  QTest::qWait(50);
  CHECK(take() == before);
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().recording(); }));
  s.click("deskBench");
  QTest::qWait(100);
  CHECK(take() == before);
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 30000));
  s.click("deskBench");
  REQUIRE(s.ready());
  QTest::qWait(100);
  CHECK(take() == before);
}

TEST_CASE("what was said on a wire and answered is at hand, to be copied") {
  AtBench s;
  test::Bench sim({});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  QTest::qWait(300);
  s.drawer(s.firstSource());
  s.click("talk");
  auto* said = s.find<QPlainTextEdit>("talkText");
  CHECK_THAT(said->toPlainText().toStdString(),
             Catch::Contains("*IDN?") && Catch::Contains("Simulated analyser") &&
                 Catch::Contains("MEAS:CURR?") && Catch::Contains("times"));
}

TEST_CASE(
    "a ceiling of the output holds for the first whatever its name, and none takes another away") {
  AtBench s;
  test::Bench sim({"--device", "perch", "--speed", "20"});
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().state().output.set.size() == 2; }));
  REQUIRE(s.bench().state().output.set[0].name == "1");
  const double stands = s.bench().state().output.set[0].voltage;
  s.bench().setCeiling({}, {stands + 0.1, {}});  // as a set-up says it
  s.bench().setVoltage(stands + 0.5, QStringLiteral("1"));
  CHECK(s.told.join(QLatin1Char(' ')).contains(QStringLiteral("above its ceiling")));
  // Its drawer shows it, and the other ceiling set there leaves it as it is.
  s.drawer(QStringLiteral("source:1"));
  REQUIRE(s.wait(
      [&] { return s.find<QuantityEdit>("ceilingVoltage")->quantity() == Approx(stands + 0.1); }));
  s.set("ceilingCurrent", QStringLiteral("1 A"));
  CHECK(s.bench().ceiling(QStringLiteral("1")).voltage == Approx(stands + 0.1));
  CHECK(s.bench().ceiling(QStringLiteral("1")).current == Approx(1));
  CHECK_FALSE(s.bench().ceiling(QStringLiteral("2")).any());
  // An output that stands above its ceiling is not switched on; one that does not is.
  s.bench().setCeiling(QStringLiteral("1"), {stands - 0.5, {}});
  s.click("switchOutput1");
  QTest::qWait(600);
  CHECK_FALSE(s.bench().state().output.outputs[0].second);
  CHECK(s.told.last().contains(QStringLiteral("Not switched on")));
  s.bench().setCeiling(QStringLiteral("1"), {stands, {}});
  s.click("switchOutput1");
  CHECK(s.wait([&] { return s.bench().state().output.outputs[0].second; }));
}

TEST_CASE("a log that was added first waits, and is connected with the instrument that follows") {
  AtBench s;
  test::Bench sim({});
  s.wire(text(sim, "log"));
  CHECK(s.bench().state().phase == BenchState::Phase::none);
  CHECK(s.wire()->plan().find(QStringLiteral("log")));
  s.wire(text(sim, "scpi"));
  REQUIRE(s.ready());
  CHECK(s.bench().logAddress() == text(sim, "log"));
  CHECK(s.bench().outputAddress() == text(sim, "scpi"));
}
