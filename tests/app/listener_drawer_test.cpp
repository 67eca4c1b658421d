// SPDX-License-Identifier: GPL-3.0-or-later
// The drawer of what only listens, in the window, against a real pipe.

#include "app/bench/listener_drawer.h"

#include "bench_fixture.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <thread>

using namespace kuvio;
using namespace kuvio::app;
using test::AtBench;

TEST_CASE("a logger whose columns are not plain shows its lines and is told what they are") {
  AtBench b;
  const std::string path = b.folder / "logger";
  REQUIRE(::mkfifo(path.c_str(), 0600) == 0);
  std::jthread logger([&](const std::stop_token& stop) {
    const int fd = ::open(path.c_str(), O_RDWR | O_NONBLOCK);
    for (int n = 0; !stop.stop_requested(); ++n) {  // ms, µA, °C, mV, and more; nothing says so
      const std::string line =
          n % 10 == 9 ? "# ok\n" : std::to_string(20 * n) + ";61.5;23;3600;1;2;3;4\n";
      [[maybe_unused]] const auto written = ::write(fd, line.data(), line.size());
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    ::close(fd);
  });
  b.wire(QString::fromStdString("lines:" + path));
  const QString id = QString::fromStdString("input:lines:" + path);
  REQUIRE(b.wait([&] { return !b.bench().state().others.empty(); }));
  REQUIRE(b.wait([&] { return b.bench().state().others.front().phase == acquire::LinkPhase::lost; },
                 20000));
  b.drawer(id);
  REQUIRE(b.wait([&] { return b.window.findChild<QComboBox*>(QStringLiteral("lineColumn4")); }));
  CHECK(b.find<QLabel>("heardLines")->text().contains(QStringLiteral(";61.5;23;3600")));
  CHECK_FALSE(b.find<QPushButton>("readSo")->isEnabled());
  INFO(b.status().toStdString());
  CHECK(b.status().contains(QStringLiteral("what are its columns?")));
  for (const auto& [column, means] :
       {std::pair{"lineColumn1", "time in ms"}, std::pair{"lineColumn2", "current in µA"},
        std::pair{"lineColumn4", "voltage in mV"}}) {
    auto* choice = b.find<QComboBox>(column);
    const int at = choice->findText(QString::fromUtf8(means));
    REQUIRE(at > 0);
    choice->setCurrentIndex(at);
    emit choice->activated(at);
  }
  b.click("readSo");
  REQUIRE(b.ready());
  REQUIRE(b.wait([&] {
    const auto& others = b.bench().state().others;
    return !others.empty() && others.front().channels.size() == 2 &&
           !others.front().readings.empty() && others.front().readings.back().current;
  }));
  const auto& other = b.bench().state().others.front();
  CHECK(*other.readings.back().current == Approx(61.5e-6));
  CHECK(*other.readings.back().voltage == Approx(3.6));
  // The drawer stayed open and shows what it was told.
  REQUIRE(b.wait([&] {
    for (auto* c : b.window.findChildren<QComboBox*>(QStringLiteral("lineColumn2")))
      if (c->isVisible()) return c->currentText() == QString::fromUtf8("current in µA");
    return false;
  }));
}

TEST_CASE("a channel that is left out stays out when its sensor is read at another rate") {
  test::AtBench b;
  test::Bench sim({"--sensors", b.folder / "sensors"});
  b.wire(QString::fromStdString("sysfs:" + (b.folder / "sensors/hwmon0")));
  const auto channels = [&] {
    for (auto* one : b.window.findChildren<QPushButton*>(QStringLiteral("listenerChannels")))
      if (one->isVisible()) return one;
    return static_cast<QPushButton*>(nullptr);
  };
  const auto read = [&] {
    const auto& others = b.bench().state().others;
    return others.size() == 1 && others.front().channels.size() >= 2;
  };
  REQUIRE(b.wait(read));
  b.drawer(QString::fromStdString("input:sysfs:" + (b.folder / "sensors/hwmon0")));
  REQUIRE(b.wait([&] { return channels() && channels()->menu()->actions().size() >= 2; }));
  channels()->menu()->actions().front()->setChecked(false);
  const QString kept = channels()->text();
  CHECK(kept.startsWith(QStringLiteral("1 of ")));
  for (auto* rate : b.window.findChildren<QLineEdit*>(QStringLiteral("sensorRate"))) {
    if (!rate->isVisible()) continue;
    rate->setFocus();
    rate->selectAll();
    QTest::keyClicks(rate, QStringLiteral("20 Hz"));
    QTest::keyClick(rate, Qt::Key_Return);
    break;
  }
  REQUIRE(b.wait([&] {
    return b.bench().wiring().others.value(0).contains(QStringLiteral("rate=20")) && read() &&
           channels() && channels()->text() != QStringLiteral("all channels");
  }));
  CHECK(channels()->text() == kept);
}
