// SPDX-License-Identifier: GPL-3.0-or-later
// Lanes, span, cursors and steps of the Trace desk, with real events.

#include "app/engine/trace_views.h"
#include "app/style/notebook_table.h"
#include "app/style/theme.h"
#include "app/style/total_strip.h"
#include "app/trace/ledger_model.h"
#include "app/trace/time_text.h"
#include "app/trace/trace_desk.h"
#include "book/channel_trace.h"
#include "core/running_integral.h"

#include "rich_fixture.h"

#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QRegularExpression>
#include <QSplitter>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

std::vector<std::string> names(std::initializer_list<const char*> list) {
  return {list.begin(), list.end()};
}

}  // namespace

TEST_CASE("lanes are reordered by their names, resized at their borders, hidden, and stay so") {
  RichWindow s;
  CHECK(s.lanes->laneNames() == names({"I", "V", "radio"}));
  // The second lane's name is dragged above the first.
  const QPoint name(40, s.lanes->laneRect(1).top() + 8);
  QTest::mousePress(s.lanes, Qt::LeftButton, {}, name);
  s.move({40, s.lanes->laneRect(0).center().y()}, Qt::LeftButton);
  QTest::mouseRelease(s.lanes, Qt::LeftButton, {}, {40, s.lanes->laneRect(0).center().y()});
  CHECK(s.lanes->laneNames() == names({"V", "I", "radio"}));
  s.settle();
  // The line below the first lane.
  const int before = s.lanes->laneRect(0).height();
  const QPoint border(400, s.lanes->laneRect(0).bottom() + 3);
  s.drag(border, border + QPoint(0, 60));
  CHECK(std::abs(s.lanes->laneRect(0).height() - before - 60) <= 6);
  s.move(s.at(20, 2));
  s.key(Qt::Key_H);
  CHECK(s.lanes->laneNames() == names({"V", "I"}));
  s.key(Qt::Key_H, Qt::ShiftModifier);
  CHECK(s.lanes->laneNames().size() == 3);
  s.settle();
  s.move(s.at(20, 1));
  s.key(Qt::Key_Up, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(s.lanes->laneNames() == names({"I", "V", "radio"}));
  s.settle();
  s.move(s.at(20, 0));
  s.key(Qt::Key_Down, Qt::ControlModifier | Qt::ShiftModifier);
  s.settle();
  // Another window on the book has them so.
  REQUIRE(s.wait([&] {
    const auto kept = book::Book::open(s.made.path, book::Book::Mode::read).note(0, "lanes");
    return kept && *kept == s.lanes->plan().saved().toStdString();
  }));
  s.open();
  CHECK(s.lanes->laneNames() == names({"V", "I", "radio"}));
}

TEST_CASE("lanes are chosen and moved by keys alone") {
  RichWindow s;
  s.key(Qt::Key_PageDown);  // shows which is chosen
  s.key(Qt::Key_PageDown);
  s.key(Qt::Key_Up, Qt::ControlModifier | Qt::ShiftModifier);
  CHECK(s.lanes->laneNames() == names({"V", "I", "radio"}));
  s.key(Qt::Key_Down, Qt::ControlModifier | Qt::ShiftModifier);  // still the same lane
  CHECK(s.lanes->laneNames() == names({"I", "V", "radio"}));
  s.key(Qt::Key_Up, Qt::ControlModifier | Qt::ShiftModifier);
  for (int i = 0; i < 4; ++i) s.key(Qt::Key_PageDown);
  s.key(Qt::Key_H);
  CHECK(s.lanes->laneNames() == names({"V", "I"}));
  s.key(Qt::Key_PageUp);
  s.key(Qt::Key_PageUp);
  s.key(Qt::Key_PageUp);
  CHECK(s.lanes->plan().lanes[s.lanes->chosenLane()].curves.front().channel == "V");
}

TEST_CASE("channels are laid over each other and taken apart, charge and mean have lanes") {
  RichWindow s;
  s.move(s.at(20, 1));
  s.run("laneOver");
  CHECK(s.lanes->laneNames() == names({"I", "radio"}));
  s.settle();
  s.move(s.at(20, 0));
  s.run("laneApart");
  CHECK(s.lanes->laneNames() == names({"I", "V", "radio"}));
  s.move(s.at(20, 0));
  s.run("chargeLane");
  REQUIRE(s.lanes->laneNames() == names({"I", "charge of I", "V", "radio"}));
  s.view().show(10, 45);
  s.settle();
  REQUIRE(s.lanes->curve(1));
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const book::ChannelTrace trace(book, book.find("first").channels.front());
  for (const TracePoint& p : s.lanes->curve(1)->points)
    CHECK(p.value == Approx(measure(trace, 0, p.time_s).charge).epsilon(1e-9).margin(1e-12));
  CHECK(s.lanes->curve(1)->points.size() > 500);
  // A mean over a window that is typed.
  s.move(s.at(20, 0));
  s.run("meanLane");
  auto* window = s.window->findChild<QLineEdit*>(QStringLiteral("window"));
  REQUIRE(window);
  window->setText(QStringLiteral("nonsense"));
  auto* accept = window->window()->findChild<QPushButton*>(QStringLiteral("accept"));
  accept->click();
  CHECK(s.lanes->laneNames().size() == 4);  // told, nothing added
  window->setText(QStringLiteral("2 s"));
  accept->click();
  REQUIRE(s.lanes->laneNames()[1] == "mean of I over 2\u2009s");
  s.settle();
  REQUIRE(s.lanes->curve(1));
  for (const TracePoint& p : s.lanes->curve(1)->points) {
    const auto right = measure(trace, p.time_s - 1, p.time_s + 1).mean();
    REQUIRE(right);
    CHECK(p.value == Approx(*right).epsilon(0.15).margin(2e-4));
  }
  s.move(s.at(20, 1));
  s.run("removeLane");
  CHECK(s.lanes->laneNames().size() == 4);
}

TEST_CASE("current that passes through zero has a scale for it, axes are free, fitted or fixed") {
  RichWindow s;
  s.settle();
  CHECK(s.lanes->scaleOf(0) == ValueScale::symlog);  // it is charged now and then
  const auto [low, high] = s.lanes->shownValues(0);
  CHECK(low < -1.9e-3);
  CHECK(high > 1e-2);
  s.move(s.at(20, 0));
  s.run("scaleLinear");
  CHECK(s.lanes->scaleOf(0) == ValueScale::linear);
  s.run("scaleLog");
  CHECK(s.lanes->scaleOf(0) == ValueScale::logarithmic);
  s.run("scaleLinear");
  s.run("axisFixed");
  auto* from = s.window->findChild<QLineEdit*>(QStringLiteral("axisLow"));
  auto* to = s.window->findChild<QLineEdit*>(QStringLiteral("axisHigh"));
  REQUIRE(from);
  from->setText(QStringLiteral("2 mA"));
  to->setText(QStringLiteral("-2 mA"));
  auto* accept = from->window()->findChild<QPushButton*>(QStringLiteral("accept"));
  accept->click();
  CHECK(s.lanes->shownValues(0).second > 1e-2);  // the wrong way round: told
  from->setText(QStringLiteral("-5 mA"));
  to->setText(QStringLiteral("20 mA"));
  accept->click();
  CHECK(s.lanes->shownValues(0).first == Approx(-5e-3));
  CHECK(s.lanes->shownValues(0).second == Approx(20e-3));
  s.view().show(20, 21);
  s.settle();
  CHECK(s.lanes->shownValues(0).first == Approx(-5e-3));  // whatever is seen
  s.run("axisSeen");
  CHECK(s.wait([&] { return s.lanes->shownValues(0).second < 19e-3; }));
  s.key(Qt::Key_F);
  s.run("axisCapture");
  CHECK(s.wait([&] { return s.lanes->shownValues(0).second > 19e-3; }));
}

TEST_CASE("gaps and flagged samples show at every zoom, in the picture too") {
  RichWindow s;
  for (const double width : {60.0, 20.0, 2.0, 0.2}) {
    s.view().show(40.02 - width / 2, 40.02 + width / 2);
    s.settle();
    const Curve* curve = s.lanes->curve(0, 0);
    REQUIRE(curve);
    REQUIRE(curve->flags.size() == 1);
    CHECK(curve->flags.front().flag == Flag::over_range);
    CHECK(curve->flags.front().samples == 50);
    QTest::qWait(60);
    const QImage picture = s.lanes->grab().toImage();
    const int x = static_cast<int>(
        std::lround(s.lanes->pixelOf(std::clamp(40.025, s.view().from(), s.view().to()))));
    const int top = s.lanes->laneRect(0).top();
    int accent = 0;
    for (int dx = -6; dx <= 6; ++dx) {
      for (int dy = 0; dy < 12; ++dy) {
        const QColor c = picture.pixelColor(x + dx, top + dy);
        accent += std::abs(c.red() - Theme::current().accent().red()) < 40 &&
                  std::abs(c.blue() - Theme::current().accent().blue()) < 40;
      }
    }
    CHECK(accent > 8);
  }
  s.view().showAll();
  s.settle();
  const Curve* curve = s.lanes->curve(0, 0);
  REQUIRE(curve->gaps.size() == 2);
  CHECK(curve->gaps[0].first == Approx(30));
  CHECK(curve->gaps[0].second == Approx(31));
  s.view().show(30.2, 30.8);  // nothing but the gap
  s.settle();
  CHECK(s.lanes->curve(0, 0)->gaps.size() == 1);
}

TEST_CASE("spans snap to whole cycles while they are dragged") {
  RichWindow s;
  s.key(Qt::Key_W);
  CHECK(s.view().wholeCycles());
  s.drag(s.at(5), s.at(26));
  REQUIRE(s.view().span());
  REQUIRE(s.view().cycles());
  const auto entry = [&](double t) {
    for (const VisitFigures& v : s.view().capture()->visits) {
      if (v.visit.state == s.view().cycles()->state && v.visit.from_s == t) return true;
    }
    return false;
  };
  CHECK(entry(s.view().span()->first));
  CHECK(entry(s.view().span()->second));
  CHECK(s.view().cycles()->cycles >= 2);
  REQUIRE(s.wait([&] { return s.window->readOut().contains(QStringLiteral("whole cycles of")); }));
  s.key(Qt::Key_W);  // as it was dragged
  CHECK_FALSE(s.view().cycles());
  CHECK(s.view().span()->first == Approx(5).margin(0.1));
}

TEST_CASE("two cursors are set by keys, dragged, and tell their differences") {
  RichWindow s;
  s.view().show(0, 20);
  s.settle();
  s.move(s.at(4.0));
  s.key(Qt::Key_1);
  s.move(s.at(9.0));
  s.key(Qt::Key_2);
  REQUIRE(s.view().cursor(0));
  REQUIRE(s.view().cursor(1));
  auto* line = s.child<QLabel>("cursorLine");
  REQUIRE(s.wait([&] { return line->text().contains(QStringLiteral("2 − 1:")); }));
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const book::ChannelTrace trace(book, book.find("first").channels.front());
  const double a = *value_at(trace, *s.view().cursor(0)), b = *value_at(trace, *s.view().cursor(1));
  CHECK(line->text().contains(QString::fromStdString("I " + with_prefix(a, "A", 4))));
  CHECK(line->text().contains(QString::fromStdString("I " + with_prefix(b - a, "A", 4))));
  // The second is taken by its number at the foot.
  const int foot = s.lanes->laneRect(2).bottom() - 6;
  const QPoint grip(static_cast<int>(s.lanes->pixelOf(*s.view().cursor(1))), foot);
  s.drag(grip, {s.at(15).x(), foot});
  CHECK(*s.view().cursor(1) == Approx(15).margin(0.05));
  CHECK_FALSE(s.view().span());
  s.run("spanCursors");
  REQUIRE(s.view().span());
  CHECK(s.view().span()->second == Approx(*s.view().cursor(1)));
  s.key(Qt::Key_Escape);
  CHECK(s.view().cursor(0));  // first the span
  s.key(Qt::Key_Escape);
  CHECK_FALSE(s.view().cursor(0));
  CHECK_FALSE(line->isVisible());
}

TEST_CASE("the distribution of the span stands beside it, adds up, and copies as a table") {
  RichWindow s;
  s.key(Qt::Key_D);
  auto* margin = s.child<SpreadMargin>("spreadMargin");
  s.drag(s.at(2), s.at(25));
  const auto [from, to] = *s.view().span();
  REQUIRE(s.wait([&] {
    return margin->spread() && margin->spread()->final && margin->spread()->request.from_s == from;
  }));
  const book::Book book = book::Book::open(s.made.path, book::Book::Mode::read);
  const book::ChannelTrace trace(book, book.find("first").channels.front());
  const SpanFigures right = measure(trace, from, to);
  const Distribution& d = margin->spread()->spread;
  double time = d.below_s + d.above_s, charge = d.charge_below + d.charge_above;
  for (const double t : d.time_s) time += t;
  for (const double c : d.charge) charge += c;
  CHECK(time == Approx(right.observed_s));
  CHECK(charge == Approx(right.charge).epsilon(1e-9));
  CHECK(margin->words().contains(QStringLiteral("of the time below")));
  CHECK(margin->words().contains(
      QString::fromStdString(with_prefix(*right.max - *right.min, "A", 4))));
  const QStringList rows = margin->table().trimmed().split(QLatin1Char('\n'));
  CHECK(rows.size() == static_cast<qsizetype>(d.time_s.size()) + 1);
  for (const char* choice : {"spreadBy", "spreadScale"})
    s.child<QComboBox>(choice)->setCurrentIndex(1);
  CHECK(s.child<QComboBox>("spreadBy")->currentText() == QStringLiteral("Share of charge"));
  CHECK_FALSE(s.child<QWidget>("spreadBars")->grab().isNull());
  // Whatever the window's height, what stands under the bars is neither cut nor covered.
  const auto* bars = s.child<SpreadBars>("spreadBars");
  const auto* words = s.child<QLabel>("spreadWords");
  int beside = 0, alone = 0;
  for (int height = 560; height <= 1100; height += 20) {
    s.window->resize(1280, height);
    QCoreApplication::processEvents();
    INFO(height);
    ++(bars->beside() ? beside : alone);
    if (bars->beside()) CHECK(bars->height() == bars->foot());
    CHECK(words->y() >= bars->geometry().bottom());
    CHECK(words->heightForWidth(words->width()) <= words->height());
  }
  CHECK(beside > 0);
  CHECK(alone > 0);
  // Live: the view has moved, without a span what is seen counts.
  s.key(Qt::Key_Escape);
  s.view().show(0, 10);
  CHECK(s.wait([&] { return margin->spread()->request.to_s == 10 && margin->spread()->final; }));
}

TEST_CASE("times are typed, marks, gaps and log matches stepped to") {
  RichWindow s;
  auto* edit = s.child<QLineEdit>("goTo");
  const auto type = [&](const char* text) {
    s.key(Qt::Key_G, Qt::ControlModifier);
    REQUIRE(edit->isVisible());
    edit->setText(QLatin1String(text));
    QTest::keyClick(edit, Qt::Key_Return);
  };
  type("12.5 .. +500 ms");
  CHECK(s.view().from() == Approx(12.5));
  CHECK(s.view().to() == Approx(13));
  CHECK_FALSE(edit->isVisible());
  type("0:45.25");
  CHECK((s.view().from() + s.view().to()) / 2 == Approx(45.25));
  CHECK(*s.view().pointer() == Approx(45.25));
  type("yesterday");
  CHECK(edit->isVisible());  // told, nothing moved
  CHECK(*s.view().pointer() == Approx(45.25));
  QTest::keyClick(edit, Qt::Key_Escape);
  s.lanes->setFocus();
  s.key(Qt::Key_M, Qt::ShiftModifier);
  CHECK(*s.view().pointer() == Approx(44.25));
  s.key(Qt::Key_M, Qt::ShiftModifier);
  CHECK(*s.view().pointer() == Approx(12.5));
  s.key(Qt::Key_M, Qt::ShiftModifier);  // round to the last
  CHECK(*s.view().pointer() == Approx(44.25));
  CHECK(s.window->message().contains(QStringLiteral("on to the last")));
  s.key(Qt::Key_M, Qt::ShiftModifier);
  s.key(Qt::Key_G);
  CHECK(*s.view().pointer() == Approx(30));
  s.key(Qt::Key_G);
  CHECK(*s.view().pointer() == Approx(40));
  s.child<QLineEdit>("logFilter")->setText(QStringLiteral("radio"));
  s.lanes->setFocus();
  s.key(Qt::Key_F3);
  CHECK(*s.view().pointer() == Approx(42.7));  // k = 28
  s.key(Qt::Key_F3, Qt::ShiftModifier);
  CHECK(*s.view().pointer() == Approx(36.7));
}

TEST_CASE("the log is filtered by text, expression and span, and bound to the trace both ways") {
  RichWindow s;
  auto* filter = s.child<QLineEdit>("logFilter");
  auto* log = s.child<NotebookTable>("log");
  const int all = log->model()->rowCount();
  CHECK(all == 42);  // and two marks
  filter->setText(QStringLiteral("radio o."));
  CHECK(log->model()->rowCount() == 0);  // as it is written
  s.child<QToolButton>("logExpression")->click();
  CHECK(log->model()->rowCount() == 10);
  CHECK(s.view().logMatches().size() == 10);
  filter->setText(QStringLiteral("tick (3|5)$"));
  CHECK(log->model()->rowCount() == 2);
  filter->setText(QStringLiteral("(("));
  CHECK(log->model()->rowCount() == all);  // not an expression: told, nothing is hidden
  CHECK(s.view().logMatches().empty());
  filter->clear();
  s.child<QToolButton>("logInSpan")->click();
  s.drag(s.at(10), s.at(20));
  const auto [from, to] = *s.view().span();
  CHECK(log->model()->rowCount() == 7);  // a mark among them
  for (int row = 0; row < log->model()->rowCount(); ++row) {
    const double t = log->model()->index(row, 0).data(LogModel::TimeRole).toDouble();
    CHECK(t >= from);
    CHECK(t <= to);
  }
  s.child<QToolButton>("logInSpan")->click();
  // Enter goes from match to match and round, Escape empties the filter, then leaves it.
  filter->setText(QStringLiteral("radio on"));
  s.view().show(0, 60);
  filter->setFocus();
  QTest::keyClick(filter, Qt::Key_Return);
  REQUIRE(s.view().pointer());
  const double first = *s.view().pointer();
  QTest::keyClick(filter, Qt::Key_Return);
  CHECK(*s.view().pointer() > first);
  QTest::keyClick(filter, Qt::Key_Return, Qt::ShiftModifier);
  CHECK(*s.view().pointer() == first);
  const auto matches = static_cast<int>(s.view().logMatches().size());
  for (int i = 0; i < matches; ++i) QTest::keyClick(filter, Qt::Key_Return);
  CHECK(s.window->message().contains(QStringLiteral("back at the first")));
  CHECK(filter->hasFocus());
  QTest::keyClick(filter, Qt::Key_Escape);
  CHECK(filter->text().isEmpty());
  CHECK(filter->hasFocus());
  QTest::keyClick(filter, Qt::Key_Escape);
  CHECK(s.lanes->hasFocus());
  // The list goes with what is shown.
  s.view().clearSpan();
  s.view().show(40, 50);
  int seen = 0;
  for (int row = 0; row < log->model()->rowCount(); ++row) {
    const QModelIndex index = log->model()->index(row, 0);
    const double t = index.data(LogModel::TimeRole).toDouble();
    if (t < 40 || t > 50) continue;
    ++seen;
    CHECK(log->viewport()->rect().contains(log->visualRect(index).center()));
  }
  CHECK(seen > 5);
  // A picked line is shown.
  s.view().show(50, 51);
  log->setCurrentIndex(log->model()->index(5, 0));
  const double t = log->model()->index(5, 0).data(LogModel::TimeRole).toDouble();
  CHECK(s.view().from() < t);
  CHECK(s.view().to() > t);
}

TEST_CASE("places are read as people type them") {
  const auto from = [](const char* text) {
    const auto p = parse_time_target(QString::fromUtf8(text), 10);
    return p ? p->from_s : -1;
  };
  CHECK(from("12.5") == 12.5);
  CHECK(from(" 350 ms ") == Approx(0.35));
  CHECK(from("1:02:03.25") == Approx(3723.25));
  CHECK(from("2:30") == 150);
  CHECK(from("+200 ms") == Approx(10.2));
  CHECK(from("\u22122 s") == Approx(8));
  for (const char* junk : {"", "x", "1:2:3:4", "1:75", "5 A", "..", "3 ..", "nan", "inf", "1e999"})
    CHECK_FALSE(parse_time_target(QString::fromUtf8(junk), 10));
  const auto stretch = parse_time_target(QStringLiteral("20 to 18"), 0);
  REQUIRE(stretch);
  CHECK(stretch->from_s == 18);
  CHECK(*stretch->to_s == 20);
}

TEST_CASE("a plan of lanes survives being kept, and nonsense is left out") {
  LanePlan plan;
  plan.lanes.push_back({{{"I"}, {"V"}}, true, 120, ValueScale::symlog, ValueFit::fixed, -1, 2});
  plan.lanes.push_back({{{"I", CurveForm::mean, 0.5}}, false, 0, {}, ValueFit::seen, 0, 1});
  plan.captures_apart = true;
  const LanePlan back = LanePlan::restored(plan.saved());
  CHECK(back.lanes == plan.lanes);
  CHECK(back.captures_apart);
  CHECK(LanePlan::restored("{\"lanes\":[{\"curves\":[]},{\"curves\":[{\"channel\":\"\"}]},7,"
                           "{\"curves\":[{\"channel\":\"I\",\"form\":\"mean\"}]}]}")
            .lanes.empty());
  CHECK(LanePlan::restored("junk").lanes.empty());
}

TEST_CASE("a clipped capture's life is at most so long, on the desk too") {
  RichWindow s;
  s.settle();
  s.window->setDesk(DeskId::lifetime);
  auto* from = s.child<QComboBox>("lifeCapture");
  auto* life = s.child<QLabel>("lifeCaptured");
  const auto is_bound = [&] { return life->text().startsWith(QStringLiteral("≤ ")); };
  const auto choose = [&](const char* capture) {
    from->setCurrentIndex(from->findText(QLatin1String(capture)));
    emit from->activated(from->currentIndex());
  };
  choose("first");  // fifty samples over range
  CHECK(s.wait(is_bound, 10000));
  choose("other");
  CHECK(s.wait([&] { return !is_bound(); }, 10000));
  choose("first");
  CHECK(s.wait(is_bound, 10000));
}

TEST_CASE("the ledger's columns are as wide as what stands in them, in every unit") {
  RichWindow s;
  s.settle();
  auto* ledger = s.child<NotebookTable>("ledger");
  const QFontMetricsF small(Theme::baseFont(11));
  for (const ChargeUnit unit : {ChargeUnit::coulomb, ChargeUnit::ampere_hour}) {
    auto* model = qobject_cast<LedgerModel*>(ledger->model());
    REQUIRE(model);
    s.window->findChild<TraceDesk*>()->setUnit(unit);
    const int total = model->rowCount() - 1;
    for (int row = 0; row < total; ++row) {
      for (const int column : {LedgerModel::Time, LedgerModel::Mean, LedgerModel::Charge,
                               LedgerModel::PerVisit, LedgerModel::Peak}) {
        const QString text = model->index(row, column).data().toString();
        INFO(text.toStdString());
        CHECK(ledger->columnWidth(column) >= small.horizontalAdvance(text) + 8);
      }
    }
    // Not wider than the ledger while there is room.
    CHECK(ledger->horizontalHeader()->length() <= ledger->viewport()->width());
  }
}

TEST_CASE("before it writes, an export says how much it would be") {
  RichWindow s;
  s.settle();
  s.view().setSpan(10, 20);
  s.window->actions().find(QStringLiteral("exportSamples"))->trigger();
  auto* dialog = s.child<QDialog>("exportDialog");
  const QString title = dialog->windowTitle();
  INFO(title.toStdString());
  CHECK(title.startsWith(QStringLiteral("Export span")));
  CHECK(title.contains(QRegularExpression(QStringLiteral("10.?000 samples"))));
  CHECK(title.contains(QRegularExpression(QStringLiteral("about [2-5]\\d\\d kB"))));
  dialog->reject();
}

TEST_CASE("the total stays in sight under however many states, in the ledger's columns") {
  RichWindow s;
  s.settle();
  auto* ledger = s.child<NotebookTable>("ledger");
  auto* total = s.child<TotalStrip>("ledgerTotal");
  const int last = ledger->model()->rowCount() - 1;
  CHECK(ledger->isRowHidden(last));
  CHECK_FALSE(ledger->isRowHidden(0));
  CHECK(total->isVisible());
  CHECK(total->accessibleName().contains(QStringLiteral("Whole capture")));
  CHECK(total->accessibleName().contains(ledger->model()->index(last, 4).data().toString()));
  CHECK(ledger->asText().contains(QStringLiteral("Whole capture")));  // copied as before
  // Sorted the other way, and made so low that rows scroll: it is still the last.
  ledger->sortByColumn(LedgerModel::State, Qt::DescendingOrder);
  CHECK(ledger->isRowHidden(last));
  s.child<QSplitter>("down")->setSizes({900, 0});
  QTest::qWait(50);
  CHECK(total->isVisible());
  CHECK(total->mapTo(s.window.get(), QPoint(0, 0)).y() >=
        ledger->mapTo(s.window.get(), QPoint(0, ledger->height())).y());
}

TEST_CASE("a click on the time axis writes moments the other way, a drag on it pans as before") {
  Opened s;
  s.frame();
  QAction* seconds = s.window.actions().find(QStringLiteral("timesInSeconds"));
  REQUIRE(seconds);
  REQUIRE_FALSE(seconds->isChecked());
  const QPoint axis(s.lane->width() / 2, s.lane->height() - 6);
  QTest::mouseClick(s.lane, Qt::LeftButton, {}, axis);
  CHECK(seconds->isChecked());
  s.view().show(5, 15);
  s.frame();
  const double from = s.view().from();
  s.drag(axis, axis + QPoint(-80, 0));
  CHECK(s.view().from() > from);
  CHECK(seconds->isChecked());  // not a click
  QTest::mouseClick(s.lane, Qt::LeftButton, {}, axis);
  CHECK_FALSE(seconds->isChecked());
}
