// SPDX-License-Identifier: GPL-3.0-or-later
// A window at its Bench desk, worked by mouse and keyboard.
#pragma once

#include "app/bench/bench_desk.h"
#include "app/bench/run_sheet.h"
#include "app/bench/wire_view.h"
#include "cli/process.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

namespace kuvio::test {

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
  static bool wait(const std::function<bool()>& done, int ms = test::kPatience) {
    return test::wait_for(done, ms);
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
  WireView* wire() { return find<WireView>("wire"); }
  /// Opens a station's drawer by a click on it.
  void drawer(const QString& id) {
    auto* desk = window.findChild<BenchDesk*>();
    if (desk->openedDrawer() == id) return;
    click(("station-" + id).toUtf8().constData());
    CHECK(desk->openedDrawer() == id);
  }
  QString firstSource() { return wire()->plan().lines.front().source.id; }
  /// Wires up an address as people do: + more, type it, Enter.
  void wire(const QString& address) {
    drawer(QStringLiteral("add"));
    type("address", address);
    QTest::keyClick(find<QLineEdit>("address"), Qt::Key_Return);
  }
  /// The wire in words.
  QString status() { return wire()->plan().inWords().join(QLatin1Char(' ')); }
  void set(const char* name, const QString& value) {
    type(name, value);
    QTest::keyClick(find<QLineEdit>(name), Qt::Key_Return);
  }
  void addPhrase(const char* key) { find<RunSheet>("runSheet")->addPhrase(QLatin1String(key)); }
  void choosePower(int which) {
    auto* power = find<QComboBox>("power");
    power->setCurrentIndex(which);
  }
  book::CaptureInfo last() {
    return book::Book::open(path.toStdString(), book::Book::Mode::read).captures().back();
  }
  /// What the desk would record, as its own Record button reads it.
  bool fill(RecordRequest& request) {
    auto* desk = window.findChild<BenchDesk*>();
    const auto read = desk ? desk->request() : std::nullopt;
    if (read) request = *read;
    return read.has_value();
  }
  void record() {
    click("record");
    REQUIRE(wait([&] { return bench().recording(); }));
    REQUIRE(wait([&] { return !bench().recording(); }, 30000));
    click("deskBench");
  }
};

inline QString text(const test::Bench& bench, const char* key) {
  return QString::fromStdString(bench.endpoints.at(key).get<std::string>());
}

}  // namespace kuvio::test
