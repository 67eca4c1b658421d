// SPDX-License-Identifier: GPL-3.0-or-later
// The pages under the traces: visits and transitions, on captures whose every visit is known.
#include "app/style/notebook_table.h"
#include "app/trace/ledger_model.h"
#include "app/trace/recipe_margin.h"
#include "app/trace/trace_desk.h"
#include "app/trace/visit_plot.h"
#include "app/trace/visits_model.h"
#include "app/trace/visits_page.h"
#include "app/trace/wait_plot.h"
#include "app/trace/ways_fan.h"
#include "app/trace/ways_model.h"
#include "app/trace/ways_page.h"
#include "book/notes.h"

#include "desk_fixture.h"
#include "made_rounds.h"
#include "wait_for.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QTabBar>

using namespace kuvio;
using namespace kuvio::test;

namespace {

/// The window on two builds of rounds, the one that dozes shown.
struct Rounds {
  test::Folder folder;
  std::string path = folder / "b.kuvio";
  MainWindow window;
  TraceDesk* desk = nullptr;

  /// `limit`: of the supply, a condition of the capture "old".
  explicit Rounds(const char* limit = nullptr) {
    {
      book::Book book = book::Book::open(path, book::Book::Mode::create);
      const auto recipe = formats::read_recipe(folder.write("r.recipe.toml", test::kRoundsRecipe));
      for (const bool dozes : {false, true}) {
        const auto id = add_rounds(book, dozes ? "new" : "old", dozes);
        book.save_split(id,
                        book::split_capture(book, book.capture(id), recipe.recipe, recipe.text));
      }
      if (limit) book::put(book, std::vector{book::condition_note(1, "current limit", limit)});
    }
    window.resize(1280, 800);
    window.show();
    QSignalSpy ready(&window, &MainWindow::ready);
    window.openBook(QString::fromStdString(path));
    REQUIRE((window.settled() || ready.wait(10000)));
    desk = window.findChild<TraceDesk*>();
  }
  ViewState& view() { return window.view(); }
  void showBuild(const char* build) {
    auto* list = child<QAbstractItemView>("captures");
    list->setCurrentIndex(list->model()->index(std::string(build) == "old" ? 0 : 1, 0));
    REQUIRE(test::wait_for([&] { return view().capture()->info.build == build; }));
  }
  template <typename T>
  T* child(const char* name) {
    T* out = window.findChild<T*>(QLatin1String(name));
    REQUIRE(out);
    return out;
  }
  QString text(const char* label) { return child<QLabel>(label)->text(); }
  std::string picked() { return view().pickedState(); }
};

}  // namespace

TEST_CASE("the visits page marks what is unlike the others and takes one to it") {
  Rounds w;
  w.showBuild("old");
  QTest::mouseClick(w.child<QTabBar>("accountTabs"), Qt::LeftButton, {},
                    w.child<QTabBar>("accountTabs")->tabRect(1).center());
  auto* table = w.child<NotebookTable>("visits");
  REQUIRE(table->isVisible());
  auto* states = w.child<QComboBox>("visitsOf");
  CHECK(states->currentText() == "Work");  // the most charge
  CHECK(table->model()->rowCount() == kRounds);

  states->setCurrentIndex(states->findText("Rest"));
  emit states->activated(states->currentIndex());
  CHECK(table->model()->rowCount() == kRounds + 1);
  CHECK_THAT(w.text("visitWords").toStdString(),
             Catch::Contains("25 visits, 23 whole; one is unlike the others: ") &&
                 Catch::Contains("(charge, mean, peak 3 × the usual)"));
  CHECK(table->model()->index(12, VisitsModel::Remark).data().toString().contains("3 ×"));
  CHECK(table->model()->index(0, VisitsModel::Remark).data().toString() == "cut");
  CHECK(table->model()->index(3, VisitsModel::Remark).data().toString().isEmpty());

  // By remark the odd one comes first; a click on it picks that visit and brings it into view.
  table->sortByColumn(VisitsModel::Remark, Qt::DescendingOrder);
  w.view().show(0, 2);
  QTest::mouseClick(table->viewport(), Qt::LeftButton, {},
                    table->visualRect(table->model()->index(0, VisitsModel::Charge)).center());
  REQUIRE(w.view().visit() == 24);
  CHECK(w.view().from() < 12.4);
  CHECK(w.view().to() > 12.4);
  QTest::keyClick(table, Qt::Key_Down);
  CHECK(w.view().visit() == 0);  // the cut ones come next

  // And from the trace: the page goes where the picked visit is.
  w.view().pickVisit(5);
  CHECK(states->currentText() == "Work");
  CHECK(table->currentIndex().row() >= 0);
}

TEST_CASE(
    "the dots of the visits can be picked, and charge per log number is worked out as typed") {
  Rounds w;
  w.showBuild("old");
  w.desk->showAccount(TraceDesk::Page::visits);
  auto* plot = w.child<VisitPlot>("visitPlot");
  const auto spread = plot->dotOf(3);
  REQUIRE(spread);
  QTest::mouseClick(plot, Qt::LeftButton, {}, spread->toPoint());
  REQUIRE(w.view().visit() >= 0);
  CHECK(w.picked() == "Work");

  QTest::keyClicks(w.child<QLineEdit>("chargePer"), "sent (\\d+) B");
  CHECK_THAT(w.text("chargePerWords").toStdString(), Catch::Contains("200.00") &&
                                                         Catch::Contains("each, 39.99999") &&
                                                         !Catch::Contains("no straight"));
  const auto first = plot->dotOf(1), fourth = plot->dotOf(7);
  REQUIRE((first && fourth));
  CHECK(first->x() < fourth->x());
  CHECK(first->y() > fourth->y());
  CHECK_FALSE(plot->dotOf(41));  // that one has no line
  QTest::keyClicks(w.child<QLineEdit>("chargePer"), "(");
  CHECK_THAT(w.text("chargePerWords").toStdString(), Catch::Contains("No expression"));
  w.child<QLineEdit>("chargePer")->setText("nothing like it");
  CHECK(w.text("chargePerWords") == "No log line holds it.");
  w.child<QLineEdit>("chargePer")->clear();
  CHECK(w.text("chargePerWords").isEmpty());
}

TEST_CASE("the transitions page tells what is new beside the reference and goes there") {
  Rounds w;
  w.showBuild("new");
  w.desk->showAccount(TraceDesk::Page::transitions);
  REQUIRE(test::wait_for([&] { return w.text("waysWords").contains("never in old"); }));
  CHECK_THAT(w.text("waysWords").toStdString(),
             Catch::Contains("Doze is never a state of old; Work to Doze: 6 of 24 exits, never in "
                             "old (24 exits)"));
  auto* table = w.child<NotebookTable>("ways");
  CHECK(table->model()->index(0, WaysModel::To).data().toString() == "Doze");
  CHECK(table->model()->index(0, WaysModel::Here).data().toString() == "6 of 24");
  CHECK(table->model()->index(0, WaysModel::There).data().toString() == "0 of 24");
  CHECK(table->model()->index(0, WaysModel::Remark).data().toString() == "new");

  auto* fan = w.child<WaysFan>("waysFan");
  const auto wide = fan->bandOf("Work", "Rest").boundingRect(),
             narrow = fan->bandOf("Work", "Doze").boundingRect();
  REQUIRE_FALSE(narrow.isEmpty());
  CHECK(fan->bandOf("Rest", "Doze").isEmpty());
  // As wide as it is frequent: 18 to 6.
  const auto height = [](const QPainterPath& band) {
    const auto p = band.toFillPolygon();
    double low = 1e9, high = -1e9;
    for (const QPointF& at : p) {
      if (at.x() > p.boundingRect().left() + 0.5) continue;
      low = std::min(low, at.y());
      high = std::max(high, at.y());
    }
    return high - low;
  };
  CHECK(height(fan->bandOf("Work", "Rest")) ==
        Approx(3 * height(fan->bandOf("Work", "Doze"))).epsilon(0.02));
  CHECK(wide.height() > narrow.height());

  // Each click goes to the next moment at which it happened.
  std::vector<int> went;
  for (int i = 0; i < 7; ++i) {
    // The middle of its room is the middle of the band.
    QTest::mouseClick(fan, Qt::LeftButton, {}, narrow.center().toPoint());
    went.push_back(w.view().visit());
    CHECK(w.picked() == "Doze");
  }
  CHECK(went[0] != went[1]);
  CHECK(went[6] == went[0]);  // six of them

  w.showBuild("old");
  REQUIRE(test::wait_for([&] { return w.text("waysWords").contains("is the reference"); }));
  CHECK(table->isColumnHidden(WaysModel::There));
}

TEST_CASE("the recipe's page shows a typical visit of each rule and tells what may not fit") {
  Rounds w;
  w.window.openFile(QString::fromStdString(w.folder / "r.recipe.toml"));
  w.showBuild("new");
  w.window.actions().find(QStringLiteral("showRecipe"))->trigger();
  const auto drawn = [&](const char* name) {
    auto* specimen = w.window.findChild<QWidget*>(QLatin1String(name));
    if (!specimen || !specimen->isVisible()) return false;
    const QImage image = specimen->grab().toImage();
    for (int x = 0; x < image.width(); ++x) {
      for (int y = 0; y < image.height(); ++y) {
        if (image.pixel(x, y) != image.pixel(0, 0)) return true;
      }
    }
    return false;
  };
  CHECK(test::wait_for([&] { return drawn("ruleSpecimen2"); }));  // of Work
  CHECK(drawn("ruleSpecimen1"));                                  // of Doze
  auto* status = w.child<QLabel>("recipeStatus");
  CHECK(test::wait_for([&] { return status->text().contains("Applied to this capture"); }));
  INFO(status->text().toStdString());
  CHECK_FALSE(status->text().contains("May not fit"));
  w.showBuild("old");
  CHECK(test::wait_for([&] { return !drawn("ruleSpecimen1"); }));  // no such visit there
  // The threshold under Work is drawn close to what Work draws at least, and both are split anew.
  const double near = (40e-6 + 0.2e-6 * 64) / 0.1 * 0.97;
  w.desk->recipe()->dragEdge(2, false, near, true);
  REQUIRE(test::wait_for([&] { return status->text().contains("Not yet applied"); }));
  w.window.actions().find(QStringLiteral("applyRecipeAll"))->trigger();
  CHECK(test::wait_for(
      [&] { return status->text().contains("May not fit: 6 of 24 visits to Work lie"); }));
}

TEST_CASE("the waits page tells how long a state is waited for, each wait a dot and a row") {
  Rounds w;
  w.showBuild("old");
  QTest::mouseClick(w.child<QTabBar>("accountTabs"), Qt::LeftButton, {},
                    w.child<QTabBar>("accountTabs")->tabRect(3).center());
  auto* table = w.child<NotebookTable>("waits");
  REQUIRE(table->isVisible());
  CHECK(w.text("waitWords") == "From what, and to which state?");
  auto* kind = w.child<QComboBox>("waitKind");
  auto* from = w.child<QComboBox>("waitFrom");
  auto* state = w.child<QComboBox>("waitState");
  CHECK(from->itemText(0) == "^sent");
  kind->setCurrentIndex(1);
  emit kind->activated(1);
  CHECK(from->itemText(0) == "^key pressed");
  state->setCurrentIndex(state->findText("Work"));
  emit state->activated(state->currentIndex());
  QTest::keyClicks(from->lineEdit(), "key");
  // A mark 250 ms before each work, and one half a second before that no other answers to.
  REQUIRE(test::wait_for([&] { return w.text("waitWords").startsWith("Work entered"); }));
  CHECK_THAT(w.text("waitWords").toStdString(),
             Catch::StartsWith("Work entered 24 of 25 times, after 250"));
  CHECK(table->model()->rowCount() == 25);
  int vain = 0;
  for (int row = 0; row < 25; ++row)
    vain += table->model()->index(row, 1).data().toString() == "not entered";
  CHECK(vain == 1);
  auto* plot = w.child<WaitPlot>("waitPlot");
  const auto dot = plot->dotOf(7);
  REQUIRE(dot);
  QTest::mouseClick(plot, Qt::LeftButton, {}, dot->toPoint());
  CHECK(w.picked() == "Work");
  CHECK(w.view().to() - w.view().from() < 1.0);
  // An expression that is none is told; a log line that is followed by the state a round later.
  from->lineEdit()->setText("(");
  REQUIRE(test::wait_for([&] { return w.text("waitWords").contains("missing )"); }));
  CHECK(table->model()->rowCount() == 0);
  kind->setCurrentIndex(2);
  emit kind->activated(2);
  CHECK(from->count() == 0);
}

TEST_CASE("another current is accounted for in the same visits, beside the first") {
  Rounds w;
  w.showBuild("old");
  auto* of = w.child<QComboBox>("ledgerOf");
  REQUIRE(of->isVisible());
  REQUIRE(of->count() == 2);
  CHECK(of->itemText(0) == "Charge of I");
  auto* table = w.child<NotebookTable>("ledger");
  CHECK(table->isColumnHidden(LedgerModel::OfAll));
  of->setCurrentIndex(1);
  emit of->activated(1);
  REQUIRE(test::wait_for([&] { return !table->isColumnHidden(LedgerModel::OfAll); }));
  const auto cell = [&](const QString& state, int column) {
    for (int row = 0; row < table->model()->rowCount(); ++row) {
      if (table->model()->index(row, LedgerModel::State).data().toString() == state)
        return table->model()->index(row, column).data().toString();
    }
    return QString();
  };
  CHECK(cell("Work", LedgerModel::OfAll).startsWith("50"));
  CHECK(cell("Work", LedgerModel::Visits) == "24");
  CHECK(table->model()->headerData(LedgerModel::OfAll, Qt::Horizontal, Qt::DisplayRole) == "of I");
  // It stays the one that is looked at, of the next capture too, until the first is chosen again.
  w.showBuild("new");
  REQUIRE(test::wait_for([&] { return cell("Doze", LedgerModel::OfAll).startsWith("1.0"); }));
  of->setCurrentIndex(0);
  emit of->activated(0);
  CHECK(table->isColumnHidden(LedgerModel::OfAll));
  CHECK_FALSE(cell("Doze", LedgerModel::Mean).isEmpty());
  w.desk->showAccount(TraceDesk::Page::visits);
  CHECK_FALSE(of->isVisible());
}

TEST_CASE("troubles are looked for when a capture is shown, told in the tab, and can be gone to") {
  Rounds w("900 uA");
  w.showBuild("new");
  w.showBuild("old");
  auto* tabs = w.child<QTabBar>("accountTabs");
  // Every fourth work is held, and falls to nothing after: a loop.
  REQUIRE(test::wait_for([&] { return tabs->tabText(4) == "Troubles: 2"; }));
  w.desk->showAccount(TraceDesk::Page::troubles);
  auto* table = w.child<NotebookTable>("troubles");
  const auto text = [&](int row) { return table->model()->index(row, 1).data().toString(); };
  const int held = text(0).startsWith("held") ? 0 : 1;
  CHECK_THAT(text(held).toStdString(), Catch::Contains("held at the supply's limit of 900") &&
                                           Catch::Contains("6 times until") &&
                                           Catch::Contains("in Work"));
  CHECK(text(1 - held).startsWith("reset loop: 6 starts"));
  CHECK(w.text("troublesWords").startsWith("No voltage was captured"));
  w.view().show(20, 21);
  QTest::mouseClick(table->viewport(), Qt::LeftButton, {},
                    table->visualRect(table->model()->index(held, 1)).center());
  CHECK(w.view().from() < 3.9);
  CHECK(w.view().to() > 24);
}
