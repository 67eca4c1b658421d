// SPDX-License-Identifier: GPL-3.0-or-later
// The captures: grouped, filtered, a line each; described, deleted and put back.

#include "app/shell/captures_panel.h"

#include "app/engine/book_view.h"
#include "app/shell/capture_dialog.h"
#include "app/style/field_note.h"
#include "book/notes.h"

#include "desk_fixture.h"

#include <QLineEdit>
#include <QPlainTextEdit>

using namespace kuvio;
using namespace kuvio::app;
using test::Opened;

namespace {

BookViewPtr book_of(const std::vector<std::pair<std::string, std::string>>& captures) {
  auto book = std::make_shared<BookView>();
  std::int64_t id = 0;
  for (const auto& [build, board] : captures) {
    CaptureRow row;
    row.info.id = ++id;
    row.info.name = build + " #" + std::to_string(id);
    row.info.build = build;
    if (!board.empty()) row.info.conditions["board"] = board;
    book->rows.push_back(row);
    if (std::find(book->builds.begin(), book->builds.end(), build) == book->builds.end())
      book->builds.push_back(build);
  }
  return book;
}

QStringList shown(const CapturesModel& model) {
  QStringList out;
  for (int i = 0; i < model.rowCount(); ++i)
    out << (model.isHeading(i) ? QStringLiteral("== ") : QString()) +
               model.index(i).data().toString();
  return out;
}

}  // namespace

TEST_CASE("captures of one build stand together, under a heading only where that says something") {
  CapturesModel model;
  model.setBook(book_of({{"1.0", ""}, {"1.1", ""}}));
  CHECK(shown(model) == QStringList{QStringLiteral("1.0 #1"), QStringLiteral("1.1 #2")});
  model.setBook(book_of({{"1.0", "7"}, {"1.1", "7"}, {"1.0", "8"}}));
  CHECK(shown(model) == QStringList{QStringLiteral("== 1.0 · R"), QStringLiteral("1.0 #1"),
                                    QStringLiteral("1.0 #3"), QStringLiteral("== 1.1"),
                                    QStringLiteral("1.1 #2")});
  CHECK(model.rowOf(3) == 2);
  CHECK(model.row(0) == nullptr);
  CHECK_FALSE(model.flags(model.index(0)) & Qt::ItemIsSelectable);
  model.setGrouping(QStringLiteral("board"));
  CHECK(shown(model) == QStringList{QStringLiteral("== 7"), QStringLiteral("1.0 #1"),
                                    QStringLiteral("1.1 #2"), QStringLiteral("== 8"),
                                    QStringLiteral("1.0 #3")});
  model.setBook(book_of({{"1.0", ""}, {"1.1", "7"}}));
  CHECK(shown(model).front() == QStringLiteral("== not stated"));
  model.setGrouping({});
  CHECK(model.rowCount() == 2);
  model.setFilter(QStringLiteral("1.1"));
  CHECK(shown(model) == QStringList{QStringLiteral("1.1 #2")});
  model.setFilter(QStringLiteral(" 7 "));  // a condition
  CHECK(shown(model) == QStringList{QStringLiteral("1.1 #2")});
  model.setFilter(QStringLiteral("nothing"));
  CHECK(model.rowCount() == 0);
  CHECK(model.rowOf(1) == -1);
  model.setBook({});
  CHECK(model.rowCount() == 0);
}

TEST_CASE("a description changes what differs, and nothing else") {
  book::CaptureInfo capture;
  capture.id = 4;
  capture.name = "one";
  capture.build = "1.0";
  capture.conditions = {{"board", "7"}, {"range", "auto"}};
  CHECK(description_changes(capture, "one", "1.0", capture.conditions).empty());
  CHECK(description_changes(capture, "", "", capture.conditions).empty());
  const auto notes = description_changes(capture, "two", "1.1", {{"board", "8"}, {"tester", "M."}});
  const std::vector<book::Note> wanted{{4, "name", "two"},
                                       {4, "build", "1.1"},
                                       book::condition_note(4, "range", {}),
                                       book::condition_note(4, "board", "8"),
                                       book::condition_note(4, "tester", "M.")};
  CHECK(notes == wanted);
  CHECK(written_conditions(QStringLiteral("a = 1\n\n b=2 = 3 ")).conditions ==
        Conditions{{"a", "1"}, {"b", "2 = 3"}});
  for (const char* wrong : {"a", "= 3", "a =", "a = 1\nb"})
    CHECK_FALSE(written_conditions(QLatin1String(wrong)).trouble.isEmpty());
}

TEST_CASE("a capture is given another build and board, undone and redone, in the window") {
  Opened s;
  s.window.actions().find(QStringLiteral("describeCapture"))->trigger();
  auto* dialog = s.window.findChild<CaptureDialog*>(QStringLiteral("captureDialog"));
  REQUIRE(dialog);
  s.child<QLineEdit>("captureBuild")->setText(QStringLiteral("1.1"));
  s.child<QLineEdit>("captureBoard")->setText(QStringLiteral("satchel-07"));
  auto* others = s.child<QPlainTextEdit>("captureConditions");
  CHECK(others->toPlainText().contains(QStringLiteral("voltage = 3.6 V")));
  others->setPlainText(QStringLiteral("voltage = 3.6 V\nno condition"));
  QTest::mouseClick(s.child<QPushButton>("keepDescription"), Qt::LeftButton);
  CHECK_FALSE(FieldNote::at(others).isEmpty());  // said at the field, and nothing is lost
  others->setPlainText(QStringLiteral("voltage = 3.3 V"));
  QTest::mouseClick(s.child<QPushButton>("keepDescription"), Qt::LeftButton);
  const auto info = [&] { return s.window.session().book()->row(s.made.capture)->info; };
  REQUIRE(s.wait([&] { return info().build == "1.1"; }));
  CHECK(info().conditions == Conditions{{"board", "satchel-07"}, {"voltage", "3.3 V"}});
  CHECK(s.window.session().book()->builds == std::vector<std::string>{"1.1"});
  s.window.session().history()->undo();  // one act, one step
  REQUIRE(s.wait([&] { return info().build == "1.0"; }));
  CHECK(info().conditions == Conditions{{"input", "made"}, {"voltage", "3.6 V"}});
  s.window.session().history()->redo();
  REQUIRE(s.wait([&] { return info().build == "1.1"; }));
}

TEST_CASE(
    "a deleted capture counts nowhere, and comes back by the message, by undo and by its action") {
  Opened s;
  const auto count = [&] { return s.window.session().book()->rows.size(); };
  REQUIRE(count() == 2);
  const auto remove = [&] {
    s.window.actions().find(QStringLiteral("deleteCapture"))->trigger();
    REQUIRE(s.wait([&] { return count() == 1; }));
  };
  remove();
  CHECK(s.window.message().contains(QStringLiteral("deleted")));
  // The other one is looked at now.
  REQUIRE(
      s.wait([&] { return s.view().capture() && s.view().capture()->info.id != s.made.capture; }));
  CHECK(s.window.session().book()->builds == std::vector<std::string>{"1.1"});
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return count() == 2; }));
  remove();
  s.window.actions().find(QStringLiteral("restoreCaptures"))->trigger();
  REQUIRE(s.wait([&] { return count() == 2; }));
  // All of them may go: then the desk says that there is none.
  remove();
  s.window.actions().find(QStringLiteral("deleteCapture"))->trigger();
  REQUIRE(s.wait([&] { return count() == 0; }));
  s.window.actions().find(QStringLiteral("restoreCaptures"))->trigger();
  REQUIRE(s.wait([&] { return count() == 2; }));
  s.window.actions().find(QStringLiteral("restoreCaptures"))->trigger();
  CHECK(s.window.message().contains(QStringLiteral("No capture was deleted")));
}

TEST_CASE("several captures are described together: what is common is shown, the rest stays") {
  Opened s;
  auto* list = s.child<QListView>("captures");
  const auto info = [&](std::int64_t id) { return s.window.session().book()->row(id)->info; };
  const std::int64_t first = s.made.capture, second = first + 1;
  s.window.session().put(QStringLiteral("a"), {book::condition_note(first, "board", "7"),
                                               book::condition_note(second, "board", "8"),
                                               book::condition_note(first, "odd", "x")});
  REQUIRE(s.wait([&] { return info(second).conditions.count("board") == 1; }));
  const auto click = [&](int row, Qt::KeyboardModifiers keys) {
    const QRect box = list->visualRect(list->model()->index(row, 0));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, keys,
                      QPoint(box.right() - 20, box.center().y()));
  };
  click(0, Qt::NoModifier);
  click(1, Qt::ShiftModifier);
  REQUIRE(list->selectionModel()->selectedRows().size() == 2);
  s.window.actions().find(QStringLiteral("describeCapture"))->trigger();
  REQUIRE(s.window.findChild<CaptureDialog*>(QStringLiteral("captureDialog")));
  auto* board = s.child<QLineEdit>("captureBoard");
  CHECK(board->text().isEmpty());
  CHECK(board->placeholderText().contains(QStringLiteral("7, 8")));
  auto* build = s.child<QLineEdit>("captureBuild");
  CHECK(build->placeholderText().contains(QStringLiteral("1.0, 1.1")));
  CHECK_FALSE(s.child<QLineEdit>("captureName")->isVisible());
  auto* others = s.child<QPlainTextEdit>("captureConditions");
  CHECK(others->toPlainText() == QStringLiteral("input = made\nvoltage = 3.6 V"));
  others->setPlainText(QStringLiteral("voltage = 3.3 V"));  // input goes, the voltage changes
  build->setText(QStringLiteral("2.0"));
  s.child<QLineEdit>("captureTester")->setText(QStringLiteral("mk"));
  QTest::mouseClick(s.child<QPushButton>("keepDescription"), Qt::LeftButton);
  REQUIRE(s.wait([&] { return info(first).build == "2.0" && info(second).build == "2.0"; }));
  CHECK(info(first).conditions ==
        Conditions{{"board", "7"}, {"odd", "x"}, {"tester", "mk"}, {"voltage", "3.3 V"}});
  CHECK(info(second).conditions ==
        Conditions{{"board", "8"}, {"tester", "mk"}, {"voltage", "3.3 V"}});
  CHECK(info(first).name == "1.0");
  CHECK(info(second).name == "1.1");
  s.window.session().history()->undo();  // both in one step
  REQUIRE(s.wait([&] { return info(first).build == "1.0" && info(second).build == "1.1"; }));
}

TEST_CASE("several captures are deleted together, and put back together") {
  Opened s;
  auto* list = s.child<QListView>("captures");
  const auto count = [&] { return s.window.session().book()->rows.size(); };
  list->setFocus();
  list->selectAll();
  s.window.actions().find(QStringLiteral("deleteCapture"))->trigger();
  REQUIRE(s.wait([&] { return count() == 0; }));
  CHECK(s.window.message().contains(QStringLiteral("2 captures deleted")));
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return count() == 2; }));
}
