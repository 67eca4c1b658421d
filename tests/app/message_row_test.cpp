// SPDX-License-Identifier: GPL-3.0-or-later
// What is said in the foot's second row and beside fields, and that nothing moves for it.

#include "app/shell/message_row.h"

#include "app/style/field_note.h"
#include "app/style/widgets.h"

#include "desk_fixture.h"

#include <QPlainTextEdit>
#include <QPushButton>

#include <map>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

/// Where every widget of the window that can be seen lies.
std::map<const QWidget*, QRect> places(const MainWindow& window) {
  std::map<const QWidget*, QRect> out;
  for (const QWidget* w : window.findChildren<QWidget*>()) {
    if (w->isVisible()) out[w] = {w->mapTo(&window, QPoint(0, 0)), w->size()};
  }
  return out;
}

}  // namespace

TEST_CASE("nothing on any desk changes its place when a message comes and when it goes") {
  Opened s;
  auto* row = s.window.findChild<MessageRow*>();
  REQUIRE(row);
  const std::vector<Message> messages{
      Message::done(QStringLiteral("Saved.")), Message(QString(400, QLatin1Char('w'))),
      Message::trouble(QStringLiteral("It went wrong, and this sentence says at length why it did "
                                      "so, and what can be done about it by somebody."))};
  for (const DeskInfo& desk : all_desks()) {
    s.window.setDesk(desk.id);
    QTest::qWait(200);
    row->dismiss();
    row->work().setWork({});
    QTest::qWait(50);
    const auto before = places(s.window);
    REQUIRE(before.size() > 10);
    const auto same = [&] {
      const auto now = places(s.window);
      int looked = 0;
      for (const auto& [widget, place] : before) {
        // The row's own sentence gives way to what it offers, and it alone.
        const auto it = now.find(widget);
        if (it == now.end() || widget->objectName() == QLatin1String("message")) continue;
        INFO(desk.key << ": " << widget->metaObject()->className() << " "
                      << widget->objectName().toStdString());
        CHECK(it->second == place);
        ++looked;
      }
      CHECK(looked > 10);
    };
    for (const Message& message : messages) {
      row->say(message);
      QTest::qWait(30);
      same();
    }
    Message offering(QStringLiteral("Recorded."));
    offering.offer = QStringLiteral("Show on Trace");
    row->say(offering);
    row->work().setWork(QStringLiteral("Counting something that takes its time"));
    REQUIRE(s.wait([&] { return row->work().isVisible(); }));
    QTest::qWait(30);
    same();
    row->work().setWork({});
    row->dismiss();
    QTest::qWait(30);
    same();
  }
}

TEST_CASE("the last twenty messages are behind a button, the newest first, with their weights") {
  Opened s;
  auto* row = s.window.findChild<MessageRow*>();
  for (int i = 0; i < 25; ++i) row->say(QStringLiteral("message %1").arg(i));
  row->say(Message::trouble(QStringLiteral("it broke")));
  const QStringList lines = row->history().split(QLatin1Char('\n'));
  REQUIRE(lines.size() == static_cast<qsizetype>(MessageRow::kKept));
  CHECK(lines.first().endsWith(QStringLiteral("! it broke")));
  CHECK(lines.last().endsWith(QStringLiteral("message 6")));
  CHECK(row->text() == QStringLiteral("! it broke"));
  auto* behind = s.child<QPushButton>("messageHistory");
  CHECK(behind->text().startsWith(QStringLiteral("20")));
  QTest::mouseClick(behind, Qt::LeftButton);
  auto* list = s.window.findChild<QWidget*>(QStringLiteral("messages"));
  REQUIRE(list);
  CHECK(list->findChild<QPlainTextEdit*>()->toPlainText() == row->history());
  list->close();
  // Dismissed, it is said no longer but kept.
  QTest::mouseClick(s.child<QPushButton>("messageSeen"), Qt::LeftButton);
  CHECK(row->text().isEmpty());
  CHECK(row->history().contains(QStringLiteral("it broke")));
}

TEST_CASE("what a message offers is done by its button") {
  Opened s;
  auto* row = s.window.findChild<MessageRow*>();
  bool done = false;
  Message message = Message::done(QStringLiteral("Recorded."));
  message.offer = QStringLiteral("Show");
  message.run = [&] { done = true; };
  row->say(message);
  auto* offer = s.child<QPushButton>("messageOffer");
  CHECK(offer->isVisible());
  QTest::mouseClick(offer, Qt::LeftButton);
  CHECK(done);
  row->say(QStringLiteral("Another."));
  CHECK_FALSE(offer->isVisible());
}

TEST_CASE("why a field takes nothing stands at the field, inside the window, until it is mended") {
  QWidget window;
  window.resize(300, 120);
  QuantityEdit at_top(QStringLiteral("a"), QStringLiteral("Voltage"), Dimension::voltage, &window);
  QuantityEdit at_foot(QStringLiteral("b"), QStringLiteral("Length"), Dimension::time, &window);
  at_top.move(200, 0);
  at_foot.move(0, 95);
  window.show();
  for (QuantityEdit* edit : {&at_top, &at_foot}) {
    edit->setQuantity(3);
    const QRect place = edit->geometry();
    edit->setFocus();
    edit->selectAll();
    QTest::keyClicks(edit, QStringLiteral("lots"));
    QTest::keyClick(edit, Qt::Key_Return);
    CHECK_THAT(FieldNote::at(edit).toStdString(), Catch::Contains("Value unchanged"));
    CHECK(edit->quantity() == 3);
    CHECK(edit->geometry() == place);
    auto* note = window.findChild<FieldNote*>();
    REQUIRE(note);
    CHECK(window.rect().contains(note->geometry()));
    CHECK_FALSE(note->geometry().intersects(edit->geometry()));
    QTest::keyClick(edit, Qt::Key_Escape);
    CHECK(FieldNote::at(edit).isEmpty());
  }
}
