// SPDX-License-Identifier: GPL-3.0-or-later
// Hand edits on the Trace desk, by mouse and keyboard, with fan and ledger following.

#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/state_edits.h"
#include "app/trace/level_view.h"
#include "app/trace/recipe_margin.h"
#include "app/trace/rule_card.h"

#include "desk_fixture.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPointer>
#include <QPushButton>
#include <QRadioButton>
#include <QTabBar>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

std::size_t visits_to(Opened& s, const std::string& state) {
  std::size_t out = 0;
  for (const VisitFigures& v : s.visits()) out += v.visit.state == state;
  return out;
}

void closes(Opened& s) {
  double sum = 0;
  for (const LedgerRow& row : s.view().capture()->ledger->rows) sum += row.charge;
  CHECK(sum == Approx(s.view().capture()->ledger->charge));
  for (std::size_t i = 1; i < s.visits().size(); ++i)
    CHECK(s.visits()[i].visit.from_s == s.visits()[i - 1].visit.to_s);
}

bool edits_are(Opened& s, std::size_t n) {
  return s.wait([&] { return s.view().capture()->edits == n; });
}

}  // namespace

TEST_CASE("visits are cut, joined, pinned and undone by key, and the ledger always closes") {
  Opened s;
  const int uplink = s.first("Uplink");
  const Visit visit = s.visits()[static_cast<std::size_t>(uplink)].visit;
  s.view().setPointer(visit.from_s + 0.5);
  QTest::keyClick(s.lane, Qt::Key_C);
  REQUIRE(edits_are(s, 1));
  CHECK(visits_to(s, "Uplink") == 4);
  closes(s);
  s.view().pickVisit(uplink);
  QTest::keyClick(s.lane, Qt::Key_J);  // the two halves together again
  REQUIRE(edits_are(s, 2));
  CHECK(visits_to(s, "Uplink") == 3);
  s.view().pickVisit(uplink);
  QTest::keyClick(s.lane, Qt::Key_J, Qt::ShiftModifier);  // and with what was before it
  REQUIRE(edits_are(s, 3));
  CHECK(s.visits()[static_cast<std::size_t>(uplink - 1)].visit.state == "Uplink");
  closes(s);
  for (std::size_t left = 2;; --left) {
    QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
    REQUIRE(edits_are(s, left));
    if (left == 0) break;
  }
  CHECK(visits_to(s, "Uplink") == 3);
  CHECK_FALSE(s.window.session().history()->canUndo());
}

TEST_CASE("a visit is cut where the mouse stands in the ribbon, and nowhere else in the fan") {
  Opened s;
  const auto uplink = s.first("Uplink");
  const Visit visit = s.visits()[static_cast<std::size_t>(uplink)].visit;
  s.view().show(visit.from_s - 1, visit.to_s + 1);
  REQUIRE(s.wait([&] { return !s.fan->ribbonRect(uplink).isEmpty(); }));
  const auto point = [&](const QPointF& at) {
    QMouseEvent move(QEvent::MouseMove, at, s.fan->mapToGlobal(at), Qt::NoButton, Qt::NoButton,
                     Qt::NoModifier);
    QCoreApplication::sendEvent(s.fan, &move);
  };
  const QPointF middle = s.fan->ribbonRect(uplink).center();
  point(middle);
  REQUIRE(s.view().pointer());
  CHECK(*s.view().pointer() == Approx((visit.from_s + visit.to_s) / 2).margin(0.05));
  s.fan->setFocus();
  QTest::keyClick(s.fan, Qt::Key_C);
  REQUIRE(edits_are(s, 1));
  CHECK(visits_to(s, "Uplink") == 4);
  closes(s);
  // In the bar of charge x is no time: there is no place to cut at.
  point(QPointF(middle.x(), s.fan->height() - 4.0));
  CHECK_FALSE(s.view().pointer());
  point(middle);
  QEvent leave(QEvent::Leave);
  QCoreApplication::sendEvent(s.fan, &leave);
  CHECK_FALSE(s.view().pointer());
}

TEST_CASE("what cannot be edited is told, and nothing is changed") {
  Opened s;
  s.view().pickVisit(ViewState::kNone);
  QTest::keyClick(s.lane, Qt::Key_J);
  CHECK_THAT(s.window.message().toStdString(), Catch::Contains("Select a visit"));
  QTest::keyClick(s.lane, Qt::Key_N);
  CHECK_THAT(s.window.message().toStdString(), Catch::Contains("Mark a span"));
  s.view().pickVisit(0);
  QTest::keyClick(s.lane, Qt::Key_J, Qt::ShiftModifier);
  CHECK_THAT(s.window.message().toStdString(), Catch::Contains("neighbour"));
  CHECK(s.view().capture()->edits == 0);
}

TEST_CASE("a span is named as a state by hand, for itself alone") {
  Opened s;
  s.drag(s.at(2.0), s.at(5.0));
  REQUIRE(s.wait([&] { return s.window.readOut().contains(QStringLiteral("→")); }));
  QTest::keyClick(s.lane, Qt::Key_N);
  auto* dialog = s.child<QDialog>("nameSpan");
  auto* name = dialog->findChild<QComboBox*>(QStringLiteral("spanState"));
  QTest::keyClicks(name->lineEdit(), QStringLiteral("Odd"));
  QTest::mouseClick(dialog->findChild<QRadioButton*>(QStringLiteral("byHand")), Qt::LeftButton);
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("accept")), Qt::LeftButton);
  REQUIRE(edits_are(s, 1));
  CHECK(visits_to(s, "Odd") == 1);
  closes(s);
  CHECK(s.ledger->model()->rowCount() == 8);
}

TEST_CASE("a span named as a rule begins a recipe where there is none") {
  Opened s(false);
  CHECK(s.child<QWidget>("notSplit")->isVisible());
  s.drag(s.at(13.0), s.at(14.0));  // in the uplink, at 70 mA
  REQUIRE(s.wait([&] { return s.window.readOut().contains(QStringLiteral("mean 70")); }));
  QTest::keyClick(s.lane, Qt::Key_N);
  auto* dialog = s.child<QDialog>("nameSpan");
  QTest::keyClicks(dialog->findChild<QComboBox*>(QStringLiteral("spanState"))->lineEdit(),
                   QStringLiteral("Uplink"));
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("accept")), Qt::LeftButton);
  REQUIRE(s.wait([&] { return !s.visits().empty(); }));
  CHECK(visits_to(s, "Uplink") == 3);
  CHECK(visits_to(s, kUnassigned) == 4);
  CHECK_THAT(s.window.session().book()->document(book::DocumentKind::recipe)->text,
             Catch::Contains("name = \"Uplink\""));
  s.window.activateWindow();
  QTest::qWait(30);
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return s.visits().empty(); }));
  CHECK_FALSE(s.window.session().book()->document(book::DocumentKind::recipe));
}

TEST_CASE(
    "states are found at a press, each visit where it was made, and one undo takes all back") {
  Opened s(false);
  QPushButton* find = nullptr;
  for (auto* button : s.child<QWidget>("notSplit")->findChildren<QPushButton*>()) {
    if (button->text() == QStringLiteral("Find states")) find = button;
  }
  REQUIRE(find);
  QTest::mouseClick(find, Qt::LeftButton);
  REQUIRE(s.wait([&] { return !s.visits().empty(); }));
  REQUIRE(s.visits().size() == 18);
  double at = 0;
  for (std::size_t i = 0; i < 18; ++i) {
    const VisitFigures& v = s.visits()[i];
    CAPTURE(i, v.visit.state);
    CHECK(v.visit.state == s.visits()[i % 6].visit.state);
    CHECK(v.visit.from_s == Approx(at).margin(0.001));
    at += std::array{8.0, 0.04, 0.8, 4.0, 1.5, 2.0}[i % 6];
    CHECK(v.visit.to_s == Approx(at).margin(0.001));
  }
  CHECK(s.visits()[4].visit.state == "At 70 mA");
  CHECK(s.ledger->model()->rowCount() >= 6);
  CHECK(s.window.session().book()->document(book::DocumentKind::recipe));
  // One more, and one fewer, by the buttons of the recipe's page; each undone by itself.
  const auto states = [&] {
    const auto* text = s.window.session().book()->document(book::DocumentKind::recipe);
    return text ? formats::parse_recipe(text->text, "r").recipe.states.size() : std::size_t{0};
  };
  REQUIRE(states() == 6);
  auto* fewer = s.child<QPushButton>("fewerStates");
  s.window.actions().find(QStringLiteral("showRecipe"))->trigger();
  REQUIRE(s.wait([&] { return fewer->isVisible(); }));
  QTest::mouseClick(fewer, Qt::LeftButton);
  REQUIRE(s.wait([&] { return states() == 5; }));
  QTest::mouseClick(s.child<QPushButton>("moreStates"), Qt::LeftButton);
  REQUIRE(s.wait([&] { return states() == 6; }));
  for (const std::size_t after : {5u, 6u}) {
    s.window.activateWindow();
    QTest::qWait(30);
    QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
    REQUIRE(s.wait([&] { return states() == after; }));
  }
  s.window.activateWindow();
  QTest::qWait(30);
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return s.visits().empty(); }));
  CHECK_FALSE(s.window.session().book()->document(book::DocumentKind::recipe));
}

TEST_CASE("a span named as a rule changes the picture though another rule held it") {
  Opened s;
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  auto* session = &s.window.session();
  REQUIRE(s.wait([&] { return session->book()->document(book::DocumentKind::recipe) != nullptr; }));
  const double begin = s.visits()[static_cast<std::size_t>(s.first("Locate"))].visit.from_s;
  s.drag(s.at(begin + 0.5), s.at(begin + 3.0));  // at 28 mA, which the recipe calls Locate
  REQUIRE(s.wait([&] { return s.window.readOut().contains(QStringLiteral("mean 28")); }));
  QTest::keyClick(s.lane, Qt::Key_N);
  auto* dialog = s.child<QDialog>("nameSpan");
  QTest::keyClicks(dialog->findChild<QComboBox*>(QStringLiteral("spanState"))->lineEdit(),
                   QStringLiteral("Fix"));
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("accept")), Qt::LeftButton);
  REQUIRE(s.wait([&] { return visits_to(s, "Fix") == 3; }));
  CHECK(visits_to(s, "Locate") == 0);
  CHECK(s.window.message().contains(QStringLiteral("Fix now comes before Locate")));
  // The rule that lost its samples says who has them now.
  QLabel* why = nullptr;
  REQUIRE(s.wait([&] {
    for (auto* label : s.window.findChildren<QLabel*>()) {
      if (label->objectName().startsWith(QStringLiteral("ruleWhyNone")) && label->isVisible() &&
          label->text().contains(QStringLiteral("Fix")))
        why = label;
    }
    return why != nullptr;
  }));
  CHECK(s.lane->thresholds().size() >= 8);
  for (std::size_t i = 1; i < s.lane->thresholds().size(); ++i) {
    for (std::size_t j = 0; j < i; ++j)
      CHECK(s.lane->thresholds()[i].level != s.lane->thresholds()[j].level);
  }
}

TEST_CASE("what is typed into a rule is pencil: it reaches neither recipe nor ledger till Enter") {
  Opened s;
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  auto* session = &s.window.session();
  REQUIRE(s.wait([&] { return session->book()->document(book::DocumentKind::recipe) != nullptr; }));
  const std::string before = session->book()->document(book::DocumentKind::recipe)->text;
  const QString ledger = s.ledger->asText();
  QLineEdit* below = nullptr;
  REQUIRE(s.wait([&] {
    below = s.window.findChild<QLineEdit*>(QStringLiteral("rule0_below"));
    return below && below->isVisible();
  }));
  below->setFocus();
  below->selectAll();
  QTest::keyClicks(below, QStringLiteral("300"));
  CHECK(below->font().italic());
  for (const DeskInfo& desk : all_desks()) {  // leaving it is no yes
    s.window.setDesk(desk.id);
    QTest::qWait(30);
  }
  s.window.setDesk(DeskId::trace);
  QTest::qWait(100);
  CHECK(below->text() == QStringLiteral("300"));
  CHECK(session->book()->document(book::DocumentKind::recipe)->text == before);
  CHECK(s.ledger->asText() == ledger);
  CHECK(s.lane->thresholds().front().level == Approx(200e-6));
  s.window.activateWindow();
  below->setFocus();
  QTest::keyClick(below, Qt::Key_Return);  // in the field's own unit
  REQUIRE(s.wait([&] {
    return session->book()->document(book::DocumentKind::recipe)->text.find("300 uA") !=
           std::string::npos;
  }));
  CHECK(s.ledger->asText() == ledger);  // a recipe accounts for nothing until it splits
}

TEST_CASE("rules are put in another order by dragging and by key, undoable") {
  Opened s;
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  auto* session = &s.window.session();
  REQUIRE(s.wait([&] { return session->book()->document(book::DocumentKind::recipe) != nullptr; }));
  const auto names = [&] {
    QStringList out;
    for (const StateRule& r :
         formats::parse_recipe(session->book()->document(book::DocumentKind::recipe)->text, "r")
             .recipe.states)
      out << QString::fromStdString(r.name);
    return out;
  };
  const QStringList before = names();
  RuleGrip* grip = nullptr;
  REQUIRE(s.wait([&] {
    grip = s.window.findChild<RuleGrip*>(QStringLiteral("ruleGrip0"));
    return grip && grip->isVisible();
  }));
  grip->setFocus();
  QTest::keyClick(grip, Qt::Key_Down);
  REQUIRE(s.wait([&] { return names()[0] == before[1]; }));
  CHECK(names()[1] == before[0]);
  CHECK(s.child<RuleGrip>("ruleGrip1")->hasFocus());  // so that it can go on
  auto* third = s.child<QWidget>("rule2");
  const QPoint middle(8, 12);
  s.drag(middle, grip->mapFromGlobal(third->mapToGlobal(QPoint(8, third->height() - 4))),
         Qt::LeftButton, grip);
  REQUIRE(s.wait([&] { return names()[2] == before[1]; }));
  CHECK(names()[0] == before[0]);
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return names()[0] == before[1]; }));
  // What is tried on the picture goes with the panel.
  CHECK_FALSE(s.lane->thresholds().empty());
  s.child<QTabBar>("marginTabs")->setCurrentIndex(0);
  CHECK(s.lane->thresholds().empty());
}

TEST_CASE("an unassigned sliver that cannot be aimed at travels with the edge") {
  Opened s(false);
  // By hand: a level above, one below, and between them samples of neither.
  const auto wait = [&](std::size_t edits) { return edits_are(s, edits); };
  name_span(s.window.session(), s.made.capture, 0, 8.0, "Low");
  REQUIRE(wait(1));
  name_span(s.window.session(), s.made.capture, 8.002, 20.0, "High");
  REQUIRE(wait(2));
  s.frame();
  const int high = s.first("High");
  REQUIRE(high == 2);
  CHECK(s.visits()[1].visit.state == kUnassigned);
  CHECK(s.visits()[1].visit.length_s() == Approx(0.002));
  CHECK(s.fan->travelling(1) == std::pair(1, 2));
  CHECK(s.fan->travelling(2) == std::pair(1, 2));
  const QRectF ribbon = s.fan->ribbonRect(high);
  const QPoint at(static_cast<int>(std::lround(ribbon.left())),
                  static_cast<int>(ribbon.center().y()));
  s.drag(at, at + QPoint(60, 0), Qt::LeftButton, s.fan);
  REQUIRE(wait(4));
  const double moved = s.visits()[0].visit.to_s - 8.0;
  CHECK(moved > 1);
  CHECK(s.visits()[1].visit.state == kUnassigned);
  CHECK(s.visits()[1].visit.length_s() == Approx(0.002));
  CHECK(s.visits()[2].visit.from_s == Approx(8.002 + moved));
  closes(s);
  s.frame();
  const QRectF again = s.fan->ribbonRect(high);
  const QPoint back(static_cast<int>(std::lround(again.left())), at.y());
  s.drag(back, back - QPoint(90, 0), Qt::LeftButton, s.fan);
  REQUIRE(wait(6));
  CHECK(s.visits()[0].visit.to_s < 8);
  CHECK(s.visits()[1].visit.length_s() == Approx(0.002));
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);  // one step takes both back
  REQUIRE(wait(4));
  // Seen from near, it is a visit like any other.
  s.view().show(s.visits()[1].visit.from_s - 0.01, s.visits()[1].visit.to_s + 0.01);
  CHECK(s.wait([&] { return s.fan->travelling(2) == std::pair(2, 2); }));
}

TEST_CASE("the recipe is edited by form, by threshold and by text, each undoable") {
  Opened s;
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  auto* session = &s.window.session();
  REQUIRE(s.wait([&] { return session->book()->document(book::DocumentKind::recipe) != nullptr; }));
  const std::string original = session->book()->document(book::DocumentKind::recipe)->text;
  const auto text = [&] { return session->book()->document(book::DocumentKind::recipe)->text; };
  // By form: the counts of visits follow before anything is applied.
  QLineEdit* shortest = nullptr;
  REQUIRE(s.wait([&] {
    shortest = s.window.findChild<QLineEdit*>(QStringLiteral("rule7_join_gaps"));
    return shortest && shortest->isVisible();
  }));
  shortest->setFocus();
  shortest->selectAll();
  QTest::keyClicks(shortest, QStringLiteral("400 ms"));
  QTest::keyClick(shortest, Qt::Key_Return);
  REQUIRE(s.wait([&] { return text().find("join_gaps = \"400 ms\"") != std::string::npos; }));
  CHECK_THAT(text(), Catch::Contains("# left only above 260 uA"));  // its comments stay
  // A threshold is dragged; its release goes with it.
  auto* levels = s.child<LevelView>("levels");
  QTest::qWait(200);
  CHECK(levels->beside());  // the lane's own axis
  const QPoint from(30, static_cast<int>(std::lround(levels->pixelOf(200e-6))));
  s.drag(from, from - QPoint(0, 12), Qt::LeftButton, levels);
  REQUIRE(s.wait([&] { return text().find("below = \"200 uA\"") == std::string::npos; }));
  const Recipe dragged = formats::parse_recipe(text(), "r").recipe;
  CHECK(dragged.states[0].level.high > 210e-6);
  CHECK(dragged.states[0].level.release_high ==
        Approx(1.3 * dragged.states[0].level.high).epsilon(0.01));
  CHECK(dragged.states[1].level.low == dragged.states[0].level.high);  // they share that edge
  // The same on the trace, by the handle at the line's end.
  const auto shown = [&](double level) {
    return std::any_of(s.lane->thresholds().begin(), s.lane->thresholds().end(),
                       [&](const Threshold& t) { return t.level == Approx(level); });
  };
  const double now = dragged.states[0].level.high;
  REQUIRE(s.wait([&] { return shown(now); }));
  const QPoint handle(s.lane->currentLane().right() - 4,
                      static_cast<int>(std::lround(*s.lane->currentPixel(now))));
  s.drag(handle, handle + QPoint(0, 9), Qt::LeftButton, s.lane);
  REQUIRE(s.wait(
      [&] { return formats::parse_recipe(text(), "r").recipe.states[0].level.high < 0.9 * now; }));
  CHECK_FALSE(s.view().span());  // that was no span
  // By text: what is not valid is told with its line and kept out.
  QTest::mouseClick(s.child<QPushButton>("recipeText"), Qt::LeftButton);
  auto* source = s.child<QPlainTextEdit>("recipeSource");
  source->setPlainText(QStringLiteral("kuvio = \"recipe/1\"\nname = \"x\"\nsmoth = 1\n"));
  QTest::mouseClick(s.child<QPushButton>("recipeApplyText"), Qt::LeftButton);
  QTest::qWait(100);
  CHECK(formats::parse_recipe(text(), "r").recipe.states.size() == 8);
  for (int i = 0; i < 3; ++i) {
    QSignalSpy changed(session, &Session::changed);
    QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
    REQUIRE((changed.count() > 0 || changed.wait(5000)));
  }
  REQUIRE(s.wait([&] { return text() == original; }));
}

TEST_CASE("hand edits outlive the recipe's re-run, those without anchor are told and can go") {
  Opened s;
  const int uplink = s.first("Uplink");
  s.view().pickVisit(uplink);
  QTest::keyClick(s.lane, Qt::Key_F2);
  auto* dialog = s.child<QDialog>("visitDialog");
  auto* name = dialog->findChild<QComboBox*>(QStringLiteral("visitState"));
  name->lineEdit()->selectAll();
  QTest::keyClicks(name->lineEdit(), QStringLiteral("Burst"));
  QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("accept")), Qt::LeftButton);
  REQUIRE(edits_are(s, 1));
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::recipe) != nullptr; }));
  s.window.activateWindow();
  QTest::qWait(30);
  QTest::keyClick(&s.window, Qt::Key_Return, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return s.window.session().history()->count() == 3; }));
  CHECK(visits_to(s, "Burst") == 1);
  // A recipe that knows no Uplink takes the anchor away.
  const std::string other =
      "kuvio = \"recipe/1\"\nname = \"o\"\n[[state]]\nname = \"Low\"\nlevel = { below = \"1 mA\" "
      "}\n"
      "[[state]]\nname = \"High\"\nlevel = { above = \"1 mA\" }\n";
  s.window.openFile(QString::fromStdString(s.made.folder.write("o.recipe.toml", other)));
  REQUIRE(s.wait([&] {
    return s.window.session().book()->document(book::DocumentKind::recipe)->text == other;
  }));
  QTest::keyClick(&s.window, Qt::Key_Return, Qt::ControlModifier);
  REQUIRE(s.wait([&] { return s.view().capture()->conflicts.size() == 1; }));
  auto* review = s.child<QPushButton>("edits");
  CHECK_THAT(review->text().toStdString(), Catch::Contains("1 not applied"));
  QTest::mouseClick(review, Qt::LeftButton);
  QTest::mouseClick(
      s.child<QDialog>("editsDialog")->findChild<QPushButton*>(QStringLiteral("dropAll")),
      Qt::LeftButton);
  REQUIRE(edits_are(s, 0));
}

TEST_CASE("the list of hand edits follows what is undone beside it") {
  Opened s;
  s.view().pickVisit(s.first("Uplink"));
  QTest::keyClick(s.lane, Qt::Key_P);
  REQUIRE(edits_are(s, 1));
  s.view().pickVisit(s.first("Sense"));
  QTest::keyClick(s.lane, Qt::Key_P);
  REQUIRE(edits_are(s, 2));
  QTest::mouseClick(s.child<QPushButton>("edits"), Qt::LeftButton);
  QPointer<QDialog> dialog = s.child<QDialog>("editsDialog");
  const auto* list = dialog->findChild<QListWidget*>(QStringLiteral("edits"));
  REQUIRE(list->count() == 2);
  const QString first = list->item(0)->text();
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return list->count() == 1; }));
  CHECK(list->item(0)->text() == first);
  s.window.session().history()->undo();
  CHECK(s.wait([&] { return !dialog; }));
  CHECK(edits_are(s, 0));
}

TEST_CASE("a rule's card says what the rule asks for, and what it turned away") {
  Opened s;
  const std::string file = s.made.folder.write("radio.recipe.toml", R"(kuvio = "recipe/1"
name = "radio"
[[state]]
name = "Sleep"
level = { below = "200 uA" }
[[state]]
name = "Radio"
level = { above = "40 mA" }
must = { peak_above = "1 A" }
[[state]]
name = "{number}"
begins = { log = '^step at (?P<number>\d+)', offset = "100 ms" }
must = { length = { min = "3 s" } }
)");
  s.window.openFile(QString::fromStdString(file));
  auto* session = &s.window.session();
  REQUIRE(s.wait([&] {
    const auto document = session->book()->document(book::DocumentKind::recipe);
    return document && document->text.find("number") != std::string::npos;
  }));
  const auto label = [&](const char* name) {
    auto* found = s.window.findChild<QLabel*>(QLatin1String(name));
    return found ? found->text() : QString();
  };
  REQUIRE(s.wait([&] { return label("ruleWhyNone1").contains(QStringLiteral("3 stretches")); }));
  CHECK(label("ruleAsked1") == QStringLiteral("peak over 1.00\u2009A"));
  CHECK(label("ruleAsked2").contains(QStringLiteral("log line ^step at")));
  // Of 18 steps six last three seconds, and nobody knows how long the last one did.
  CHECK(label("ruleVisits2") == QStringLiteral("7 visits"));
  CHECK(label("ruleWhyNone2").contains(QStringLiteral("11 stretches began as {number}")));
  CHECK_FALSE(s.window.findChild<QLineEdit*>(QStringLiteral("rule2_above"))->isEnabled());
  s.window.actions().find(QStringLiteral("applyRecipe"))->trigger();
  REQUIRE(s.wait([&] { return visits_to(s, "0") == 1; }));
  CHECK(visits_to(s, "8840") == 1);  // where the first 28 mA began
}

TEST_CASE("finding states leaves a budget its recipe, and undone everything is as before") {
  Opened s;
  const auto recipe =
      formats::read_recipe(std::string(KUVIO_SOURCE) + "/examples/satchel.recipe.toml");
  const std::string budget =
      "kuvio = \"budget/1\"\nname = \"x\"\nrecipe = \"satchel.recipe.toml\"\n"
      "[[limit]]\nstate = \"Uplink\"\nmean_current = { max = \"80 mA\" }\n";
  s.window.session().put(
      "documents",
      {book::document_note(book::DocumentKind::recipe,
                           {"satchel.recipe.toml", "", recipe.text, ""}),
       book::document_note(book::DocumentKind::budget, {"x.budget.toml", "", budget, ""})});
  const std::string before = s.view().capture()->recipe_name;
  const auto ask = [&] {
    QSignalSpy ready(&s.window.session(), &Session::budgetReady);
    s.window.session().requestBudget();
    REQUIRE(ready.wait(10000));
    return ready.last()[0].value<BudgetViewPtr>();
  };
  find_states_of(s.window.session(), s.view().capture()->info.id);
  REQUIRE(s.wait([&] { return s.view().capture()->recipe_name != before; }));
  const BudgetViewPtr found = ask();
  CHECK(found->error.empty());
  REQUIRE(found->results.size() == 2);
  REQUIRE(found->results[0].limits[0].measured);
  CHECK(*found->results[0].limits[0].measured == Approx(70e-3).epsilon(0.01));
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return s.view().capture()->recipe_name == before; }));
  CHECK(ask()->error.empty());
}

TEST_CASE("a recipe splits the ticked captures, and all where none is ticked") {
  Opened s;
  auto* all = s.window.findChild<QPushButton*>(QStringLiteral("recipeApplyAll"));
  REQUIRE(all);
  CHECK(all->text() == "Split all");
  auto* list = s.window.findChild<QAbstractItemView*>(QStringLiteral("captures"));
  list->model()->setData(list->model()->index(1, 0), Qt::Checked, Qt::CheckStateRole);
  REQUIRE(s.wait([&] { return s.view().shown()->captures.size() == 2; }));
  CHECK(all->text() == "Split 2 ticked");
  find_states_of(s.window.session(), s.view().capture()->info.id);
  const std::string before = s.view().capture()->recipe_text;
  REQUIRE(s.wait([&] { return s.view().capture()->recipe_text != before; }));
  CHECK(s.view().shown()->captures[1]->recipe_text == before);
  s.window.actions().find(QStringLiteral("showRecipe"))->trigger();
  REQUIRE(s.wait([&] { return all->isVisible() && all->isEnabled(); }));
  QTest::mouseClick(all, Qt::LeftButton);
  CHECK(s.wait([&] {
    const auto& shown = s.view().shown()->captures;
    return shown.size() == 2 && shown[1]->recipe_text == shown[0]->recipe_text;
  }));
}
