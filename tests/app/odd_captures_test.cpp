// SPDX-License-Identifier: GPL-3.0-or-later
// Captures that nobody wants and everybody makes: each shown on every desk, in every panel.

#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QScrollBar>
#include <QTabBar>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

struct Odd {
  test::Folder folder;
  std::string path = folder / "odd.kuvio";

  static book::ChannelInfo current(const std::string& name = "I") {
    book::ChannelInfo out;
    out.name = name;
    out.time_base = {1, 1000};
    out.accuracy = "0.1 % + 1 nA";
    return out;
  }
  void add(const std::string& name, const std::vector<double>& values) {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    book::CaptureWriter writer(book, {name, name, {{"voltage", "3.6 V"}}, false}, {current()});
    writer.append(0, 0, 1, values);
    writer.finish("made", false);
  }
};

/// The window on such a book; what it says is read for what no person should read.
struct OddWindow {
  MainWindow window;
  QStringList messages;

  explicit OddWindow(const std::string& path, QSize size = {1280, 800}) {
    QObject::connect(&window.session(), &Session::failed,
                     [this](const QString& text) { messages << text; });
    window.resize(size);
    window.show();
    QSignalSpy ready(&window, &MainWindow::ready);
    window.openBook(QString::fromStdString(path));
    REQUIRE((window.settled() || ready.wait(20000)));
    window.activateWindow();
  }
  template <typename T>
  T* child(const char* name) {
    T* out = window.findChild<T*>(QLatin1String(name));
    REQUIRE(out);
    return out;
  }

  /// Every text that is seen now.
  QStringList seen() {
    QStringList out{window.readOut(), window.message()};
    for (auto* label : window.findChildren<QLabel*>()) {
      if (label->isVisible()) out << label->text();
    }
    for (auto* view : window.findChildren<QAbstractItemView*>()) {
      if (!view->isVisible() || !view->model()) continue;
      for (int r = 0; r < std::min(view->model()->rowCount(), 50); ++r) {
        for (int c = 0; c < view->model()->columnCount(); ++c)
          out << view->model()->index(r, c).data().toString();
      }
    }
    return out + messages;
  }
  void check() {
    static const QRegularExpression raw(QStringLiteral(
        "::|std|basic_string|_M_|out_of_range|bad_alloc|terminate|\\bnan\\b|\\binf\\b|"
        "-nan|e[+-][0-9]{2,}"));
    for (const QString& text : seen()) {
      INFO(text.toStdString());
      CHECK_FALSE(raw.match(text).hasMatch());
    }
  }
  /// Over every desk and panel, with the gestures that ask for figures.
  void walk() {
    for (const DeskInfo& desk : all_desks()) {
      INFO(desk.key);
      window.setDesk(desk.id);
      QTest::qWait(120);
      window.grab();
      check();
    }
    window.setDesk(DeskId::trace);
    auto* tabs = child<QTabBar>("marginTabs");
    for (int i = 0; i < tabs->count(); ++i) {
      tabs->setCurrentIndex(i);
      QTest::qWait(120);
      window.grab();
      check();
    }
    auto* lanes = child<Lanes>("lanes");
    for (const int key : {Qt::Key_Plus, Qt::Key_Plus, Qt::Key_Right, Qt::Key_V, Qt::Key_Z,
                          Qt::Key_BracketLeft, Qt::Key_M, Qt::Key_G, Qt::Key_F3, Qt::Key_1,
                          Qt::Key_2, Qt::Key_N, Qt::Key_L, Qt::Key_F, Qt::Key_Home}) {
      QTest::keyClick(lanes, static_cast<Qt::Key>(key));
      QTest::qWait(20);
      for (auto* dialog : window.findChildren<QDialog*>()) dialog->reject();
      window.setDesk(DeskId::trace);
    }
    const QRect box = lanes->laneRect();
    for (int i = 0; i <= 10; ++i)
      QTest::mouseMove(lanes, QPoint(box.left() + i * box.width() / 10, box.center().y()));
    for (const char* id : {"scaleLinear", "scaleLog", "scaleBoth", "axisSeen", "axisCapture",
                           "chargeLane", "newRecipe", "applyRecipe", "limitsFromCapture"}) {
      INFO(id);
      window.actions().run(window.actions().find(QLatin1String(id)));
      QTest::qWait(150);
      window.grab();
      check();
    }
    for (const DeskInfo& desk : all_desks()) {  // once more, split and with a budget
      INFO(desk.key);
      window.setDesk(desk.id);
      QTest::qWait(150);
      window.grab();
      check();
    }
  }
};

}  // namespace

TEST_CASE("odd captures are shown on every desk, and no raw exception text anywhere") {
  const std::map<std::string, std::vector<double>> captures = {
      {"one sample", {4e-6}},
      {"two samples", {4e-6, 5e-3}},
      {"five seconds", std::vector<double>(5000, 4e-6)},
      {"all zero", std::vector<double>(20000, 0.0)},
      {"all negative", std::vector<double>(20000, -5e-3)},
      {"a gigaampere", std::vector<double>(20000, 1e9)},
      {"a femtoampere", std::vector<double>(20000, 1e-15)}};
  const auto& [name, values] = GENERATE_COPY(from_range(
      std::vector<std::pair<std::string, std::vector<double>>>(captures.begin(), captures.end())));
  INFO(name);
  Odd odd;
  odd.add(name, values);
  OddWindow s(odd.path);
  s.walk();
}

TEST_CASE("a single instant has a value, and neither length nor charge") {
  Odd odd;
  {
    book::Book book = book::Book::open(odd.path, book::Book::Mode::create);
    book::ChannelInfo channel = Odd::current();
    channel.kind = SampleKind::instant;
    book::CaptureWriter writer(book, {"one", "1.0", {{"voltage", "3.6 V"}}, false}, {channel});
    writer.append(0, 7'000, 1, std::vector<double>{4e-6});
    writer.finish("made", false);
  }
  OddWindow s(odd.path);
  INFO(s.window.readOut().toStdString());
  CHECK(s.window.readOut().contains(QStringLiteral("one sample of 4.000")));
  CHECK(s.window.readOut().contains(QStringLiteral("neither length nor charge")));
  CHECK(s.window.view().from() == Approx(6.5));
  CHECK(s.window.view().to() == Approx(7.5));
  s.walk();
  s.window.actions().run(s.window.actions().find(QStringLiteral("showAll")));
  auto* lanes = s.child<Lanes>("lanes");
  REQUIRE(test::wait_for([&] { return lanes->settled(); }));
  REQUIRE(lanes->curve());
  REQUIRE(lanes->curve()->points.size() == 1);
  CHECK(lanes->curve()->points[0].value == Approx(4e-6));
  CHECK(lanes->valueRange().contains(4e-6));
}

TEST_CASE("voltages alone have no levels of current, until a shunt is set") {
  Odd odd;
  {
    book::Book book = book::Book::open(odd.path, book::Book::Mode::create);
    book::ChannelInfo channel = Odd::current("U");
    channel.quantity = Quantity::voltage;
    channel.unit = "V";
    channel.accuracy = "0.1 %";
    book::CaptureWriter writer(book, {"drop", "1.0", {{"voltage", "3.6 V"}}, false}, {channel});
    std::vector<double> values(20000, 0.02);
    std::fill(values.begin() + 10000, values.end(), 1.2);
    writer.append(0, 0, 1, values);
    writer.finish("made", false);
  }
  OddWindow s(odd.path);
  LevelHistogramPtr levels;
  QObject::connect(&s.window.session(), &Session::histogramReady,
                   [&](const LevelHistogramPtr& ready) { levels = ready; });
  const auto run = [&](const char* action) {
    s.window.actions().find(QLatin1String(action))->trigger();
  };
  run("showSpread");
  auto* words = s.child<QLabel>("spreadWords");
  REQUIRE(test::wait_for([&] { return words->text().contains(QStringLiteral("No current yet")); }));
  run("showRecipe");
  run("newRecipe");
  const auto recipe = [&] { return s.window.session().book()->document(DocumentKind::recipe); };
  REQUIRE(test::wait_for([&] { return recipe() != nullptr; }));
  INFO(recipe()->text);
  CHECK(recipe()->text.find("1 mA") != std::string::npos);  // not of the volts
  CHECK_FALSE(levels);

  run("showChannels");
  auto* shunt = s.child<QLineEdit>("channelShunt");
  REQUIRE(test::wait_for(
      [&] { return shunt->isVisible() && s.child<QComboBox>("channelWhich")->count() == 1; }));
  shunt->setFocus();
  QTest::keyClicks(shunt, QStringLiteral("100 Ohm"));
  QTest::mouseClick(s.child<QPushButton>("channelSet"), Qt::LeftButton);
  const bool current = test::wait_for([&] { return s.window.view().capture()->shows_current(); });
  INFO(s.messages.join(QLatin1Char('\n')).toStdString());
  REQUIRE(current);
  run("showRecipe");
  REQUIRE(test::wait_for([&] { return levels != nullptr; }));
  CHECK(levels->high == Approx(12e-3));
  run("showSpread");
  const bool below_peak = test::wait_for(
      [&] { return words->text().contains(QStringLiteral("90\u2009% of the time below 12")); });
  INFO(words->text().toStdString());
  REQUIRE(below_peak);
  // Another shunt, other levels.
  levels = nullptr;
  run("showChannels");
  shunt->clear();
  shunt->setFocus();
  QTest::keyClicks(shunt, QStringLiteral("10 Ohm"));
  QTest::keyClick(shunt, Qt::Key_Return);
  run("showRecipe");
  REQUIRE(test::wait_for([&] { return levels && levels->high > 100e-3; }));
  CHECK(levels->high == Approx(120e-3));
}

TEST_CASE("negative currents are on an axis through zero, zero is on the axis") {
  Odd odd;
  odd.add("negative", std::vector<double>(20000, -5e-3));
  odd.add("zero", std::vector<double>(20000, 0.0));
  OddWindow s(odd.path);
  auto* lanes = s.child<Lanes>("lanes");
  CHECK(lanes->scaleOf(0) == ValueScale::symlog);
  const auto [low, high] = lanes->shownValues(0);
  CHECK(low < -5e-3);
  CHECK(high >= 0);
  QTest::keyClick(lanes, Qt::Key_Down, Qt::ControlModifier);
  REQUIRE(test::wait_for(
      [&] { return s.window.view().capture()->info.name == "zero" && lanes->settled(); }));
  const auto [below, above] = lanes->shownValues(0);
  INFO(below << " " << above << " " << static_cast<int>(lanes->scaleOf(0)));
  CHECK(below <= 0);
  CHECK(above > 0);
}

TEST_CASE("forty channels: as many lanes as find room, the others within reach by bar and key") {
  Odd odd;
  {
    book::Book book = book::Book::open(odd.path, book::Book::Mode::create);
    std::vector<book::ChannelInfo> channels;
    for (int i = 0; i < 40; ++i) channels.push_back(Odd::current("I" + std::to_string(i + 1)));
    book::CaptureWriter writer(book, {"forty", "1.0", {{"channel", "I1"}}, false}, channels);
    std::vector<double> values(4000);
    for (std::size_t c = 0; c < channels.size(); ++c) {
      std::fill(values.begin(), values.end(), 1e-6 * static_cast<double>(c + 1));
      writer.append(c, 0, 1, values);
    }
    writer.finish("made", false);
  }
  const QSize size = GENERATE(QSize(1280, 800), QSize(1024, 700), QSize(1920, 1170));
  OddWindow s(odd.path, size);
  auto* lanes = s.child<Lanes>("lanes");
  REQUIRE(test::wait_for([&] { return lanes->settled(); }));
  const auto names = lanes->laneNames();
  const int shown = static_cast<int>(names.size());
  INFO(size.width() << " x " << size.height() << ": " << shown << " lanes");
  CHECK(shown >= 2);
  CHECK(shown < 40);
  CHECK(lanes->lanesBeyond() == 40 - shown);
  int foot = 0;
  for (int i = 0; i < shown; ++i) {  // none over another, all inside, each high enough to read
    CHECK(lanes->laneRect(i).top() > foot);
    foot = lanes->laneRect(i).bottom();
    CHECK(lanes->laneRect(i).height() >= 30);
  }
  CHECK(foot <= lanes->height());
  auto* bar = s.child<QScrollBar>("laneBar");
  CHECK(bar->isVisible());
  CHECK(s.child<QPushButton>("hiddenLanes")->text() == QStringLiteral("%1 of 40").arg(shown));
  bar->setValue(bar->maximum());
  REQUIRE(test::wait_for([&] { return lanes->settled(); }));
  CHECK(lanes->laneNames().back() == "I40");
  CHECK(static_cast<int>(lanes->laneNames().size()) == shown);
  REQUIRE(lanes->curve(shown - 1));
  bar->setValue(0);
  lanes->setFocus();
  for (int i = 0; i <= 40; ++i) QTest::keyClick(lanes, Qt::Key_PageDown);
  CHECK(lanes->laneNames().back() == "I40");
  CHECK(lanes->chosenLane() == 39);
  QTest::keyClick(lanes, Qt::Key_H);  // one less, and said so
  REQUIRE(test::wait_for([&] { return lanes->hiddenLanes() == 1; }));
  CHECK(s.child<QPushButton>("hiddenLanes")->text() == QStringLiteral("1 hidden"));
  CHECK(lanes->laneNames().back() == "I39");
  s.check();
}

TEST_CASE("three hundred captures in a book are listed, found and stepped through") {
  Odd odd;
  for (int i = 0; i < 300; ++i)
    odd.add("run " + std::to_string(i + 1), std::vector<double>(200, 1e-6 * (i + 1)));
  OddWindow s(odd.path);
  auto* list = s.child<QAbstractItemView>("captures");
  CHECK(s.window.session().book()->rows.size() == 300);
  CHECK(list->model()->rowCount() >= 300);
  auto* filter = s.child<QLineEdit>("filterCaptures");
  QTest::keyClicks(filter, QStringLiteral("run 299"));
  REQUIRE(test::wait_for([&] { return list->model()->rowCount() <= 2; }));
  filter->clear();
  const std::string first = s.window.view().capture()->info.name;
  QTest::keyClick(s.child<Lanes>("lanes"), Qt::Key_Down, Qt::ControlModifier);
  REQUIRE(test::wait_for([&] { return s.window.view().capture()->info.name != first; }));
  for (const DeskInfo& desk : all_desks()) {
    s.window.setDesk(desk.id);
    QTest::qWait(100);
    s.check();
  }
}
