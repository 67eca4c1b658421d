// SPDX-License-Identifier: GPL-3.0-or-later
// The real window, offscreen, with real mouse and key events.

#include "app/main_window.h"
#include "book/capture_writer.h"
#include "core/measure.h"
#include "core/present.h"
#include "formats/plan_files.h"

#include "support.h"

#include <QAbstractItemModelTester>
#include <QSignalSpy>
#include <QTest>

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::app;

namespace {

/// A book with three rounds of a made device, split by the demo's recipe, and its log.
struct Made {
  test::Folder folder;
  std::string path = folder / "made.kuvio";
  std::int64_t capture = 0;

  explicit Made(bool split = true) {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    for (const char* build : {"1.0", "1.1"}) {
      book::ChannelInfo channel;
      channel.name = "I";
      channel.time_base = {1, 1000};
      channel.accuracy = "0.08 % + 40 nA";
      book::CaptureWriter writer(
          book, {build, build, {{"voltage", "3.6 V"}, {"input", "made"}}, false}, {channel});
      std::vector<double> values;
      for (int round = 0; round < 3; ++round) {
        for (const auto& [level, ms] :
             {std::pair{3e-6, 8000}, std::pair{4e-3, 40}, std::pair{0.8e-3, 800},
              std::pair{28e-3, 4000}, std::pair{70e-3, 1500}, std::pair{7e-3, 2000}}) {
          writer.log({static_cast<double>(values.size()) / 1000, false,
                      "step at " + std::to_string(values.size())});
          for (int i = 0; i < ms; ++i) values.push_back(level * (1 + 0.001 * ((i * 7) % 11 - 5)));
        }
      }
      writer.append(0, 0, 1, values);
      writer.finish("complete", false);
      if (split) {
        const auto recipe =
            formats::read_recipe(std::string(KUVIO_SOURCE) + "/examples/satchel.recipe.toml");
        book.save_split(writer.id(), book::split_capture(book, book.capture(writer.id()),
                                                         recipe.recipe, recipe.text));
      }
      if (capture == 0) capture = writer.id();
    }
  }
};

struct Desk {
  Made made;
  MainWindow window;
  TraceLane* lane;
  FanView* fan;
  NotebookTable *ledger, *log;

  explicit Desk(bool split = true) : made(split) {
    window.resize(1280, 800);
    window.show();
    QSignalSpy ready(&window, &MainWindow::ready);
    window.openBook(QString::fromStdString(made.path));
    REQUIRE((window.settled() || ready.wait(10000)));
    lane = window.findChild<TraceLane*>(QStringLiteral("currentLane"));
    fan = window.findChild<FanView*>(QStringLiteral("fan"));
    ledger = window.findChild<NotebookTable*>(QStringLiteral("ledger"));
    log = window.findChild<NotebookTable*>(QStringLiteral("log"));
    window.activateWindow();
  }

  ViewState& view() { return window.view(); }
  const std::vector<VisitFigures>& visits() { return view().capture()->visits; }
  int first(const std::string& state, double after = -1) {
    for (std::size_t i = 0; i < visits().size(); ++i) {
      if (visits()[i].visit.state == state && visits()[i].visit.from_s > after)
        return static_cast<int>(i);
    }
    return -1;
  }
  void frame() {
    QSignalSpy painted(lane, &TraceLane::framePainted);
    painted.wait(3000);
  }
  QPoint at(double t) {
    return {static_cast<int>(std::lround(lane->pixelOf(t))), lane->height() / 2};
  }
  void drag(QPoint from, QPoint to, Qt::MouseButton button = Qt::LeftButton) {
    QTest::mousePress(lane, button, {}, from);
    for (int i = 1; i <= 4; ++i) QTest::mouseMove(lane, from + (to - from) * i / 4);
    // Offscreen a move carries no button of its own: send one that does.
    QMouseEvent move(QEvent::MouseMove, QPointF(to), lane->mapToGlobal(QPointF(to)), Qt::NoButton,
                     button, Qt::NoModifier);
    QCoreApplication::sendEvent(lane, &move);
    QTest::mouseRelease(lane, button, {}, to);
  }
  void wheel(QPoint at, int notches, Qt::KeyboardModifiers modifiers = {}) {
    QWheelEvent event(QPointF(at), lane->mapToGlobal(QPointF(at)), {}, QPoint(0, notches * 120),
                      Qt::NoButton, modifiers, Qt::NoScrollPhase, false);
    QCoreApplication::sendEvent(lane, &event);
  }
};

}  // namespace

TEST_CASE("a book opens with its captures, ledger, log and fan") {
  Desk s;
  CHECK(s.window.findChild<QListView*>(QStringLiteral("captures"))->model()->rowCount() == 2);
  CHECK(s.view().capture()->visits.size() == 18);
  CHECK(s.ledger->model()->rowCount() == 7);
  CHECK(s.log->model()->rowCount() == 18);
  CHECK(s.window.windowTitle().startsWith(QStringLiteral("made.kuvio")));
  CHECK(s.fan->ribbonRect(0).width() > 50);
  CHECK(s.ledger->model()->index(6, LedgerModel::PerVisit).data().toString() ==
        QStringLiteral("nothing missing or unassigned"));
}

TEST_CASE("a dragged span has the core's figures in the read-out line") {
  Desk s;
  s.drag(s.at(9.0), s.at(20.0));
  REQUIRE(s.view().span());
  const auto [from, to] = *s.view().span();
  CHECK(from == Approx(9.0).margin(0.1));
  CHECK(to == Approx(20.0).margin(0.1));
  REQUIRE(QTest::qWaitFor(
      [&] {
        return s.window.readOut().contains(QStringLiteral("→")) &&
               !s.window.readOut().contains(QStringLiteral("from"));
      },
      3000));
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const book::ChannelTrace trace(book, book.capture(s.made.capture).channels.front());
  const SpanFigures f = measure(trace, from, to);
  const double u = combine(accuracy_components(parse_accuracy("0.08 % + 40 nA"), *f.mean())).U;
  const std::string text = s.window.readOut().toStdString();
  CHECK_THAT(text, Catch::Contains("mean " + with_uncertainty(*f.mean(), u, "A")));
  CHECK_THAT(text, Catch::Contains(with_uncertainty(f.charge, u * f.observed_s, "C")));
  CHECK_THAT(text, Catch::Contains("peak " + with_prefix(*f.max, "A", 3)));
  // Its ends are handles.
  s.drag(s.at(to), s.at(24.0));
  CHECK(s.view().span()->first == Approx(from));
  CHECK(s.view().span()->second == Approx(24.0).margin(0.1));
  QTest::keyClick(&s.window, Qt::Key_Z);
  CHECK(s.view().from() == Approx(from));
  QTest::keyClick(&s.window, Qt::Key_Escape);
  CHECK_FALSE(s.view().span());
  QTest::keyClick(&s.window, Qt::Key_Home);
  CHECK(s.view().to() == Approx(s.view().capture()->to_s));
}

TEST_CASE("the wheel zooms at the pointer, pans with Shift and zooms values with Ctrl") {
  Desk s;
  const double t = s.lane->timeAt(s.at(20).x()), width = s.view().to() - s.view().from();
  s.wheel(s.at(20), 3);
  CHECK(s.view().to() - s.view().from() == Approx(width * 0.512));
  CHECK(s.lane->timeAt(s.at(t).x()) == Approx(t).margin(0.1));
  CHECK(std::fabs(s.lane->pixelOf(t) - s.at(t).x()) < 1);
  const double from = s.view().from();
  s.wheel(s.at(20), -2, Qt::ShiftModifier);
  CHECK(s.view().from() > from);
  const auto range = s.lane->valueRange();
  s.wheel(s.at(20), 2, Qt::ControlModifier);
  CHECK(s.lane->valueRange().upper < range.upper);
  const double before = s.view().from();
  s.drag(s.at(20), s.at(20) + QPoint(60, 0), Qt::MiddleButton);
  CHECK(s.view().from() < before);
  QTest::keyClick(&s.window, Qt::Key_Left, Qt::AltModifier);
  CHECK(s.view().to() - s.view().from() == Approx(width));
  QTest::keyClick(&s.window, Qt::Key_Right, Qt::AltModifier);
  CHECK(s.view().to() - s.view().from() < width);
}

TEST_CASE("zoomed in far the samples themselves are shown, and the fan follows every zoom") {
  Desk s;
  const int uplink = s.first("Uplink");
  const double whole = s.fan->chargeRect(uplink).width();
  s.view().show(13.5, 15);
  s.frame();
  CHECK(s.fan->chargeRect(uplink).width() > 2 * whole);
  s.view().show(12.80, 12.86);
  s.frame();
  const auto* plot = qobject_cast<TracePlottable*>(s.lane->plottable(0));
  REQUIRE(plot->frame());
  CHECK(plot->frame()->points.size() > 50);
  CHECK(plot->frame()->columns.empty());
}

TEST_CASE("a visit picked in fan, ribbon, trace or ledger is picked in the others") {
  Desk s;
  const int uplink = s.first("Uplink"), locate = s.first("Locate", 20);
  SECTION("in the bar of charge") {
    QTest::mouseClick(s.fan, Qt::LeftButton, {}, s.fan->chargeRect(uplink).center().toPoint());
    CHECK(s.view().visit() == uplink);
    CHECK(s.ledger->currentIndex().data(LedgerModel::StateRole).toString() ==
          QStringLiteral("Uplink"));
    CHECK(s.log->model()->index(4, 0).data(LogModel::InsideRole).toBool());
    CHECK_FALSE(s.log->model()->index(3, 0).data(LogModel::InsideRole).toBool());
    CHECK(s.window.readOut().startsWith(QStringLiteral("Uplink")));
  }
  SECTION("in the ribbon") {
    QTest::mouseClick(s.fan, Qt::LeftButton, {}, s.fan->ribbonRect(locate).center().toPoint());
    CHECK(s.view().visit() == locate);
    CHECK(s.ledger->currentIndex().data(LedgerModel::StateRole).toString() ==
          QStringLiteral("Locate"));
  }
  SECTION("in the ledger") {
    const auto* model = qobject_cast<LedgerModel*>(s.ledger->model());
    const QModelIndex index = model->index(model->rowOf("Linger"), LedgerModel::Mean);
    QTest::mouseClick(s.ledger->viewport(), Qt::LeftButton, {},
                      s.ledger->visualRect(index).center());
    REQUIRE(s.view().visit() != ViewState::kNone);
    CHECK(s.visits()[static_cast<std::size_t>(s.view().visit())].visit.state == "Linger");
    CHECK(s.window.readOut().startsWith(QStringLiteral("Linger")));
  }
  SECTION("in the trace, and on by keys") {
    QTest::mouseClick(s.lane, Qt::LeftButton, {},
                      s.at(s.visits()[static_cast<std::size_t>(locate)].visit.from_s + 2));
    CHECK(s.view().visit() == locate);
    QTest::keyClick(&s.window, Qt::Key_Right, Qt::ControlModifier);
    CHECK(s.view().visit() == locate + 1);
    QTest::mouseDClick(s.lane, Qt::LeftButton, {},
                       s.at(s.visits()[static_cast<std::size_t>(locate)].visit.from_s + 2));
    CHECK(s.view().to() - s.view().from() == Approx(4.0 * 1.16).epsilon(0.01));
  }
  SECTION("in the log") {
    QTest::mouseClick(s.log->viewport(), Qt::LeftButton, {},
                      s.log->visualRect(s.log->model()->index(3, 1)).center());
    CHECK(s.visits()[static_cast<std::size_t>(s.view().visit())].visit.state == "Locate");
  }
}

TEST_CASE("pointing at a band lights its visit up") {
  Desk s;
  const int uplink = s.first("Uplink");
  QTest::mouseMove(s.fan, s.fan->chargeRect(uplink).center().toPoint());
  CHECK(s.view().pointed() == uplink);
  CHECK(s.window.readOut().startsWith(QStringLiteral("Uplink")));
}

TEST_CASE("another capture is shown by picking it, and errors are told without a dialog") {
  Desk s;
  auto* list = s.window.findChild<QListView*>(QStringLiteral("captures"));
  QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                    list->visualRect(list->model()->index(1, 0)).center());
  REQUIRE(QTest::qWaitFor([&] { return s.view().capture()->info.build == "1.1"; }, 3000));
  auto* message = s.window.findChild<QLabel*>(QStringLiteral("message"));
  s.window.openBook(QStringLiteral("/nowhere/none.kuvio"));
  REQUIRE(QTest::qWaitFor([&] { return message->isVisible(); }, 3000));
  CHECK(message->text().contains(QStringLiteral("no such book")));
}

TEST_CASE("a capture that is not split says what to do, and a recipe splits it") {
  Desk s(false);
  CHECK(s.visits().empty());
  CHECK(s.ledger->model()->rowCount() == 0);
  s.window.session().applyRecipe(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  REQUIRE(QTest::qWaitFor([&] { return s.ledger->model()->rowCount() == 7; }, 5000));
  s.window.session().applyRecipe(QStringLiteral("/nowhere.recipe.toml"));
  auto* message = s.window.findChild<QLabel*>(QStringLiteral("message"));
  REQUIRE(QTest::qWaitFor([&] { return message->isVisible(); }, 3000));
  CHECK(message->text().contains(QStringLiteral("no such file")));
}

TEST_CASE("a capture that grows is followed while the window is open") {
  Desk s;
  {
    book::Book book = book::Book::open(s.made.path, book::Book::Mode::write);
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 1000};
    book::CaptureWriter writer(book, {"later", "1.2", {}, false}, {channel});
    writer.append(0, 0, 1, std::vector<double>(2000, 1e-3));
    writer.finish("complete", false);
  }
  auto* list = s.window.findChild<QListView*>(QStringLiteral("captures"));
  REQUIRE(QTest::qWaitFor([&] { return list->model()->rowCount() == 3; }, 5000));
}

TEST_CASE("models hold to the rules of models, widgets have names, both scales and themes paint") {
  Desk s;
  const QAbstractItemModelTester captures(
      s.window.findChild<QListView*>(QStringLiteral("captures"))->model(),
      QAbstractItemModelTester::FailureReportingMode::Fatal);
  const QAbstractItemModelTester ledger(s.ledger->model(),
                                        QAbstractItemModelTester::FailureReportingMode::Fatal);
  const QAbstractItemModelTester log(s.log->model(),
                                     QAbstractItemModelTester::FailureReportingMode::Fatal);
  auto* list = s.window.findChild<QListView*>(QStringLiteral("captures"));
  list->setCurrentIndex(list->model()->index(1, 0));
  REQUIRE(QTest::qWaitFor([&] { return s.view().capture()->info.build == "1.1"; }, 3000));
  for (QWidget* w :
       std::initializer_list<QWidget*>{s.lane, s.fan, s.ledger, s.log, list,
                                       s.window.findChild<Overview*>(QStringLiteral("overview")),
                                       s.window.findChild<QPushButton*>(QStringLiteral("scale")),
                                       s.window.findChild<QLabel*>(QStringLiteral("readOut"))}) {
    CHECK_FALSE(w->accessibleName().isEmpty());
  }
  const QImage paper = s.window.grab().toImage();
  QTest::keyClick(&s.window, Qt::Key_L, Qt::ControlModifier);
  CHECK_FALSE(s.lane->logarithmic());
  s.window.setTheme(Theme::Kind::night);
  QCoreApplication::processEvents();
  const QImage night = s.window.grab().toImage();
  CHECK(qGray(paper.pixel(5, 400)) > 200);
  CHECK(qGray(night.pixel(5, 400)) < 60);
  s.window.setTheme(Theme::Kind::paper);
}
