// SPDX-License-Identifier: GPL-3.0-or-later
// The real window, offscreen, with real mouse and key events.

#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"
#include "app/shell/foot_line.h"
#include "app/style/theme.h"
#include "book/channel_trace.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QAbstractItemModelTester>
#include <QHeaderView>
#include <QLabel>
#include <QListView>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

TEST_CASE("a book opens with its captures, ledger, log and fan") {
  Opened s;
  CHECK(s.window.findChild<QListView*>(QStringLiteral("captures"))->model()->rowCount() == 2);
  CHECK(s.view().capture()->visits.size() == 18);
  CHECK(s.ledger->model()->rowCount() == 7);
  CHECK(s.log->model()->rowCount() == 18);
  CHECK(s.window.windowTitle().startsWith(QStringLiteral("made.kuvio")));
  CHECK(s.fan->ribbonRect(0).width() > 50);
  CHECK(s.ledger->model()->index(6, LedgerModel::Share).data().toString() ==
        QStringLiteral("no gaps, none unassigned"));
}

TEST_CASE("a dragged span has the core's figures in the read-out line") {
  Opened s;
  s.drag(s.at(9.0), s.at(20.0));
  REQUIRE(s.view().span());
  const auto [from, to] = *s.view().span();
  CHECK(from == Approx(9.0).margin(0.1));
  CHECK(to == Approx(20.0).margin(0.1));
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const book::ChannelTrace trace(book, book.capture(s.made.capture).channels.front());
  const SpanFigures f = measure(trace, from, to);
  const double u = expand(accuracy_components(parse_accuracy("0.08 % + 40 nA"), *f.mean())).U;
  // While dragging the figures of the last reading stay; then those of the span are there.
  const QString mean = QString::fromStdString("mean " + with_uncertainty(*f.mean(), u, "A"));
  REQUIRE(s.wait([&] { return s.window.readOut().contains(mean); }));
  const std::string text = s.window.readOut().toStdString();
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
  Opened s;
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
  Opened s;
  const int uplink = s.first("Uplink");
  const double whole = s.fan->chargeRect(uplink).width();
  s.view().show(13.5, 15);
  REQUIRE(s.wait([&] { return s.fan->chargeRect(uplink).width() > 2 * whole; }));
  s.view().show(12.80, 12.86);
  REQUIRE(s.wait([&] { return s.lane->curve() && s.lane->curve()->points.size() > 50; }));
  const Curve* curve = s.lane->curve();
  CHECK(curve->columns.empty());
}

TEST_CASE("the ledger's bars follow every zoom with the fan") {
  Opened s;
  auto* model = qobject_cast<LedgerModel*>(s.ledger->model());
  const auto seen = [&](const char* state) { return model->seenShare(state).value_or(-1); };
  // All of it is seen: the bars are those of the whole capture.
  REQUIRE(s.wait([&] { return model->seenShare("Uplink").has_value(); }));
  const auto share = [&](const char* state) {
    return model->index(model->rowOf(state), LedgerModel::Share).data(ShareRole).toDouble();
  };
  for (const char* state : {"Uplink", "Locate", "Linger"})
    CHECK(seen(state) == Approx(share(state)).epsilon(1e-6));
  // One visit to Uplink alone, then that with what comes after it.
  const Visit uplink = s.visits()[static_cast<std::size_t>(s.first("Uplink"))].visit;
  s.view().show(uplink.from_s + 0.1, uplink.to_s - 0.1);
  REQUIRE(s.wait([&] { return seen("Uplink") == Approx(1); }));
  CHECK(seen("Locate") == 0);
  s.view().show(uplink.to_s - 0.5, uplink.to_s + 1.5);
  REQUIRE(s.wait([&] { return seen("Linger") > 0.05; }));
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const book::ChannelTrace trace(book, book.capture(s.made.capture).channels.front());
  const double all = measure(trace, s.view().from(), s.view().to()).charge,
               linger = measure(trace, uplink.to_s, s.view().to()).charge;
  CHECK(seen("Linger") == Approx(linger / all).epsilon(1e-6));
  const QModelIndex cell = model->index(model->rowOf("Linger"), LedgerModel::Share);
  CHECK(cell.data(SeenRole).toDouble() == Approx(linger / all).epsilon(1e-6));
  CHECK(cell.data(Qt::ToolTipRole).toString().contains(QStringLiteral("in view")));
  CHECK_FALSE(s.ledger->grab().isNull());
}

TEST_CASE("a visit picked in fan, ribbon, trace or ledger is picked in the others") {
  Opened s;
  const int uplink = s.first("Uplink"), locate = s.first("Locate", 20);
  SECTION("in the bar of charge") {
    QTest::mouseClick(s.fan, Qt::LeftButton, {}, s.fan->chargeRect(uplink).center().toPoint());
    CHECK(s.view().visit() == uplink);
    CHECK(s.ledger->currentIndex().data(StateRole).toString() == QStringLiteral("Uplink"));
    CHECK(s.log->model()->index(4, 0).data(LitRole).toBool());
    CHECK_FALSE(s.log->model()->index(3, 0).data(LitRole).toBool());
    CHECK(s.window.readOut().startsWith(QStringLiteral("Uplink")));
  }
  SECTION("in the ribbon") {
    QTest::mouseClick(s.fan, Qt::LeftButton, {}, s.fan->ribbonRect(locate).center().toPoint());
    CHECK(s.view().visit() == locate);
    CHECK(s.ledger->currentIndex().data(StateRole).toString() == QStringLiteral("Locate"));
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
    QTest::keyClick(s.lane, Qt::Key_Right);
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
  Opened s;
  const int uplink = s.first("Uplink");
  QTest::mouseMove(s.fan, s.fan->chargeRect(uplink).center().toPoint());
  CHECK(s.view().pointed() == uplink);
  CHECK(s.window.readOut().startsWith(QStringLiteral("Uplink")));
}

TEST_CASE("another capture is shown by picking it, and errors are told without a dialog") {
  Opened s;
  auto* list = s.window.findChild<QListView*>(QStringLiteral("captures"));
  QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                    list->visualRect(list->model()->index(1, 0)).center());
  REQUIRE(test::wait_for([&] { return s.view().capture()->info.build == "1.1"; }, 3000));
  s.window.openBook(QStringLiteral("/nowhere/none.kuvio"));
  REQUIRE(s.wait([&] { return s.window.message().contains(QStringLiteral("no such book")); }));
}

TEST_CASE("a capture that is not split says what to do, and a recipe splits it") {
  Opened s(false);
  CHECK(s.visits().empty());
  CHECK(s.ledger->model()->rowCount() == 0);
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::recipe) != nullptr; }));
  QTest::keyClick(s.lane, Qt::Key_Return, Qt::ControlModifier);
  REQUIRE(test::wait_for([&] { return s.ledger->model()->rowCount() == 7; }));
  s.window.openFile(QStringLiteral("/nowhere.recipe.toml"));
  REQUIRE(s.wait([&] { return s.window.message().contains(QStringLiteral("no such file")); }));
}

TEST_CASE("a capture that grows is followed while the window is open") {
  Opened s;
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
  REQUIRE(test::wait_for([&] { return list->model()->rowCount() == 3; }));
}

TEST_CASE("models hold to the rules of models, widgets have names, both scales and themes paint") {
  Opened s;
  const QAbstractItemModelTester captures(
      s.window.findChild<QListView*>(QStringLiteral("captures"))->model(),
      QAbstractItemModelTester::FailureReportingMode::Fatal);
  const QAbstractItemModelTester ledger(s.ledger->model(),
                                        QAbstractItemModelTester::FailureReportingMode::Fatal);
  const QAbstractItemModelTester log(s.log->model(),
                                     QAbstractItemModelTester::FailureReportingMode::Fatal);
  auto* list = s.window.findChild<QListView*>(QStringLiteral("captures"));
  list->setCurrentIndex(list->model()->index(1, 0));
  REQUIRE(test::wait_for([&] { return s.view().capture()->info.build == "1.1"; }, 3000));
  for (QWidget* w :
       std::initializer_list<QWidget*>{s.lane, s.fan, s.ledger, s.log, list,
                                       s.window.findChild<QWidget*>(QStringLiteral("overview")),
                                       s.window.findChild<QWidget*>(QStringLiteral("readOut"))}) {
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

TEST_CASE("moments are written in one way, as a clock or in seconds, everywhere at once") {
  Opened s;
  s.view().pickVisit(s.first("Uplink"));
  const auto first_time = [&] {
    return s.log->model()->index(3, LogModel::Time).data().toString();
  };
  CHECK(s.window.readOut().contains(QStringLiteral("0:12.840")));
  CHECK(first_time() == QStringLiteral("0:08.840"));
  s.window.actions().find(QStringLiteral("timesInSeconds"))->trigger();
  CHECK(s.window.readOut().contains(QStringLiteral("12.840\u2009s")));
  CHECK(first_time() == QStringLiteral("8.840\u2009s"));
  const QFontMetricsF metrics(Theme::baseFont(12));
  CHECK(s.log->columnWidth(LogModel::Time) >= figuresWidth(metrics, first_time()));
  s.window.actions().find(QStringLiteral("timesInSeconds"))->trigger();
  CHECK(first_time() == QStringLiteral("0:08.840"));
}

TEST_CASE("the foot tells what is under the pointer, the lane there first") {
  Opened s;
  QTest::mouseMove(s.lane, s.at(13.5));
  auto* instant = s.child<FootLine>("instant");
  REQUIRE(s.wait([&] { return instant->text().contains(QStringLiteral("mA")); }));
  CHECK_THAT(instant->text().toStdString(),
             Catch::Contains("0:13.") && (Catch::Contains("70.") || Catch::Contains("69.")));
  QTest::mouseMove(s.fan, {5, 2});
  s.view().setPointer(std::nullopt);
  CHECK(s.wait([&] { return instant->text().isEmpty(); }));
}

TEST_CASE("the ledger is sorted by its numbers, the whole capture last, and copied as numbers") {
  Opened s;
  const auto column = [&](int c) {
    QStringList out;
    for (int r = 0; r < s.ledger->model()->rowCount(); ++r)
      out << s.ledger->model()->index(r, c).data().toString();
    return out;
  };
  const QStringList as_made = column(LedgerModel::State);
  CHECK(as_made.last() == QStringLiteral("Whole capture"));
  s.ledger->sortByColumn(LedgerModel::Mean, Qt::AscendingOrder);
  CHECK(column(LedgerModel::State).first() == QStringLiteral("Hibernate"));
  CHECK(column(LedgerModel::State).last() == QStringLiteral("Whole capture"));
  s.ledger->sortByColumn(LedgerModel::State, Qt::DescendingOrder);
  CHECK(column(LedgerModel::State).first() == QStringLiteral("Wake"));
  s.ledger->sortByColumn(LedgerModel::Charge, Qt::DescendingOrder);
  CHECK(column(LedgerModel::State) == as_made);
  // 3 uplinks of 1.5 s at 70 mA.
  const QStringList lines = s.ledger->asNumbers().split(QLatin1Char('\n'));
  const QStringList titles = lines.first().split(QLatin1Char('\t'));
  const QString* uplink = nullptr;
  for (const QString& line : lines) {
    if (line.startsWith(QStringLiteral("Uplink"))) uplink = &line;
  }
  REQUIRE(uplink);
  const QStringList cells = uplink->split(QLatin1Char('\t'));
  const auto number = [&](const char* title) {
    const auto at = titles.indexOf(QLatin1String(title));
    INFO(title);
    REQUIRE(at >= 0);
    return cells[at].toDouble();
  };
  CHECK(number("mean_A") == Approx(70e-3).epsilon(1e-3));
  CHECK(number("charge_C") == Approx(3 * 1.5 * 70e-3).epsilon(1e-3));
  CHECK(number("per visit_C") == Approx(1.5 * 70e-3).epsilon(1e-3));
  // 0.08 % and 40 nA, each a bound: 95 % of their sum in quadrature is about 1.1 of the larger.
  CHECK(number("mean_U_A") == Approx(0.0008 * 70e-3 * 0.95).epsilon(0.05));
}

TEST_CASE(
    "a ledger without room leaves columns out, never parts of numbers, chosen ones stay out") {
  Opened s;
  for (const int width : {1024, 1280, 1900}) {
    s.window.resize(width, 700);
    QTest::qWait(50);
    INFO(width);
    if (width >= 1280)
      CHECK(s.ledger->horizontalHeader()->length() <= s.ledger->viewport()->width());
    const QFontMetricsF small(Theme::baseFont(11));
    for (int c = 0; c < LedgerModel::Columns; ++c) {
      if (s.ledger->isColumnHidden(c) || c == LedgerModel::Share) continue;
      for (int r = 0; r + 1 < s.ledger->model()->rowCount(); ++r) {
        const QString text = s.ledger->model()->index(r, c).data().toString();
        CHECK(s.ledger->columnWidth(c) >= small.horizontalAdvance(text));
      }
    }
  }
  CHECK_FALSE(s.ledger->isColumnHidden(LedgerModel::Least));
  s.ledger->setUnwanted({LedgerModel::Least, LedgerModel::Visits});
  CHECK(s.ledger->isColumnHidden(LedgerModel::Least));
  CHECK(s.ledger->isColumnHidden(LedgerModel::Visits));
  s.ledger->setUnwanted({});
  CHECK_FALSE(s.ledger->isColumnHidden(LedgerModel::Least));
}
