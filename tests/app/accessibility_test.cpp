// SPDX-License-Identifier: GPL-3.0-or-later
// Every widget of every desk and dialog has an accessible name; the keyboard reaches everything.

#include "app/budget/limit_dialog.h"
#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"
#include "app/trace/state_dialogs.h"

#include "desk_fixture.h"

#include <QAbstractItemModelTester>
#include <QAbstractItemView>
#include <QAbstractScrollArea>
#include <QAccessible>
#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QScrollBar>
#include <QSplitter>
#include <QStackedWidget>

using namespace kuvio;
using namespace kuvio::app;
using namespace kuvio::test;

namespace {

/// Qt's own inner parts and what only lays others out: their owner carries the name.
bool is_inner(const QWidget* w) {
  if (w->objectName().startsWith(QStringLiteral("qt_"))) return true;
  for (const QWidget* p = w->parentWidget(); p; p = p->parentWidget()) {
    if (qobject_cast<const QAbstractScrollArea*>(p) || qobject_cast<const QComboBox*>(p) ||
        qobject_cast<const QAbstractSpinBox*>(p))
      return true;
  }
  const char* type = w->metaObject()->className();
  return qobject_cast<const QSplitter*>(w) || qobject_cast<const QSplitterHandle*>(w) ||
         qobject_cast<const QStackedWidget*>(w) || qobject_cast<const QMenu*>(w) ||
         std::strcmp(type, "QWidget") == 0 || std::strcmp(type, "QFrame") == 0;
}

QString name_of(QWidget* w) {
  QAccessibleInterface* a = QAccessible::queryAccessibleInterface(w);
  return a ? a->text(QAccessible::Name) : w->accessibleName();
}

void walk(QWidget& root, const char* where) {
  int seen = 0;
  for (QWidget* w : root.findChildren<QWidget*>()) {
    if (!w->isVisible() || is_inner(w)) continue;
    const bool takes_keys = w->focusPolicy() & Qt::TabFocus;
    const auto* label = qobject_cast<QLabel*>(w);
    if (label && label->text().isEmpty()) continue;
    // Desks, bars and rows are places, named by what stands in them.
    if (!takes_keys && !label && w->accessibleName().isEmpty() &&
        !w->findChildren<QWidget*>().isEmpty())
      continue;
    ++seen;
    INFO(where << ": " << w->metaObject()->className() << " \"" << w->objectName().toStdString()
               << "\"");
    CHECK_FALSE(name_of(w).isEmpty());
  }
  CHECK(seen > 3);
}

}  // namespace

TEST_CASE("every widget of every desk has an accessible name") {
  Opened s;
  for (const DeskInfo& desk : all_desks()) {
    s.window.setDesk(desk.id);
    QTest::qWait(200);
    walk(s.window, desk.key);
  }
  s.window.setDesk(DeskId::trace);
  s.window.actions().find(QStringLiteral("newRecipe"))->trigger();
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::recipe) != nullptr; }));
  QTest::qWait(100);
  walk(s.window, "recipe");
}

TEST_CASE("every widget of the dialogs has an accessible name") {
  NameSpanDialog name({QStringLiteral("A")}, QStringLiteral("below 3 µA"), true, nullptr);
  name.setAttribute(Qt::WA_DeleteOnClose, false);
  name.show();
  walk(name, "name span");
  VisitDialog visit({"A", 1, 2, true}, {QStringLiteral("A")}, nullptr);
  visit.setAttribute(Qt::WA_DeleteOnClose, false);
  visit.show();
  walk(visit, "visit");
  LimitDialog limit({QStringLiteral("A")}, true, nullptr);
  limit.setAttribute(Qt::WA_DeleteOnClose, false);
  limit.show();
  walk(limit, "limit");
  CaptureView capture;
  capture.edit_list.push_back({});
  EditsDialog edits(capture, nullptr);
  edits.setAttribute(Qt::WA_DeleteOnClose, false);
  edits.show();
  walk(edits, "edits");
}

TEST_CASE("Tab reaches what can be used on every desk and comes back round") {
  Opened s;
  for (const DeskInfo& desk : all_desks()) {
    s.window.setDesk(desk.id);
    QTest::qWait(150);
    std::set<QWidget*> reached;
    s.window.setFocus();
    for (int i = 0; i < 200; ++i) {
      QWidget* at = QApplication::focusWidget();
      QTest::keyClick(at ? at : &s.window, Qt::Key_Tab);
      reached.insert(QApplication::focusWidget());
    }
    for (QWidget* w : s.window.findChildren<QWidget*>()) {
      if (!w->isVisible() || !w->isEnabled() || !(w->focusPolicy() & Qt::TabFocus) || is_inner(w))
        continue;
      if (qobject_cast<QRadioButton*>(w)) continue;  // one of a group; arrows reach the others
      if (qobject_cast<QAbstractButton*>(w) && qobject_cast<QAbstractButton*>(w)->autoExclusive())
        continue;
      INFO(desk.key << ": " << w->metaObject()->className() << " \""
                    << w->objectName().toStdString() << "\"");
      CHECK(reached.count(w) > 0);
    }
  }
}

TEST_CASE("where the keyboard is can be seen at every stop, in both themes") {
  Opened s;
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.recipe.toml"));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::recipe) != nullptr; }));
  const auto kind = GENERATE(Theme::Kind::paper, Theme::Kind::night);
  s.window.setTheme(kind);
  for (const DeskInfo& desk : all_desks()) {
    s.window.setDesk(desk.id);
    QTest::qWait(200);
    std::set<QWidget*> seen;
    s.window.setFocus();
    for (int i = 0; i < 150; ++i) {
      QWidget* at = QApplication::focusWidget();
      QTest::keyClick(at ? at : &s.window, Qt::Key_Tab);
      QWidget* w = QApplication::focusWidget();
      if (!w || w == &s.window || !w->isVisible() || !seen.insert(w).second) continue;
      const int other = focus_pixels(s.window, w);
      INFO(desk.key << ": " << w->metaObject()->className() << " \""
                    << w->objectName().toStdString() << "\" " << other << " pixels");
      CHECK(other >= 40);
    }
    CHECK(seen.size() > 4);
  }
}

TEST_CASE("no model breaks the rules of models, on any desk and whatever happens to it") {
  Opened s;
  std::vector<std::unique_ptr<QAbstractItemModelTester>> testers;
  for (QAbstractItemView* view : s.window.findChildren<QAbstractItemView*>()) {
    if (!view->model() || qobject_cast<QHeaderView*>(view)) continue;
    testers.push_back(std::make_unique<QAbstractItemModelTester>(
        view->model(), QAbstractItemModelTester::FailureReportingMode::Fatal));
  }
  CHECK(testers.size() >= 5);
  s.window.openFile(QStringLiteral(KUVIO_SOURCE "/examples/satchel.budget.toml"));
  REQUIRE(s.wait(
      [&] { return s.window.session().book()->document(book::DocumentKind::budget) != nullptr; }));
  for (const DeskId desk : {DeskId::budget, DeskId::builds, DeskId::lifetime, DeskId::trace}) {
    s.window.setDesk(desk);
    QTest::qWait(200);
  }
  auto* list = s.child<QListView>("captures");
  list->setCurrentIndex(list->model()->index(1, 0));
  REQUIRE(s.wait([&] { return s.view().capture()->info.build == "1.1"; }));
  QTest::keyClick(&s.window, Qt::Key_E, Qt::ControlModifier);
  QTest::keyClick(&s.window, Qt::Key_Z, Qt::ControlModifier);
  QTest::qWait(200);
}
