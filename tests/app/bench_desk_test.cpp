// SPDX-License-Identifier: GPL-3.0-or-later
// The Bench desk with every kind of input, by mouse and keyboard, against the simulated bench in
// another process.

#include "app/bench/live_channels_view.h"
#include "book/channel_trace.h"
#include "cli/process.h"

#include "desk_fixture.h"

#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>

#include <sys/stat.h>

#include <csignal>
#include <fstream>

using namespace kuvio;
using namespace kuvio::app;

namespace {

struct AtBench {
  test::Folder folder;
  QString path = QString::fromStdString(folder / "bench.kuvio");
  MainWindow window;
  QStringList told;

  AtBench() {
    window.resize(1280, 800);
    window.show();
    window.activateWindow();
    window.openBook(path, true);
    REQUIRE(wait([&] { return window.session().path() == path; }));
    QObject::connect(&window.bench(), &BenchControl::failed, &window,
                     [this](const QString& text) { told << text; });
    click("deskBench");
  }
  static bool wait(const std::function<bool()>& done, int ms = 15000) {
    return QTest::qWaitFor(done, ms);
  }
  template <typename T>
  T* find(const char* name) {
    T* out = window.findChild<T*>(QLatin1String(name));
    INFO(name);
    REQUIRE(out);
    return out;
  }
  void click(const char* name) {
    auto* b = find<QPushButton>(name);
    INFO(name);
    REQUIRE(wait([&] { return b->isVisible() && b->isEnabled(); }));
    QTest::qWait(20);  // as laid out
    QTest::mouseClick(b, Qt::LeftButton);
  }
  void type(const char* name, const QString& text) {
    auto* line = find<QLineEdit>(name);
    line->setFocus();
    line->selectAll();
    QTest::keyClick(line, Qt::Key_Delete);
    QTest::keyClicks(line, text);
  }
  BenchControl& bench() { return window.bench(); }
  bool ready() {
    return wait([&] { return bench().state().phase == BenchState::Phase::ready; });
  }
  QString status() { return find<QLabel>("benchStatus")->text(); }
  book::CaptureInfo last() {
    return book::Book::open(path.toStdString(), book::Book::Mode::read).captures().back();
  }
  void record(const char* how = "record") {
    click(how);
    REQUIRE(wait([&] { return bench().recording(); }));
    REQUIRE(wait([&] { return !bench().recording(); }, 30000));
    click("deskBench");
  }
};

QString text(const test::Bench& bench, const char* key) {
  return QString::fromStdString(bench.endpoints.at(key).get<std::string>());
}

}  // namespace

TEST_CASE("every kind of input is wired up, watched, recorded and marked from the Bench desk") {
  AtBench s;
  const std::string pipe = s.folder / "pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  test::Bench sim({"--stream", "tcp", "--stream-rate", "2000", "--meter", "--serial", "--sensors",
                   s.folder / "sensors", "--lines", pipe, "--lines-rate", "50"});
  s.type("outputAddress", text(sim, "scpi"));
  s.type("logAddress", text(sim, "log"));
  s.type("otherAddresses", QStringList{text(sim, "stream"), text(sim, "meter"), text(sim, "lines"),
                                       text(sim, "hwmon"), text(sim, "iio")}
                               .join(QStringLiteral(", ")));
  s.click("connect");
  REQUIRE(s.ready());
  auto* live = s.find<LiveChannelsView>("liveChannels");
  REQUIRE(s.wait([&] { return live->rows().size() >= 10; }));
  QStringList names;
  for (const QStringList& row : live->rows()) names << row.front();
  for (const char* name : {"I", "V", "I_shunt", "V_dut", "U", "supply", "in_current0"})
    CHECK(names.contains(QLatin1String(name)));
  CHECK(names.last() == QStringLiteral("P = V·I"));
  CHECK(s.status() == QStringLiteral("Ready. The output is off."));

  s.type("build", QStringLiteral("2.3.0"));
  s.type("length", QStringLiteral("4 s"));
  s.click("recordPowerOn");
  REQUIRE(s.wait([&] { return s.bench().recording() && s.bench().state().recorded_s > 1; }));
  s.click("deskBench");
  CHECK(s.find<QPushButton>("mark")->isVisible());
  s.type("markNote", QStringLiteral("lid opened"));
  QTest::keyClick(s.find<QLineEdit>("markNote"), Qt::Key_Return);
  REQUIRE(s.wait([&] { return !s.bench().recording(); }, 20000));
  const auto info = s.last();
  CHECK_FALSE(info.interrupted);
  CHECK(info.channels.size() >= 10);
  for (const auto& c : info.channels) {
    INFO(c.name);
    CHECK(c.to_s == Approx(4).margin(0.2));
  }
  const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  bool marked = false;
  for (const auto& e : book.events(info.id)) marked |= e.kind == "mark" && e.text == "lid opened";
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
  s.type("otherAddresses", text(sim, "stream"));
  s.click("connect");
  REQUIRE(s.ready());
  CHECK_FALSE(s.find<QPushButton>("recordPowerOn")->isEnabled());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("1 s"));
  s.record();
  CHECK(s.last().channels.front().name == "I_shunt");
  CHECK(s.last().channels.front().samples == 1000);
}

TEST_CASE("a zero is taken with the device off, and applied to what is recorded then") {
  AtBench s;
  test::Bench sim({"--seed", "5"});
  s.type("outputAddress", text(sim, "scpi"));
  s.click("connect");
  REQUIRE(s.ready());
  QSignalSpy zeroed(&s.bench(), &BenchControl::zeroed);
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
  s.click("outputOn");
  REQUIRE(s.wait([&] { return s.bench().state().output_on; }));
  CHECK_FALSE(s.find<QPushButton>("zero")->isEnabled());
}

TEST_CASE("an armed capture waits, and begins with what it waits for") {
  AtBench s;
  test::Bench sim({"--speed", "20", "--power-on"});
  s.type("outputAddress", text(sim, "scpi"));
  s.type("logAddress", text(sim, "log"));
  s.click("connect");
  REQUIRE(s.ready());
  CHECK_THAT(s.status().toStdString(), Catch::Contains("was on when it was found"));
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("10 s"));
  s.type("arm", QStringLiteral("I above 2 mA"));
  s.type("before", QStringLiteral("2 s"));
  s.click("record");
  REQUIRE(s.wait([&] { return s.bench().state().armed; }));
  CHECK_THAT(s.find<QLabel>("recordingText")->text().toStdString(), Catch::Contains("Armed"));
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
  const std::string strangers = std::string(KUVIO_SOURCE) + "/tests/strangers/";
  test::Process meter("python3", {strangers + "bench_meter.py"});
  s.type("outputAddress",
         QStringLiteral("scpi+tcp://127.0.0.1:%1").arg(QString::fromStdString(meter.line())));
  s.type("profile", QString::fromStdString(strangers + "bench_meter.profile.toml"));
  QSignalSpy tried(&s.bench(), &BenchControl::profileTried);
  s.click("tryProfile");
  REQUIRE(tried.wait(15000));
  const QString console = s.find<QPlainTextEdit>("console")->toPlainText();
  CHECK_THAT(console.toStdString(), Catch::Contains("✓ talk.identity") &&
                                        Catch::Contains("✓ log.ready") && !Catch::Contains("✗"));
  s.click("connect");
  REQUIRE(s.ready());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("1 s"));
  s.record("recordPowerOn");
  CHECK(s.last().conditions.at("input") == "WORKSHOP METER 7; S/N 0042");
}

TEST_CASE("a link that is lost is told, with what became of the output") {
  AtBench s;
  test::Bench sim({});
  s.type("outputAddress", text(sim, "scpi"));
  s.click("connect");
  REQUIRE(s.ready());
  s.type("build", QStringLiteral("1"));
  s.type("length", QStringLiteral("60 s"));
  s.click("recordPowerOn");
  REQUIRE(s.wait([&] { return s.bench().state().recorded_s > 1; }));
  QSignalSpy ended(&s.bench(), &BenchControl::recordingEnded);
  sim.process.signal(SIGKILL);
  REQUIRE(ended.wait(10000));
  CHECK(ended.first().at(1).toBool());
  CHECK_THAT(ended.first().at(2).toString().toStdString(),
             Catch::Contains("saved") && Catch::Contains("may still be on"));
  CHECK(s.last().interrupted);
  REQUIRE(s.wait([&] { return s.bench().state().phase == BenchState::Phase::lost; }));
}

TEST_CASE("two outputs have a switch each, and are recorded together") {
  AtBench s;
  test::Bench sim({"--device", "tally", "--speed", "20"});
  s.type("outputAddress", text(sim, "scpi"));
  s.type("logAddress", text(sim, "log"));
  s.click("connect");
  REQUIRE(s.ready());
  REQUIRE(s.wait([&] { return s.bench().state().output.outputs.size() == 2; }));
  s.click("switchOutput2");
  REQUIRE(s.wait([&] { return s.bench().state().output.outputs[1].second; }));
  CHECK_FALSE(s.bench().state().output.outputs[0].second);
  s.type("build", QStringLiteral("tally"));
  s.type("length", QStringLiteral("100 s"));
  s.record("recordPowerOn");
  const auto info = s.last();
  const auto book = book::Book::open(s.path.toStdString(), book::Book::Mode::read);
  CHECK(*measure(book::ChannelTrace(book, *info.channel("I1")), 70, 95).mean() < -0.1);
  CHECK(*measure(book::ChannelTrace(book, *info.channel("I2")), 70, 95).mean() > 0.2);
  REQUIRE(info.channel("V2"));
}
