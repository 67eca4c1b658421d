// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/find_box.h"

#include "app/shell/gesture_sheet.h"

#include "desk_fixture.h"

#include <QLineEdit>
#include <QListWidget>
#include <QMenu>

#include <map>
#include <set>

using namespace kuvio::app;
using namespace kuvio::test;

TEST_CASE("words are found in any order, by their beginnings, and with letters left out") {
  CHECK(FindBox::fit("limits capture", "Create limits from this capture") > 0);
  CHECK(FindBox::fit("capture limits", "Create limits from this capture") > 0);
  CHECK(FindBox::fit("zz", "Create limits from this capture") == 0);
  CHECK(FindBox::fit("lm", "Create limits from this capture") > 0);
  CHECK(FindBox::fit("whole", "Whole capture") > FindBox::fit("hole", "Whole capture"));
  CHECK(FindBox::fit("", "anything") > 0);
}

TEST_CASE("what is typed in the find box is done, on the desk it belongs to") {
  Opened s;
  s.window.setDesk(DeskId::builds);
  QTest::keyClick(&s.window, Qt::Key_K, Qt::ControlModifier);
  auto* line = s.child<QLineEdit>("findLine");
  REQUIRE(line->isVisible());
  QTest::keyClicks(line, QStringLiteral("zzz logarith"));
  CHECK_FALSE(s.child<QListWidget>("findList")->item(0)->flags() & Qt::ItemIsEnabled);
  line->clear();
  QTest::keyClicks(line, QStringLiteral("logarith"));
  QTest::keyClick(line, Qt::Key_Return);
  CHECK_FALSE(line->isVisible());
  CHECK(s.window.desk() == DeskId::trace);
  CHECK_FALSE(s.lane->logarithmic());
  // The keyboard is back where it was, also when something was run that leaves it there.
  s.lane->setFocus();
  QTest::keyClick(&s.window, Qt::Key_K, Qt::ControlModifier);
  CHECK(line->hasFocus());
  QTest::keyClick(line, Qt::Key_Escape);
  CHECK_FALSE(line->isVisible());
  CHECK(s.lane->hasFocus());
  QTest::keyClick(&s.window, Qt::Key_K, Qt::ControlModifier);
  QTest::keyClicks(line, QStringLiteral("logarith"));
  QTest::keyClick(line, Qt::Key_Return);
  CHECK(s.lane->logarithmic());
  CHECK(s.lane->hasFocus());
}

TEST_CASE("every action is in the find box and in a menu, and no two share a shortcut") {
  Opened s;
  QTest::keyClick(&s.window, Qt::Key_K, Qt::ControlModifier);
  auto* list = s.child<QListWidget>("findList");
  const auto& all = s.window.actions().all();
  CHECK(list->count() == static_cast<int>(all.size()) - 1);  // all but "find" itself
  for (const DeskInfo& desk : all_desks()) {
    s.window.setDesk(desk.id);
    std::map<QString, QString> taken;
    for (const QAction* a : all) {
      CHECK_FALSE(Actions::menuOf(a).isEmpty());
      CHECK_FALSE(a->text().isEmpty());
      if (a->shortcut().isEmpty()) continue;
      const QString keys = a->shortcut().toString();
      INFO(desk.key << ": " << keys.toStdString() << " of " << a->text().toStdString() << " and "
                    << taken[keys].toStdString());
      CHECK(taken[keys].isEmpty());
      taken[keys] = a->text();
    }
  }
}

TEST_CASE("the menus are the plan: every action once, groups of nine at most, rules between") {
  Opened s;
  std::set<QString> planned;
  for (const auto& menus : menu_plan()) {
    CHECK(menus.size() <= kMostInGroup);
    for (const Menu& menu : menus) {
      for (const auto& group : menu.groups) {
        CHECK(group.size() <= kMostInGroup);
        for (const MenuEntry& entry : group) {
          INFO(entry.id);
          CHECK(planned.insert(QLatin1String(entry.id)).second);
          CHECK(s.window.actions().find(QLatin1String(entry.id)));
        }
      }
    }
  }
  for (const QAction* a : s.window.actions().all()) {
    INFO(a->objectName().toStdString());
    CHECK(planned.count(a->objectName()) == 1);
  }
  QMenu menu;
  s.window.actions().fill(&menu);
  s.window.actions().fill(&menu);  // opened again, it is the same
  std::size_t submenus = 0, rules = 0;
  for (const QAction* a : menu.actions()) (a->isSeparator() ? rules : submenus) += 1;
  CHECK(rules + 1 == menu_plan().size());
  CHECK(menu.findChildren<QMenu*>(QString(), Qt::FindDirectChildrenOnly).size() ==
        static_cast<qsizetype>(submenus));
}

TEST_CASE("only what can be done is black in a menu, and keys say what to do first") {
  Opened s;
  Actions& actions = s.window.actions();
  QMenu menu;
  actions.fill(&menu);
  const auto shown = [&](const char* id) {
    QAction* a = actions.find(QLatin1String(id));
    for (auto* sub : menu.findChildren<QMenu*>()) {
      if (!sub->actions().contains(a)) continue;
      emit sub->aboutToShow();
      const bool enabled = a->isEnabled();
      emit sub->aboutToHide();
      CHECK(a->isEnabled());  // its keys speak again
      return enabled;
    }
    FAIL(id);
    return false;
  };
  CHECK_FALSE(shown("undo"));
  CHECK_FALSE(shown("nameSpan"));
  CHECK_FALSE(shown("stopAction"));
  CHECK_FALSE(shown("showAllLanes"));
  CHECK_FALSE(shown("switchOff"));
  CHECK_FALSE(shown("removeLane"));
  CHECK(shown("showAll"));
  CHECK(shown("newBook"));
  CHECK(shown("nextCapture"));
  QTest::keyClick(&s.window, Qt::Key_N);
  CHECK(s.window.message().contains(QStringLiteral("Mark a span first")));
  s.view().setSpan(2, 4);
  CHECK(shown("nameSpan"));
  s.view().show(1, 5);
  CHECK(shown("viewBack"));
  CHECK_FALSE(shown("viewForward"));
}

TEST_CASE("without a book the menus offer what makes one") {
  MainWindow window;
  CHECK(window.actions().whyNot(window.actions().find(QStringLiteral("newBook"))).isEmpty());
  CHECK(window.actions().whyNot(window.actions().find(QStringLiteral("example"))).isEmpty());
  for (const char* id : {"showAll", "copyBook", "nextMark", "editLimitAction", "saveBudget"}) {
    INFO(id);
    CHECK_FALSE(window.actions().whyNot(window.actions().find(QLatin1String(id))).isEmpty());
  }
}

TEST_CASE("the find box knows what else people call it, and puts last what can't be done") {
  Opened s;
  QTest::keyClick(&s.window, Qt::Key_K, Qt::ControlModifier);
  auto* line = s.child<QLineEdit>("findLine");
  auto* list = s.child<QListWidget>("findList");
  const auto first = [&](const char* words) {
    line->clear();
    QTest::keyClicks(line, QLatin1String(words));
    return list->item(0)->data(Qt::UserRole).value<QObject*>();
  };
  const std::map<const char*, const char*> meant = {{"print", "exportPicture"},
                                                    {"csv", "exportSamples"},
                                                    {"histogram", "showSpread"},
                                                    {"dark", "lookNight"},
                                                    {"shortcuts", "gestures"},
                                                    {"help", "gestures"},
                                                    {"about", "about"},
                                                    {"align", "lineUp"},
                                                    {"coulomb", "nextUnit"},
                                                    {"battery life", "goLifetime"},
                                                    {"baseline", "giveReference"},
                                                    {"tare", "zeroAction"}};
  for (const auto& [words, id] : meant) {
    INFO(words);
    std::set<QString> found;
    first(words);
    for (int i = 0; i < list->count(); ++i) {
      if (QObject* a = list->item(i)->data(Qt::UserRole).value<QObject*>())
        found.insert(a->objectName());
    }
    CHECK(found.count(QLatin1String(id)) == 1);
    CHECK(found.size() < 12);
  }
  CHECK(first("print")->objectName() == QStringLiteral("exportPicture"));
  CHECK(first("undo")->objectName() != QStringLiteral("undo"));  // nothing was done yet
  bool seen_greyed = false;
  line->clear();
  for (int i = 0; i < list->count(); ++i) {
    auto* a = qobject_cast<QAction*>(list->item(i)->data(Qt::UserRole).value<QObject*>());
    const bool greyed = !s.window.actions().whyNot(a).isEmpty();
    CHECK(greyed >= seen_greyed);
    seen_greyed = greyed;
  }
}

TEST_CASE("F1 shows what hand and keys do, and a word finds it") {
  Opened s;
  QTest::keyClick(&s.window, Qt::Key_F1);
  auto* sheet = s.window.findChild<GestureSheet*>();
  REQUIRE(sheet);
  CHECK(sheet->isVisible());
  CHECK_FALSE(sheet->isModal());
  int with_keys = 0;
  for (const QAction* a : s.window.actions().all())
    with_keys += Actions::keysOf(a).isEmpty() ? 0 : 1;
  const int all = sheet->found();
  CHECK(all > with_keys + 20);  // the gestures
  QTest::keyClicks(sheet->findChild<QLineEdit*>(QStringLiteral("gestureLine")),
                   QStringLiteral("value axis"));
  CHECK(sheet->found() > 0);
  CHECK(sheet->found() < all / 10);
  QTest::keyClick(&s.window, Qt::Key_F1);  // there is one of it
  CHECK(s.window.findChildren<GestureSheet*>().size() == 1);
}
