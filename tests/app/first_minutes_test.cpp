// SPDX-License-Identifier: GPL-3.0-or-later
// Without a book: one page on every desk but Bench, an example, a recording that makes its own
// book, and a split by the device's recipe.

#include "app/bench/bench_desk.h"
#include "app/engine/book_view.h"
#include "app/engine/example_maker.h"
#include "app/engine/trace_views.h"
#include "app/style/cut_label.h"
#include "app/style/widgets.h"
#include "formats/example.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QAction>
#include <QDir>
#include <QFileInfo>
#include <QMessageBox>
#include <QPushButton>
#include <QStandardPaths>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

QPushButton* offer(QWidget& where, const QString& text) {
  for (QPushButton* b : where.findChildren<QPushButton*>()) {
    if (b->isVisible() && b->text() == text) return b;
  }
  return nullptr;
}

/// The user's documents are a folder of the test's own.
struct Home {
  test::Folder folder;
  QByteArray was = qgetenv("HOME");
  Home() { qputenv("HOME", QByteArray::fromStdString(folder / "")); }
  ~Home() { qputenv("HOME", was); }
};

}  // namespace

TEST_CASE("without a book every desk but Bench shows the same page, and says where to begin") {
  Preferences preferences;
  preferences.recent = {QStringLiteral("/gone/night.kuvio")};
  MainWindow window(preferences);
  window.show();
  auto* page = window.findChild<EmptyState*>(QStringLiteral("empty"));
  REQUIRE(page);
  for (const DeskInfo& desk : all_desks()) {
    window.setDesk(desk.id);
    INFO(desk.key);
    CHECK(page->isVisible() == (desk.id != DeskId::bench));
  }
  window.setDesk(DeskId::lifetime);
  for (const char* what :
       {"New book…", "Open book…", "Open night.kuvio", "Look at an example", "Start at the bench"})
    CHECK(offer(*page, QString::fromUtf8(what)) != nullptr);
  QTest::mouseClick(offer(*page, QStringLiteral("Start at the bench")), Qt::LeftButton);
  CHECK(window.desk() == DeskId::bench);
}

TEST_CASE("the example is made once, opened with all desks full, and one that is there is used") {
  const Home home;
  ExampleMaker maker;
  QStringList made, failed;
  QObject::connect(&maker, &ExampleMaker::made, &maker, [&](const QString& p) { made << p; });
  QObject::connect(&maker, &ExampleMaker::failed, &maker, [&](const QString& w) { failed << w; });
  const QString path = QString::fromStdString(home.folder / "made.kuvio");
  maker.make(path);
  maker.make(path);  // asked twice
  REQUIRE(test::wait_for([&] { return !made.isEmpty() || !failed.isEmpty(); }, 60000));
  CHECK(failed.isEmpty());
  CHECK(made == QStringList{path});
  maker.make(path);
  CHECK(made.size() == 2);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  window.openBook(path);
  REQUIRE(test::wait_for([&] { return window.settled(); }));
  for (const book::DocumentKind kind : formats::example_kinds())
    CHECK(window.session().book()->document(kind) != nullptr);
  for (const char* empty : {"buildsEmpty", "budgetEmpty", "lifetimeEmpty"}) {
    const DeskId desk = std::string(empty) == "buildsEmpty"   ? DeskId::builds
                        : std::string(empty) == "budgetEmpty" ? DeskId::budget
                                                              : DeskId::lifetime;
    window.setDesk(desk);
    auto* page = window.findChild<QWidget*>(QLatin1String(empty));
    REQUIRE(page);
    CHECK(test::wait_for([&] { return !page->isVisible(); }));
  }
  // The line at the foot says what was captured, and that its time is simulated.
  window.setDesk(DeskId::trace);
  REQUIRE(test::wait_for([&] { return window.readOut().contains(QStringLiteral("mean")); }));
  CHECK_THAT(window.readOut().toStdString(), Catch::Contains("simulated, 900") &&
                                                 Catch::Contains("Locate") &&
                                                 Catch::Contains("peak"));
}

TEST_CASE(
    "from nothing: the bench records into a book of its own, and Satchel's recipe splits it") {
  const Home home;
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  window.setDesk(DeskId::bench);
  window.bench().startSimulated(QStringLiteral("2.3.0"), 20, 200);
  REQUIRE(test::wait_for([&] { return window.bench().state().phase == BenchState::Phase::ready; }));
  RecordRequest request;
  request.name = request.build = "2.3.0";
  request.power_on = true;
  request.power_off = true;
  request.seconds = 200;
  window.bench().record(request);
  REQUIRE(test::wait_for([&] { return window.bench().recording(); }));
  REQUIRE(test::wait_for([&] { return !window.bench().recording(); }, 30000));
  CHECK(window.session().path().endsWith(QStringLiteral("Documents/Simulated bench.kuvio")));
  CHECK_THAT(window.message().toStdString(), Catch::Contains("Recorded 3"));
  window.setDesk(DeskId::trace);
  REQUIRE(test::wait_for(
      [&] { return offer(window, QStringLiteral("Split with Satchel's recipe")) != nullptr; }));
  QTest::mouseClick(offer(window, QStringLiteral("Split with Satchel's recipe")), Qt::LeftButton);
  REQUIRE(test::wait_for(
      [&] { return window.view().capture() && !window.view().capture()->visits.empty(); }));
  CHECK(window.view().capture()->recipe_name == "Satchel field states");
  CHECK(window.session().book()->document(book::DocumentKind::recipe) != nullptr);
}

TEST_CASE("from the start page to a split capture by keyboard alone, the stop seen at each") {
  const Home home;
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  window.activateWindow();
  window.setDesk(DeskId::trace);
  window.setFocus();
  REQUIRE(test::wait_for([&] { return window.isActiveWindow(); }));
  QStringList stops;
  const auto at = [&] {
    QWidget* w = QApplication::focusWidget();
    return w ? w : static_cast<QWidget*>(&window);
  };
  const auto name = [](QWidget* w) {
    auto* b = qobject_cast<QPushButton*>(w);
    return b ? b->text() : w->accessibleName();
  };
  // Tab until it is reached; at every stop where one is can be seen.
  const auto tab_to = [&](const QString& text) {
    for (int i = 0; i < 60 && name(at()) != text; ++i) {
      QTest::keyClick(at(), Qt::Key_Tab);
      if (at() == &window) continue;
      INFO(name(at()).toStdString());
      CHECK(focus_pixels(window, at()) >= 40);
      stops << name(at());
    }
    INFO(text.toStdString() << " not reached by way of "
                            << stops.join(QStringLiteral(" | ")).toStdString());
    REQUIRE(name(at()) == text);
  };
  tab_to(QStringLiteral("Start at the bench"));
  QTest::keyClick(at(), Qt::Key_Space);
  CHECK(window.desk() == DeskId::bench);
  tab_to(QStringLiteral("Start simulated bench"));
  QTest::keyClick(at(), Qt::Key_Space);
  REQUIRE(test::wait_for([&] { return window.bench().state().phase == BenchState::Phase::ready; }));
  QTest::keyClick(at(), Qt::Key_Space, Qt::ControlModifier);
  REQUIRE(test::wait_for([&] { return window.bench().recording(); }));
  REQUIRE(test::wait_for([&] { return window.bench().state().recorded_s > 60; }, 30000));
  QTest::keyClick(at(), Qt::Key_Period, Qt::ControlModifier);
  REQUIRE(test::wait_for([&] { return !window.bench().recording(); }));
  CHECK(window.desk() == DeskId::trace);
  REQUIRE(test::wait_for(
      [&] { return offer(window, QStringLiteral("Split with Satchel's recipe")) != nullptr; }));
  tab_to(QStringLiteral("Split with Satchel's recipe"));
  QTest::keyClick(at(), Qt::Key_Space);
  REQUIRE(test::wait_for(
      [&] { return window.view().capture() && !window.view().capture()->visits.empty(); }));
  WARN(stops.size() << " stops: " << stops.join(QStringLiteral(" | ")).toStdString());
}

TEST_CASE("what waits for a new book does not begin in another that is opened instead") {
  const Home home;
  const Made made;
  MainWindow window;
  window.show();
  int begun = 0;
  emit window.bench().bookWanted([&] { ++begun; });
  window.openBook(QString::fromStdString(made.path));
  REQUIRE(test::wait_for([&] { return window.settled(); }));
  QTest::qWait(200);
  CHECK(begun == 0);
  emit window.bench().bookWanted([&] { ++begun; });
  CHECK(test::wait_for([&] { return begun == 1; }));
  CHECK(window.session().path().endsWith(QStringLiteral(".kuvio")));
}

TEST_CASE("leaving with the output on asks, off is waited for, on is left by choice alone") {
  const Home home;
  MainWindow window;
  window.show();
  window.setDesk(DeskId::bench);
  window.bench().startSimulated(QStringLiteral("2.3.0"), 20, 60);
  const auto state = [&]() -> const BenchState& { return window.bench().state(); };
  REQUIRE(test::wait_for([&] { return state().phase == BenchState::Phase::ready; }));
  window.bench().switchOutput(true);
  REQUIRE(test::wait_for([&] { return state().output_on; }));
  const auto question = [&] {
    return window.findChild<QMessageBox*>(QStringLiteral("outputOnQuestion"));
  };
  window.close();
  REQUIRE(question());
  CHECK(window.isVisible());
  window.close();  // asked once
  CHECK(window.findChildren<QMessageBox*>(QStringLiteral("outputOnQuestion")).size() == 1);
  QTest::mouseClick(question()->findChild<QPushButton*>(QStringLiteral("stay")), Qt::LeftButton);
  QTest::qWait(100);
  CHECK(window.isVisible());
  CHECK(state().output_on);
  window.close();
  REQUIRE(question());
  QTest::mouseClick(question()->findChild<QPushButton*>(QStringLiteral("offAndQuit")),
                    Qt::LeftButton);
  REQUIRE(test::wait_for([&] { return !window.isVisible(); }));
  CHECK_FALSE(state().output_on);
}

TEST_CASE("Enter presses the button that has the keyboard, in the window as everywhere") {
  MainWindow window;
  window.show();
  auto* page = window.findChild<EmptyState*>(QStringLiteral("empty"));
  REQUIRE(page);
  QPushButton* bench = offer(*page, QStringLiteral("Start at the bench"));
  REQUIRE(bench);
  bench->setFocus();
  QTest::keyClick(bench, Qt::Key_Return);
  CHECK(window.desk() == DeskId::bench);
}

TEST_CASE("recording with nothing connected says what to do, and shows where") {
  MainWindow window;
  window.show();
  window.setDesk(DeskId::bench);
  auto* bench = window.findChild<BenchDesk*>();
  bench->openDrawer({});
  window.findChild<QAction*>(QStringLiteral("recordAction"))->trigger();
  auto* said = window.findChild<CutLabel*>(QStringLiteral("message"));
  REQUIRE(said);
  CHECK(said->text().contains(QStringLiteral("Nothing is connected")));
  CHECK(bench->openedDrawer() == QStringLiteral("add"));
}

TEST_CASE("a book that was opened by where it lies from here is found from anywhere") {
  const test::Folder folder;
  const QString here = QDir::currentPath();
  QDir::setCurrent(QString::fromStdString(folder / ""));
  MainWindow window;
  window.show();
  window.openBook(QStringLiteral("here.kuvio"), true);
  const bool open = test::wait_for([&] { return window.session().book() != nullptr; });
  QDir::setCurrent(here);
  REQUIRE(open);
  CHECK(QFileInfo(window.session().path()).isAbsolute());
}

TEST_CASE("text that is wanted larger is so at the next start, within bounds") {
  MainWindow window;
  window.show();
  auto* said = window.findChild<CutLabel*>(QStringLiteral("message"));
  for (int i = 0; i < 6; ++i) window.findChild<QAction*>(QStringLiteral("textLarger"))->trigger();
  CHECK(said->text() == QStringLiteral("Text cannot be larger than 200 %."));
  REQUIRE(test::wait_for([] { return Preferences::load().text_percent == 200; }));
  window.findChild<QAction*>(QStringLiteral("textSmaller"))->trigger();
  CHECK(said->text().endsWith(QStringLiteral("Text will be 175 % when Kuvio starts again.")));
}
