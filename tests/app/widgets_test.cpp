// SPDX-License-Identifier: GPL-3.0-or-later
// Pencil and ink: what is typed and not yet taken looks so, is not lost, and reaches nothing.

#include "app/style/widgets.h"

#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/trace_views.h"
#include "app/style/field_note.h"
#include "app/style/theme.h"

#include "desk_fixture.h"

#include <QApplication>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

struct Two {
  QWidget window;
  QuantityEdit field{QStringLiteral("field"), QStringLiteral("Voltage"), Dimension::voltage,
                     &window};
  QLineEdit other{&window};
  int taken = 0;
  Two() {
    window.resize(400, 120);
    other.move(0, 60);
    field.setQuantity(3.6);
    QObject::connect(&field, &QuantityEdit::quantityEdited, &field, [this] { ++taken; });
    window.show();
    window.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&window));
    field.setFocus();
  }
  void type(const char* text) {
    field.setFocus();
    field.selectAll();
    QTest::keyClicks(&field, QLatin1String(text));
  }
};

}  // namespace

TEST_CASE("a field that waits for Enter keeps its pencil when it is left, and says what to do") {
  Two t;
  t.field.waitForEnter();
  t.type("3.9 V");
  CHECK(t.field.isPencil());
  CHECK(t.field.font().italic());
  CHECK(t.field.palette().color(QPalette::Text) == Theme::current().muted());
  CHECK(t.field.accessibleDescription() == QStringLiteral("proposed, not set"));
  CHECK_THAT(FieldNote::at(&t.field).toStdString(), Catch::Contains("Enter sets it"));
  t.other.setFocus();
  CHECK(t.taken == 0);
  CHECK(t.field.quantity() == 3.6);
  CHECK(t.field.text() == QStringLiteral("3.9 V"));
  CHECK(t.field.isPencil());
  CHECK(FieldNote::at(&t.field).isEmpty());
  // What holds may change meanwhile: what is being written stays.
  t.field.setQuantity(3.5);
  CHECK(t.field.text() == QStringLiteral("3.9 V"));
  t.field.setFocus();
  QTest::keyClick(&t.field, Qt::Key_Escape);
  CHECK(t.field.text() == QStringLiteral("3.5 V"));
  CHECK_FALSE(t.field.isPencil());
  CHECK_FALSE(t.field.font().italic());
  t.type("3.9");
  QTest::keyClick(&t.field, Qt::Key_Return);
  CHECK(t.taken == 1);
  CHECK(t.field.quantity() == 3.9);
  CHECK_FALSE(t.field.isPencil());
}

TEST_CASE("a field that does not wait takes what was typed when it is left") {
  Two t;
  t.type("3.9");
  CHECK(t.field.isPencil());
  t.other.setFocus();
  CHECK(t.taken == 1);
  CHECK(t.field.quantity() == 3.9);
  CHECK_FALSE(t.field.isPencil());
}

TEST_CASE("what cannot be read is no value, in pencil or not") {
  Two t;
  t.field.waitForEnter();
  t.type("3x7");
  CHECK_FALSE(t.field.isReadable());
  QTest::keyClick(&t.field, Qt::Key_Return);
  CHECK(t.taken == 0);
  CHECK(t.field.isWrong());
  CHECK(t.field.quantity() == 3.6);
  t.type("3.7");
  CHECK(t.field.isReadable());
  QTest::keyClick(&t.field, Qt::Key_Return);
  CHECK(t.taken == 1);
  CHECK_FALSE(t.field.isWrong());
}

TEST_CASE("nothing in pencil on Lifetime reaches a scenario, a verdict or the book") {
  Opened s;
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.battery.toml"));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::battery) != nullptr; }));
  s.window.setDesk(DeskId::lifetime);
  auto* scenario = s.child<QLabel>("lifeScenario");
  REQUIRE(s.wait([&] { return !scenario->text().isEmpty(); }, 15000));
  REQUIRE(scenario->text() != QStringLiteral("–"));
  const QString life = scenario->text();
  const auto documents = s.window.session().book()->documents;
  const auto notes = s.window.session().book()->notes;
  int tried = 0;
  for (QuantityEdit* field : s.window.findChildren<QuantityEdit*>()) {
    if (!field->isVisible() || !field->isEnabled()) continue;
    INFO(field->objectName().toStdString());
    field->setFocus();
    field->selectAll();
    QTest::keyClicks(field, QStringLiteral("17"));
    CHECK(field->isPencil());
    ++tried;
  }
  CHECK(tried >= 5);
  for (const DeskId desk : {DeskId::budget, DeskId::builds, DeskId::trace, DeskId::lifetime}) {
    s.window.setDesk(desk);
    QTest::qWait(100);
  }
  CHECK(scenario->text() == life);
  CHECK(s.window.session().book()->documents == documents);
  CHECK(s.window.session().book()->notes == notes);
  // It is still there, and one Enter inks it.
  auto* capacity = s.child<QuantityEdit>("life_capacity");
  CHECK(capacity->isPencil());
  CHECK(capacity->text().startsWith(QStringLiteral("17")));
  QTest::keyClick(capacity, Qt::Key_Return);
  CHECK(s.wait([&] { return scenario->text() != life; }));
}
