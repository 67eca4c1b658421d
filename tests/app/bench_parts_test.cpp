// SPDX-License-Identifier: GPL-3.0-or-later
// What the Bench desk is put together from, without a bench.

#include "app/bench/bench_console.h"
#include "app/bench/drawer.h"
#include "app/bench/listener_drawer.h"
#include "app/bench/progress_sheet.h"
#include "app/bench/source_drawer.h"
#include "app/bench/station_drawers.h"
#include "app/engine/bench_control.h"
#include "app/style/field_note.h"

#include "support.h"
#include "wait_for.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>

#include <catch2/catch.hpp>

#include <fstream>

using namespace kuvio;
using namespace kuvio::app;

namespace {

template <typename T>
T* child(QWidget& of, const char* name) {
  T* out = of.findChild<T*>(QLatin1String(name));
  INFO(name);
  REQUIRE(out);
  return out;
}

void type(QWidget& of, const char* name, const QString& text) {
  auto* line = child<QLineEdit>(of, name);
  line->setFocus();
  line->selectAll();
  QTest::keyClicks(line, text);
  QTest::keyClick(line, Qt::Key_Return);
}

}  // namespace

TEST_CASE("the console shows what was sent apart from what came, and keeps a line nobody took") {
  BenchConsole console;
  console.show();
  auto* line = child<QLineEdit>(console, "sendLine");
  auto* text = child<QPlainTextEdit>(console, "console");
  QStringList sent;
  bool takes = true;
  QObject::connect(&console, &BenchConsole::lineEntered, [&](const QString& t, bool* taken) {
    sent << t;
    *taken = takes;
  });
  QTest::keyClicks(line, QStringLiteral("  uplink "));
  QTest::keyClick(line, Qt::Key_Return);
  CHECK(sent == QStringList{QStringLiteral("uplink")});
  CHECK(line->text().isEmpty());
  QTest::keyClick(line, Qt::Key_Return);  // nothing is no line
  CHECK(sent.size() == 1);
  takes = false;
  QTest::keyClicks(line, QStringLiteral("version"));
  QTest::keyClick(line, Qt::Key_Return);
  CHECK(line->text() == QStringLiteral("version"));

  console.append(QStringLiteral("<b>boot</b>"), false);
  console.append(QStringLiteral("uplink"), true);
  CHECK(text->toPlainText() == QStringLiteral("<b>boot</b>\n→ uplink"));
  // However long a device talks, the console holds what a person may read.
  for (int i = 0; i < 5000; ++i) console.append(QString::number(i), false);
  CHECK(text->document()->blockCount() <= 2000);
  CHECK(text->toPlainText().endsWith(QStringLiteral("4999")));
}

TEST_CASE(
    "lines that were sent come back with Up, the newest first, and what was begun with Down") {
  BenchConsole console;
  console.show();
  auto* line = child<QLineEdit>(console, "sendLine");
  QObject::connect(&console, &BenchConsole::lineEntered,
                   [](const QString&, bool* taken) { *taken = true; });
  for (const char* one : {"uplink", "version", "version"}) {
    line->setText(QLatin1String(one));
    QTest::keyClick(line, Qt::Key_Return);
  }
  line->setText(QStringLiteral("sle"));
  QTest::keyClick(line, Qt::Key_Up);
  CHECK(line->text() == QStringLiteral("version"));
  QTest::keyClick(line, Qt::Key_Up);
  CHECK(line->text() == QStringLiteral("uplink"));  // the same twice is one
  QTest::keyClick(line, Qt::Key_Up);
  CHECK(line->text() == QStringLiteral("uplink"));  // there is none before
  QTest::keyClick(line, Qt::Key_Down);
  QTest::keyClick(line, Qt::Key_Down);
  CHECK(line->text() == QStringLiteral("sle"));
}

TEST_CASE("shunts are kept and read as they were written, what is none is left out") {
  const auto shunts = PathDrawer::parsed(
      {QStringLiteral("I_shunt: 0.1 Ohm; 0.25 W; 1 % + 2 uA"), QStringLiteral("V2: 5 mOhm; ; "),
       QStringLiteral("bad: 0 Ohm"), QStringLiteral("nonsense"), QStringLiteral(": 1 Ohm")});
  REQUIRE(shunts.count("I_shunt") == 1);
  CHECK(shunts.at("I_shunt").ohms == Approx(0.1));
  CHECK(*shunts.at("I_shunt").rating == Approx(0.25));
  CHECK(shunts.at("I_shunt").accuracy == "1 % + 2 uA");
  REQUIRE(shunts.count("V2") == 1);
  CHECK(shunts.at("V2").ohms == Approx(5e-3));
  CHECK_FALSE(shunts.at("V2").rating);
  for (const auto& [channel, shunt] : shunts) {
    CHECK_FALSE(channel.empty());
    CHECK(shunt.ohms > 0);
  }
  BenchControl bench;
  PathDrawer drawer(bench, nullptr);
  drawer.setShunts(shunts);
  const auto again = PathDrawer::parsed(drawer.written());
  REQUIRE(again.size() == shunts.size());
  for (const auto& [channel, shunt] : shunts) {
    CHECK(again.at(channel).ohms == Approx(shunt.ohms));
    CHECK(again.at(channel).rating == shunt.rating);
    CHECK(again.at(channel).accuracy == shunt.accuracy);
  }
}

TEST_CASE("a shunt that cannot be is told at its field, and nothing reads over it") {
  BenchControl bench;
  PathDrawer drawer(bench, nullptr);
  drawer.setShunts({{"V", {0.1, {}, ""}}});
  drawer.choose(QStringLiteral("V"));
  drawer.show();
  type(drawer, "shunt", QStringLiteral("0 Ohm"));
  CHECK(drawer.shunts().empty());
  CHECK_THAT(FieldNote::at(child<QLineEdit>(drawer, "shunt")).toStdString(),
             Catch::Contains("more than 0"));
  type(drawer, "shunt", QStringLiteral("50 mOhm"));
  CHECK(drawer.shunts().at("V").ohms == Approx(0.05));
  type(drawer, "shuntAccuracy", QStringLiteral("quite good"));
  CHECK(drawer.shunts().at("V").accuracy.empty());  // as before
  CHECK_FALSE(FieldNote::at(child<QLineEdit>(drawer, "shuntAccuracy")).isEmpty());
  child<QPushButton>(drawer, "noShunt")->click();
  CHECK(drawer.shunts().empty());
}

TEST_CASE("a device's conditions come back into the fields they were written in") {
  BenchControl bench;
  DeviceDrawer drawer(bench, nullptr);
  drawer.setConditions({{"board", "satchel-07"},
                        {"tester", "mk"},
                        {"temperature", "23 degC"},
                        {"fixture", "pogo 3, with spring"},
                        {"orientation", "up"},
                        {"note", "with antenna"}});
  CHECK(drawer.board() == QStringLiteral("satchel-07"));
  const QStringList all = drawer.conditions();
  for (const char* one : {"board=satchel-07", "tester=mk", "fixture=pogo 3, with spring",
                          "orientation=up", "note=with antenna"}) {
    INFO(one);
    CHECK(all.contains(QLatin1String(one)));
  }
  RecordRequest request;
  CHECK_FALSE(drawer.read(request));
  drawer.setConditions({});
  CHECK(drawer.board().isEmpty());
  CHECK(drawer.conditions().isEmpty());
}

TEST_CASE("names of logic lines are read from one field, in the order of the word's bits") {
  BenchControl bench;
  ListenerDrawer drawer(ListenerDrawer::What::logic, {}, bench, nullptr);
  drawer.setLogic({QStringLiteral("radio_on"), QStringLiteral("wake")});
  CHECK(drawer.logic() == QStringList{QStringLiteral("radio_on"), QStringLiteral("wake")});
  RecordRequest request;
  CHECK_FALSE(drawer.read(request));
}

TEST_CASE("a kernel sensor's drawer shows how it is set, sets it, and says how often it is read") {
  const test::Folder folder;
  folder.write("name", "railwatch\n");
  folder.write("curr1_input", "250\n");
  folder.write("in1_input", "3300\n");
  folder.write("update_interval", "35\n");
  folder.write("in_oversampling_ratio", "4\n");
  folder.write("in_oversampling_ratio_available", "1 4 16\n");
  const QString address =
      QString::fromStdString("sysfs:" + (folder / "").substr(0, (folder / "").size() - 1));
  BenchControl bench;
  QStringList failed;
  QObject::connect(&bench, &BenchControl::failed, [&](const QString& t) { failed << t; });
  ListenerDrawer drawer(ListenerDrawer::What::input, address, bench, nullptr);
  drawer.show();
  REQUIRE(test::wait_for(
      [&] { return drawer.findChild<QWidget*>(QStringLiteral("update_interval")) != nullptr; }));
  const auto file = [&](const char* name) {
    std::ifstream in(folder / name);
    std::string text;
    in >> text;
    return text;
  };
  // In seconds, in pencil until Enter, and what it became is shown.
  auto* interval = child<QLineEdit>(drawer, "update_interval");
  CHECK(interval->text().startsWith(QStringLiteral("35")));
  interval->setFocus();
  interval->selectAll();
  QTest::keyClicks(interval, QStringLiteral("140 ms"));
  CHECK(file("update_interval") == "35");
  QTest::keyClick(interval, Qt::Key_Return);
  REQUIRE(test::wait_for([&] { return file("update_interval") == "140"; }));
  // Choices are those of the driver.
  auto* ratio = child<QComboBox>(drawer, "in_oversampling_ratio");
  REQUIRE(ratio->count() == 3);
  CHECK(ratio->currentText() == QStringLiteral("4"));
  ratio->setCurrentIndex(2);
  emit ratio->activated(2);
  REQUIRE(test::wait_for([&] { return file("in_oversampling_ratio") == "16"; }));
  REQUIRE(test::wait_for([&] {
    auto* now = drawer.findChild<QComboBox*>(QStringLiteral("in_oversampling_ratio"));
    return now && now->currentText() == QStringLiteral("16");
  }));
  CHECK(failed.isEmpty());
  // What is in pencil in one field outlives what is set in another.
  auto* pencil = child<QLineEdit>(drawer, "update_interval");
  pencil->setFocus();
  pencil->selectAll();
  QTest::keyClicks(pencil, QStringLiteral("70 ms"));
  auto* again = child<QComboBox>(drawer, "in_oversampling_ratio");
  again->setCurrentIndex(0);
  emit again->activated(0);
  REQUIRE(test::wait_for([&] { return file("in_oversampling_ratio") == "1"; }));
  QTest::qWait(50);
  CHECK(child<QLineEdit>(drawer, "update_interval")->text() == QStringLiteral("70 ms"));
  CHECK(file("update_interval") == "140");
  // Another rate is another address of the same sensor.
  QSignalSpy moved(&drawer, &ListenerDrawer::addressChanged);
  type(drawer, "sensorRate", QStringLiteral("2 kHz"));
  CHECK(moved.isEmpty());
  type(drawer, "sensorRate", QStringLiteral("50 Hz"));
  REQUIRE(moved.size() == 1);
  CHECK(moved.front().at(1).toString() == address + QStringLiteral("?rate=50%20Hz"));
}

TEST_CASE("the speed of a log's line is chosen in its drawer, and is another address") {
  BenchControl bench;
  ListenerDrawer drawer(ListenerDrawer::What::log,
                        QStringLiteral("log+serial:/dev/ttyUSB7?baud=31250&stamped=1"), bench,
                        nullptr);
  auto* speed = child<QComboBox>(drawer, "listenerSpeed");
  CHECK(speed->currentText() == QStringLiteral("31250 baud"));  // whatever it is
  QSignalSpy moved(&drawer, &ListenerDrawer::addressChanged);
  const int at = speed->findData(115200);
  emit speed->activated(at);
  REQUIRE(moved.size() == 1);
  CHECK(moved.front().at(1).toString() ==
        QStringLiteral("log+serial:/dev/ttyUSB7?stamped=1&baud=115200"));
  ListenerDrawer tcp(ListenerDrawer::What::log, QStringLiteral("log+tcp://192.0.2.7:7000"), bench,
                     nullptr);
  CHECK_FALSE(tcp.findChild<QComboBox*>(QStringLiteral("listenerSpeed")));
}

TEST_CASE("a source's fields are pencil until they are set, and a nonsense says so at its field") {
  BenchControl bench;
  SourceDrawer drawer(QString(), true, bench, nullptr);
  drawer.show();
  drawer.activateWindow();
  REQUIRE(QTest::qWaitForWindowActive(&drawer));
  CHECK(drawer.pencil().isEmpty());
  auto* volts = child<QLineEdit>(drawer, "voltage");
  volts->setEnabled(true);  // as with an output connected
  volts->setFocus();
  volts->selectAll();
  QTest::keyClicks(volts, QStringLiteral("3.9 V"));
  CHECK_THAT(drawer.pencil().toStdString(), Catch::Contains("3.9"));
  RecordRequest request;
  CHECK_FALSE(drawer.read(request));
  child<QLineEdit>(drawer, "accuracy")->setText(QStringLiteral("1 % + 5 V"));
  const auto trouble = drawer.read(request);
  REQUIRE(trouble);
  CHECK(trouble->field == child<QLineEdit>(drawer, "accuracy"));
  drawer.setAddress(QStringLiteral("scpi+tcp://192.0.2.7:5025"));
  drawer.setProfile(QStringLiteral("/p/one.profile.toml"));
  CHECK(drawer.profile() == QStringLiteral("/p/one.profile.toml"));
  CHECK(drawer.recordsVoltage());
}

TEST_CASE("a voltage used before is offered, and stands in pencil until Enter") {
  BenchControl bench;
  SourceDrawer drawer(QString(), true, bench, nullptr);
  drawer.show();
  drawer.activateWindow();
  REQUIRE(QTest::qWaitForWindowActive(&drawer));
  auto* used = child<QPushButton>(drawer, "usedVoltages");
  CHECK_FALSE(used->isEnabled());  // there is nothing to set
  emit used->menu()->aboutToShow();
  REQUIRE(used->menu()->actions().size() == 1);
  CHECK_FALSE(used->menu()->actions().front()->isEnabled());
  drawer.setUsed({3.6, 3.0});
  emit used->menu()->aboutToShow();
  REQUIRE(used->menu()->actions().size() == 2);
  QSignalSpy set(&drawer, &SourceDrawer::voltageSet);
  used->menu()->actions().back()->trigger();
  CHECK_THAT(drawer.pencil().toStdString(), Catch::Contains("3 V"));
  CHECK(set.isEmpty());
  auto* volts = child<QLineEdit>(drawer, "voltage");
  volts->setEnabled(true);  // as with an output connected
  QTest::keyClick(volts, Qt::Key_Return);
  REQUIRE(set.size() == 1);
  CHECK(set.front().front().toDouble() == Approx(3.0));
}

TEST_CASE("the sheet of a recording lets go of a note once, and shows nothing before one runs") {
  BenchControl bench;
  ProgressSheet sheet(bench);
  QSignalSpy marks(&sheet, &ProgressSheet::markRequested);
  child<QLineEdit>(sheet, "markNote")->setText(QStringLiteral(" lid opened "));
  QTest::keyClick(child<QLineEdit>(sheet, "markNote"), Qt::Key_Return);
  CHECK(marks.size() == 1);
  CHECK(sheet.takeNote() == QStringLiteral("lid opened"));
  CHECK(sheet.takeNote().isEmpty());
  sheet.refresh();
  CHECK_FALSE(bench.recording());
}

namespace {

/// A drawer of its own kind, with fields in two columns.
struct Fields : DrawerPage {
  QLineEdit *one, *two, *three;
  explicit Fields(BenchControl& bench)
      : DrawerPage(QStringLiteral("f"), QStringLiteral("FIELDS"), bench, nullptr) {
    one = line(QStringLiteral("one"), QStringLiteral("First"), {});
    two = line(QStringLiteral("two"), QStringLiteral("Second"), {});
    three = line(QStringLiteral("three"), QStringLiteral("Third"), {});
    add(0, QStringLiteral("First"), one);
    add(1, QStringLiteral("Second"), two);
    addRow(1, QStringLiteral("Third"), {three, new QPushButton(QStringLiteral("b"), this)});
  }
  void hide(QWidget* w, bool shown) { setRowShown(w, shown); }
};

}  // namespace

TEST_CASE("a drawer's fields have their names beside them, and go and come with them") {
  BenchControl bench;
  Fields page(bench);
  page.resize(900, 120);
  page.show();
  CHECK(page.first() == page.one);
  CHECK(page.one->mapTo(&page, QPoint()).x() < page.two->mapTo(&page, QPoint()).x());
  const auto name_of = [&](QWidget* field) -> QLabel* {
    for (auto* label : page.findChildren<QLabel*>())
      if (label->buddy() == field) return label;
    return nullptr;
  };
  REQUIRE(name_of(page.two));
  page.hide(page.two, false);
  CHECK_FALSE(page.two->isVisible());
  CHECK_FALSE(name_of(page.two)->isVisible());
  page.hide(page.three, false);
  CHECK_FALSE(page.three->isVisible());
  page.hide(page.two, true);
  CHECK(page.two->isVisible());
  CHECK(name_of(page.two)->isVisible());
}
