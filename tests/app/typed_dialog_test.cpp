// SPDX-License-Identifier: GPL-3.0-or-later
// Readings taken by eye, typed in the window.

#include "app/shell/typed_dialog.h"

#include "app/engine/book_view.h"
#include "app/shell/captures_panel.h"
#include "app/style/field_note.h"

#include "desk_fixture.h"

#include <QLineEdit>
#include <QPlainTextEdit>

using namespace kuvio;
using namespace kuvio::app;
using test::Opened;

namespace {

void type(Opened& s, const char* cell, const char* text) {
  auto* line = s.child<QLineEdit>(cell);
  line->setFocus();
  line->clear();
  QTest::keyClicks(line, QString::fromUtf8(text));
}

const CaptureRow* typed_row(Opened& s) {
  for (const CaptureRow& row : s.window.session().book()->rows) {
    if (row.info.typed) return &row;
  }
  return nullptr;
}

}  // namespace

TEST_CASE("readings are typed into a small table, counted, changed and undone") {
  Opened s;
  s.window.actions().find(QStringLiteral("typeReadings"))->trigger();
  REQUIRE(s.window.findChild<TypedDialog*>(QStringLiteral("typedDialog")));
  CHECK(s.child<QLineEdit>("typedBuild")->text() == QStringLiteral("1.0"));
  s.child<QLineEdit>("typedBuild")->setText(QStringLiteral("1.2"));
  s.child<QPlainTextEdit>("typedConditions")->setPlainText(QStringLiteral("voltage = 3.6 V"));
  type(s, "typed_state_1", "Hibernate");
  type(s, "typed_mean_1", "3.4 uA");
  type(s, "typed_state_2", "Uplink");
  type(s, "typed_mean_2", "60 to 62");
  QTest::mouseClick(s.child<QPushButton>("keepTyped"), Qt::LeftButton);
  CHECK_FALSE(FieldNote::at(s.child<QLineEdit>("typed_mean_2")).isEmpty());
  CHECK(typed_row(s) == nullptr);  // said at the cell, and nothing is kept
  type(s, "typed_mean_2", "60 to 62 mA");
  type(s, "typed_length_2", "1.7 to 1.8 s");
  type(s, "typed_state_3", "Linger");
  type(s, "typed_mean_3", "7 mA");
  REQUIRE(s.window.findChild<QLineEdit*>(QStringLiteral("typed_state_4")));  // a row more
  QTest::mouseClick(s.child<QPushButton>("keepTyped"), Qt::LeftButton);
  REQUIRE(s.wait([&] { return typed_row(s) != nullptr; }));
  CHECK(typed_row(s)->typed.size() == 3);
  CHECK(typed_row(s)->info.build == "1.2");
  CHECK(typed_row(s)->info.conditions == Conditions{{"voltage", "3.6 V"}});

  // It is looked at as any capture: a ledger, marked, and no trace.
  const std::int64_t id = typed_row(s)->info.id;
  s.window.actions().find(QStringLiteral("nextCapture"))->trigger();
  s.window.actions().find(QStringLiteral("nextCapture"))->trigger();
  REQUIRE(s.wait([&] { return s.view().capture() && s.view().capture()->info.id == id; }));
  const auto text = [&](int row, int column) {
    return s.ledger->model()->index(row, column).data().toString();
  };
  REQUIRE(s.wait([&] { return s.ledger->model()->rowCount() == 4; }));
  CHECK(text(0, LedgerModel::State) == QStringLiteral("Uplink"));
  CHECK(text(0, LedgerModel::Time) == QStringLiteral("typed"));
  CHECK(text(0, LedgerModel::Mean).startsWith(QStringLiteral("61.00")));
  CHECK(text(0, LedgerModel::PerVisit).startsWith(QStringLiteral("106.8")));
  CHECK(s.window.readOut().contains(QStringLiteral("3 readings taken by eye")));
  // What needs samples does nothing, and the desks get along.
  for (const char* action : {"showAll", "findStates", "applyRecipe", "chargeLane", "lineUp"})
    s.window.actions().find(QLatin1String(action))->trigger();
  s.window.setDesk(DeskId::builds);
  s.window.setDesk(DeskId::budget);
  s.window.setDesk(DeskId::lifetime);
  s.window.setDesk(DeskId::trace);

  // Changed in place.
  s.window.actions().find(QStringLiteral("typeReadings"))->trigger();
  CHECK(s.child<QLineEdit>("typed_mean_2")->text() == QString::fromUtf8("61 mA ± 1 mA"));
  type(s, "typed_mean_3", "7.5 mA");
  QTest::mouseClick(s.child<QPushButton>("keepTyped"), Qt::LeftButton);
  const auto third = [&] { return typed_row(s) ? typed_row(s)->typed[2].mean->value : 0; };
  REQUIRE(s.wait([&] { return third() == 0.0075; }));
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return third() == 0.007; }));
  s.window.session().history()->undo();
  REQUIRE(s.wait([&] { return typed_row(s) == nullptr; }));
  s.window.session().history()->redo();
  REQUIRE(s.wait([&] { return typed_row(s) != nullptr; }));
  CHECK(typed_row(s)->typed.size() == 3);
}
