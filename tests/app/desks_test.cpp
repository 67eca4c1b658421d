// SPDX-License-Identifier: GPL-3.0-or-later
// The desks on a made book: what they say, what they say when there is nothing, and what goes
// wrong.

#include "app/budget/limits_model.h"
#include "app/engine/desk_views.h"
#include "app/lifetime/life_plots.h"
#include "app/lifetime/round_dialog.h"
#include "app/shell/captures_list.h"
#include "app/style/field_note.h"
#include "app/style/widgets.h"
#include "app/trace/log_margin.h"
#include "book/sqlite.h"
#include "formats/project_text.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTabBar>
#include <QToolButton>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

void open_examples(Opened& s) {
  for (const char* name : {"satchel.battery.toml", "satchel.duty.toml", "satchel.budget.toml"}) {
    s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/") + QLatin1String(name));
    QTest::qWait(50);
  }
  REQUIRE(s.wait([&] { return s.window.session().book()->documents.size() == 4; }));
}

}  // namespace

TEST_CASE("each desk without anything to show says what to do next and offers it") {
  const test::Folder folder;
  MainWindow window;
  window.show();
  const auto empty = [&](const char* name) {
    auto* e = window.findChild<EmptyState*>(QLatin1String(name));
    REQUIRE(e);
    CHECK(e->isVisible());
    CHECK(e->findChild<QPushButton*>(QStringLiteral("offer0")));
    return e->text().toStdString();
  };
  CHECK_THAT(empty("empty"), Catch::Contains("No book is open"));
  window.openBook(QString::fromStdString(folder / "new.kuvio"), true);
  REQUIRE(test::wait_for([&] { return !window.session().path().isEmpty(); }));
  CHECK_THAT(empty("empty"), Catch::Contains("holds no captures"));
  for (const auto& [desk, name, words] :
       {std::tuple{DeskId::builds, "buildsEmpty", "No build yet"},
        std::tuple{DeskId::budget, "budgetEmpty", "No budget yet"},
        std::tuple{DeskId::lifetime, "lifetimeEmpty", "No life"}}) {
    window.setDesk(desk);
    CHECK_THAT(empty(name), Catch::Contains(words));
  }
  window.setDesk(DeskId::lifetime);
  auto* offer = window.findChild<EmptyState*>(QStringLiteral("lifetimeEmpty"))
                    ->findChild<QPushButton*>(QStringLiteral("offer0"));
  QTest::qWait(30);
  QTest::mouseClick(offer, Qt::LeftButton);
  CHECK(window.desk() == DeskId::bench);
}

TEST_CASE("a life on the Budget desk has an interval of its own law, in the command line's words") {
  constexpr double kDay = 86400;
  auto budget = std::make_shared<Budget>();
  Limit life;
  life.quantity = LimitQuantity::lifetime;
  life.min = 400 * kDay;
  budget->limits = {life};
  LimitResult result;
  result.limit = budget->limits.data();
  result.measured = 167 * kDay;
  result.U = 75 * kDay;
  result.low = 108 * kDay;
  result.high = 258 * kDay;
  result.verdict = Verdict::outside;
  auto view = std::make_shared<BudgetView>();
  view->budget = budget;
  view->builds = {"2.4.0"};
  view->results = {{{result}, Verdict::outside, {}}};
  view->troubles = {""};
  LimitsModel model;
  model.setView(view);
  const int last = model.columnCount() - 1;
  const auto text = [&](int column) {  // figures and units stand a thin space apart
    return model.index(0, column).data().toString().replace(QChar(0x2009), QLatin1Char(' '));
  };
  CHECK(text(last) == QStringLiteral("167 days (108 … 258 days)  ✗ outside"));
  CHECK(text(LimitsModel::Bound) == QStringLiteral("≥ 400 days"));
}

TEST_CASE("a file that is no book is told and the open one stays") {
  Opened s;
  const std::string junk = s.made.folder.write("junk.kuvio", "not a book");
  s.window.openBook(QString::fromStdString(junk));
  REQUIRE(s.wait([&] { return s.window.message().contains(QStringLiteral("not a Kuvio book")); }));
  s.window.openFile(QStringLiteral("/nowhere/x.toml"));
  CHECK_THAT(s.window.message().toStdString(), Catch::Contains("unknown file type"));
}

TEST_CASE("unlike captures are called out until they are accepted with a reason") {
  Opened s;
  {
    const book::Book book = book::Book::open(s.made.path, book::Book::Mode::write);
    book.database()
        .prepare("UPDATE condition SET value='3.3 V' WHERE capture=2 AND key='voltage'")
        .run();
  }
  s.window.setDesk(DeskId::builds);
  auto* banner = s.child<QWidget>("unlikeBanner");
  REQUIRE(s.wait([&] { return banner->isVisible(); }));
  CHECK_THAT(s.child<QLabel>("unlike")->text().toStdString(),
             Catch::Contains("voltage 3.6 V / 3.3 V"));
  CHECK_FALSE(s.child<QLabel>("sentence")->isEnabled());
  QTest::mouseClick(s.child<QPushButton>("compareAnyway"), Qt::LeftButton);
  CHECK_THAT(s.window.message().toStdString(), Catch::Contains("Give a reason"));
  QTest::keyClicks(s.child<QLineEdit>("unlikeReason"), QStringLiteral("end of discharge"));
  QTest::mouseClick(s.child<QPushButton>("compareAnyway"), Qt::LeftButton);
  REQUIRE(s.wait([&] {
    return s.child<QLabel>("unlike")->text().contains(QStringLiteral("end of discharge"));
  }));
  CHECK(s.child<QLabel>("sentence")->isEnabled());
}

TEST_CASE("the reference can be given to any build, and is kept and undone") {
  Opened s;
  auto* list = s.child<QListView>("captures");
  auto* model = qobject_cast<CapturesModel*>(list->model());
  CHECK(model->isReference(0));
  list->setCurrentIndex(model->index(1));
  QTest::keyClick(s.lane, Qt::Key_R);
  REQUIRE(s.wait([&] { return model->isReference(1); }));
  CHECK_FALSE(model->isReference(0));
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return model->isReference(0); }));
}

TEST_CASE("ticked captures are drawn together on one axis and stay ticked") {
  Opened s;
  auto* list = s.child<QListView>("captures");
  const QRect item = list->visualRect(list->model()->index(1, 0));
  QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                    CaptureDelegate::tickRect(item).center().toPoint());
  REQUIRE(s.wait([&] { return s.view().shown()->captures.size() == 2; }));
  CHECK(s.view().capture()->info.build == "1.0");  // the current one is still the first
  REQUIRE(s.wait([&] { return s.lane->curve(0, 1) != nullptr; }));
  REQUIRE(s.wait([&] {
    return book::Book::open(s.made.path, book::Book::Mode::read).note(0, "ticks") == "2";
  }));
  MainWindow again;
  again.show();
  again.openBook(QString::fromStdString(s.made.path));
  REQUIRE(
      s.wait([&] { return again.view().shown() && again.view().shown()->captures.size() == 2; }));
}

TEST_CASE("one control changes the unit of charge everywhere, and tables copy as text") {
  Opened s;
  const auto charge = [&] {
    return s.ledger->model()->index(0, LedgerModel::Charge).data().toString();
  };
  CHECK(charge().endsWith(QStringLiteral("C")));
  auto* unit = s.child<QComboBox>("unit");
  unit->setCurrentText(QStringLiteral("Ah"));
  CHECK(charge().endsWith(QStringLiteral("Ah")));
  for (int r = 0; r < s.ledger->model()->rowCount(); ++r) {
    for (const int c : {LedgerModel::Charge, LedgerModel::PerVisit})
      CHECK_FALSE(s.ledger->model()->index(r, c).data().toString().endsWith(QStringLiteral("mC")));
  }
  unit->setCurrentText(QStringLiteral("J"));
  CHECK(charge().endsWith(QStringLiteral("J")));
  s.ledger->setFocus();
  QTest::keyClick(s.ledger, Qt::Key_C, Qt::ControlModifier);
  const QStringList lines = QApplication::clipboard()->text().split(QLatin1Char('\n'));
  CHECK(lines.size() == s.ledger->model()->rowCount() + 2);
  CHECK(lines[0].startsWith(QStringLiteral("state\tvisits\ttime\tmean")));
  CHECK(lines[1].split(QLatin1Char('\t')).size() == LedgerModel::Columns);
  s.window.actions().find(QStringLiteral("copyTrace"))->trigger();
  CHECK(QApplication::clipboard()->image().width() == s.lane->width());
  s.window.actions().find(QStringLiteral("copyReadOut"))->trigger();
  CHECK(QApplication::clipboard()->text() == s.window.readOut());
  unit->setCurrentText(QStringLiteral("C"));
}

TEST_CASE("a budget's gauges say what the command line says, its text and its file stay in step") {
  Opened s;
  open_examples(s);
  s.window.setDesk(DeskId::budget);
  auto* limits = s.child<NotebookTable>("limits");
  REQUIRE(s.wait([&] { return limits->model()->rowCount() == 10; }));
  CHECK_THAT(limits->model()->index(0, 0).data().toString().toStdString(),
             Catch::Contains("Hibernate: mean current"));
  CHECK_THAT(limits->model()->index(0, 3).data().toString().toStdString(),
             Catch::Contains("within"));
  // The ledger tells it beside each state.
  CHECK(s.ledger->model()
            ->index(qobject_cast<LedgerModel*>(s.ledger->model())->rowOf("Hibernate"),
                    LedgerModel::Verdicts)
            .data()
            .toString() == QStringLiteral("✓ within"));
  // An invalid text names its line and leaves the rows as they were.
  QTest::mouseClick(s.child<QPushButton>("showFile"), Qt::LeftButton);
  auto* source = s.child<QPlainTextEdit>("budgetSource");
  QString text = source->toPlainText();
  source->setPlainText(QString(text).replace(QStringLiteral("\"4 uA\""), QStringLiteral("4")));
  QTest::mouseClick(s.child<QPushButton>("budgetApplyText"), Qt::LeftButton);
  CHECK_THAT(s.child<QLabel>("budgetError")->text().toStdString(),
             Catch::Contains("satchel.budget.toml:8") && Catch::Contains("no unit"));
  CHECK(limits->model()->rowCount() == 10);
  source->setPlainText(
      QString(text).replace(QStringLiteral("\"4 uA\""), QStringLiteral("\"1 uA\"")));
  QTest::mouseClick(s.child<QPushButton>("budgetApplyText"), Qt::LeftButton);
  REQUIRE(s.wait([&] {
    return limits->model()->index(0, 3).data().toString().contains(QStringLiteral("outside"));
  }));
  // Removing a limit is undone like everything else.
  limits->setCurrentIndex(limits->model()->index(1, 0));
  QTest::mouseClick(s.child<QPushButton>("removeLimit"), Qt::LeftButton);
  REQUIRE(s.wait([&] { return limits->model()->rowCount() == 9; }));
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return limits->model()->rowCount() == 10; }));
}

TEST_CASE("what a duty plan leaves out is told on the desks that go by it") {
  Opened s;
  open_examples(s);
  s.window.setDesk(DeskId::budget);
  auto* left_out = s.child<QLabel>("budgetLeftOut");
  auto* limits = s.child<NotebookTable>("limits");
  REQUIRE(s.wait([&] { return limits->model()->rowCount() == 10; }));
  CHECK_FALSE(left_out->isVisible());
  const std::string path = s.made.folder.write(
      "satchel.duty.toml",
      "kuvio = \"duty/1\"\nrest = \"Hibernate\"\n\n[[activity]]\nstates = [\"Wake\"]\n"
      "every = \"60 s\"\n");
  s.window.openFile(QString::fromStdString(path));
  auto* rests_on = s.child<QLabel>("lifeRestsOn");
  REQUIRE(s.wait([&] { return rests_on->text().contains(QStringLiteral("leaves out")); }));
  CHECK_THAT(rests_on->text().toStdString(), Catch::Contains("Scenario: "));
  s.window.setDesk(DeskId::budget);
  REQUIRE(s.wait([&] { return left_out->isVisible(); }));
  CHECK_THAT(left_out->text().toStdString(), Catch::StartsWith("The duty plan leaves out ") &&
                                                 Catch::Contains("Sense: ") &&
                                                 Catch::Contains("so nothing is within"));
}

TEST_CASE("a budget that changed on disk is told: reload or keep mine") {
  Opened s;
  for (const char* name :
       {"satchel.battery.toml", "satchel.duty.toml", "satchel.budget.toml", "satchel.recipe.toml"})
    QFile::copy(QStringLiteral(KUVIO_SOURCE "/examples/") + QLatin1String(name),
                QString::fromStdString(s.made.folder / name));
  const std::string path = s.made.folder / "satchel.budget.toml";
  QFile::setPermissions(QString::fromStdString(path), QFile::ReadOwner | QFile::WriteOwner);
  s.window.openFile(QString::fromStdString(path));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::budget) != nullptr; }));
  std::string text = s.window.session().book()->document(book::DocumentKind::budget)->text;
  text.replace(text.find("Satchel two-year budget"), 23, "A later budget");
  s.made.folder.write("satchel.budget.toml", text);
  s.window.setDesk(DeskId::trace);
  s.window.setDesk(DeskId::budget);
  auto* banner = s.child<QWidget>("diskBanner");
  REQUIRE(s.wait([&] { return banner->isVisible(); }));
  QTest::qWait(50);  // as laid out
  QTest::mouseClick(s.child<QPushButton>("reloadBudget"), Qt::LeftButton);
  REQUIRE(s.wait(
      [&] { return s.child<QLabel>("budgetTitle")->text() == QStringLiteral("A later budget"); }));
  REQUIRE(s.wait([&] { return !banner->isVisible(); }));
}

TEST_CASE("a life says the same as the engine, and its scenario can be put back") {
  Opened s;
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.battery.toml"));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::battery) != nullptr; }));
  s.window.setDesk(DeskId::lifetime);
  auto* captured = s.child<QLabel>("lifeCaptured");
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  std::vector<book::SplitCapture> one;
  one.push_back(book::load_split(book, book.capture(s.made.capture)));
  const FieldMean mean = captured_mean(book::pooled_ledger(one));
  const auto expected =
      life(formats::read_battery(KUVIO_SOURCE "/examples/satchel.battery.toml"), mean.mean);
  REQUIRE(s.wait([&] { return captured->text() == QString::fromStdString(life_time(*expected)); }));
  auto* scenario = s.child<QLabel>("lifeScenario");
  const QString before = scenario->text();
  auto* capacity = s.child<QLineEdit>("life_capacity");
  capacity->selectAll();
  QTest::keyClicks(capacity, QStringLiteral("2400 mAh"));
  QTest::keyClick(capacity, Qt::Key_Return);
  REQUIRE(s.wait([&] { return scenario->text() != before; }));
  CHECK(captured->text() == QString::fromStdString(life_time(*expected)));  // pinned
  capacity->selectAll();
  QTest::keyClicks(capacity, QStringLiteral("lots"));
  QTest::keyClick(capacity, Qt::Key_Return);
  CHECK_THAT(FieldNote::at(capacity).toStdString(), Catch::Contains("Value unchanged"));
  QTest::mouseClick(s.child<QPushButton>("resetScenario"), Qt::LeftButton);
  REQUIRE(s.wait([&] { return scenario->text() == before; }));
}

TEST_CASE("the scenario's point is dragged along the curve, in pencil until it is let go") {
  Opened s;
  s.window.setDesk(DeskId::lifetime);
  auto* curve = s.child<LifeCurve>("lifeCurve");
  REQUIRE(s.wait([&] { return curve->scenarioPoint().x() > 0; }));
  auto* life = s.child<QLabel>("lifeScenario");
  auto* interval = s.child<QLineEdit>("life_activity0");
  const QString before = life->text(), every = interval->text();
  const QPoint at = curve->scenarioPoint().toPoint();
  const auto scenario = [&] {
    return s.window.session().book()->document(book::DocumentKind::scenario_duty);
  };
  // Escape takes it back, and so does letting go where it was.
  QTest::mousePress(curve, Qt::LeftButton, {}, at);
  QMouseEvent move(QEvent::MouseMove, QPointF(at + QPoint(80, 0)),
                   curve->mapToGlobal(QPointF(at + QPoint(80, 0))), Qt::NoButton, Qt::LeftButton,
                   Qt::NoModifier);
  QCoreApplication::sendEvent(curve, &move);
  CHECK(life->text() == before);
  QTest::keyClick(curve, Qt::Key_Escape);
  QTest::mouseRelease(curve, Qt::LeftButton, {}, at + QPoint(80, 0));
  QTest::qWait(100);
  CHECK_FALSE(scenario());
  double wanted = 0;  // the interval that lies there
  for (double i = 1; i < 1e5 && wanted == 0; i *= 1.001) {
    if (curve->pointOf(i).x() >= at.x() + 80) wanted = i;
  }
  s.drag(at, at + QPoint(80, -20), Qt::LeftButton, curve);
  REQUIRE(s.wait([&] { return scenario() && interval->text() != every; }));
  REQUIRE(s.wait([&] { return life->text() != before; }));
  const double now = 1 / formats::parse_duty(scenario()->text, "t").activities[0].rate_hz;
  CHECK(now == Approx(wanted).epsilon(0.02));
  CHECK(std::fabs(curve->pointOf(now).y() - curve->scenarioPoint().y()) < 3);
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return life->text() == before; }));
}

TEST_CASE("activities are added and removed on the desk, and lives of all builds shown") {
  Opened s;
  s.window.setDesk(DeskId::lifetime);
  auto* life = s.child<QLabel>("lifeScenario");
  REQUIRE(s.wait([&] { return !life->text().isEmpty(); }));
  const auto plan = [&] {
    const auto* d = s.window.session().book()->document(book::DocumentKind::scenario_duty);
    return d ? formats::parse_duty(d->text, "t").activities.size() : 0;
  };
  QTest::mouseClick(s.child<QPushButton>("addActivity"), Qt::LeftButton);
  auto* dialog = s.child<RoundDialog>("roundDialog");
  auto* states = dialog->findChild<QListWidget*>(QStringLiteral("roundStates"));
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("roundAdd")), Qt::LeftButton);
  auto* trouble = dialog->findChild<QLabel*>(QStringLiteral("roundTrouble"));
  CHECK(trouble->text().contains(QStringLiteral("state")));
  INFO(states->count());
  const auto uplink = states->findItems(QStringLiteral("Uplink"), Qt::MatchExactly);
  REQUIRE(uplink.size() == 1);
  uplink[0]->setCheckState(Qt::Checked);
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("roundAdd")), Qt::LeftButton);
  CHECK(trouble->text().contains(QStringLiteral("15 min")));
  QTest::keyClicks(dialog->findChild<QLineEdit*>(QStringLiteral("roundInterval")),
                   QStringLiteral("10 min"));
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("roundAdd")), Qt::LeftButton);
  REQUIRE(s.wait([&] { return plan() > 1; }));
  const std::size_t with = plan();
  const QString name = QStringLiteral("removeActivity%1").arg(with - 1);
  QToolButton* last = nullptr;
  REQUIRE(s.wait([&] {
    last = s.window.findChild<QToolButton*>(name);
    return last && last->isVisible();
  }));
  // It is a scenario: no plan was made by it.
  CHECK_FALSE(s.window.session().book()->document(book::DocumentKind::duty));
  QTest::mouseClick(last, Qt::LeftButton);
  REQUIRE(s.wait([&] { return plan() == with - 1; }));
  s.child<QTabBar>("lifePictures")->setCurrentIndex(1);
  auto* lives = s.child<QWidget>("buildLives");
  CHECK(lives->isVisible());
  CHECK(lives->accessibleDescription().contains(QStringLiteral("1.0")));
  CHECK(lives->accessibleDescription().contains(QStringLiteral("1.1")));
}

TEST_CASE("a limit from a span is the state's only where the span lies in it") {
  Opened s;
  const Visit locate = s.visits()[static_cast<std::size_t>(s.first("Locate"))].visit;
  const auto form = [&](double from, double to) {
    s.window.setDesk(DeskId::trace);
    s.window.activateWindow();
    s.lane->setFocus();
    s.view().setSpan(from, to);
    REQUIRE(s.wait([&] { return s.window.readOut().contains(QStringLiteral("mean")); }));
    QTest::qWait(150);
    QTest::keyClick(s.lane, Qt::Key_L);
    INFO(s.window.message().toStdString());
    auto* dialog = s.child<QDialog>("limitDialog");
    return dialog;
  };
  const auto words = [](QDialog* dialog) {
    QStringList out;
    for (auto* box : dialog->findChildren<QComboBox*>()) out << box->currentText();
    return out;
  };
  QDialog* inside = form(locate.from_s + 0.1, locate.to_s - 0.1);
  CHECK(words(inside).contains(QStringLiteral("Locate")));
  QTest::keyClick(&s.window, Qt::Key_Insert);  // a second form is not opened over it
  CHECK(s.window.findChildren<QDialog*>(QStringLiteral("limitDialog")).size() == 1);
  inside->reject();
  CHECK(s.window.desk() == DeskId::trace);  // back where the span was marked
  REQUIRE(s.wait([&] { return !s.window.findChild<QDialog*>(QStringLiteral("limitDialog")); }));
  QDialog* across = form(locate.from_s - 0.5, locate.to_s - 0.1);
  CHECK_FALSE(words(across).contains(QStringLiteral("Locate")));
  across->reject();
}

TEST_CASE("the log is filtered, goes where a line is picked, and gives an edge to a visit") {
  Opened s;
  auto* filter = s.child<QLineEdit>("logFilter");
  QTest::keyClicks(filter, QStringLiteral("step at 1"));
  CHECK(s.log->model()->rowCount() > 0);
  CHECK(s.log->model()->rowCount() < 18);
  filter->clear();
  CHECK(s.log->model()->rowCount() == 18);
  const int locate = s.first("Locate");
  s.view().pickVisit(locate);
  const Visit before = s.visits()[static_cast<std::size_t>(locate)].visit;
  {
    const book::Book book = book::Book::open(s.made.path, book::Book::Mode::write);
    book.database()
        .prepare(
            "INSERT INTO log_line(capture, time_s, direction, text) VALUES(1, ?1, 'received', "
            "'fix')")
        .bind_all(before.to_s - 0.25)
        .run();
  }
  REQUIRE(s.wait([&] { return s.log->model()->rowCount() == 19; }));
  QTest::keyClicks(filter, QStringLiteral("fix"));
  s.log->setCurrentIndex(s.log->model()->index(0, 1));
  s.view().pickVisit(locate);
  s.log->actions().first()->trigger();
  REQUIRE(s.wait([&] { return s.view().capture()->edits == 1; }));
  CHECK(s.visits()[static_cast<std::size_t>(locate)].visit.to_s == Approx(before.to_s - 0.25));
}
