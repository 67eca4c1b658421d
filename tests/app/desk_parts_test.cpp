// SPDX-License-Identifier: GPL-3.0-or-later
// Desks, their actions and the plan of the menus.

#include "app/desk/actions.h"
#include "app/desk/desk_id.h"
#include "app/desk/menu_plan.h"

#include <QMenu>
#include <QSignalSpy>
#include <QTest>
#include <QWidget>

#include <catch2/catch.hpp>

#include <set>

using namespace kuvio;
using namespace kuvio::app;

TEST_CASE("a desk is found by the key it is kept under; what is none is none") {
  std::set<std::string> names;
  for (const DeskInfo& d : all_desks()) {
    CHECK(info(d.id).id == d.id);
    CHECK(desk_of_key(QLatin1String(d.key)) == d.id);
    CHECK(names.insert(d.name().toStdString()).second);
  }
  CHECK(names.size() == 5);
  CHECK_FALSE(desk_of_key(QStringLiteral("")));
  CHECK_FALSE(desk_of_key(QStringLiteral("trace")));  // keys are as they are written
}

TEST_CASE("the plan names every action once, in groups that can be looked over") {
  std::set<std::string> ids;
  for (const auto& menus : menu_plan()) {
    for (const Menu& menu : menus) {
      for (const auto& group : menu.groups) {
        CHECK_FALSE(group.empty());
        CHECK(group.size() <= kMostInGroup);
        for (const MenuEntry& entry : group) {
          INFO(entry.id);
          CHECK(ids.insert(entry.id).second);
          CHECK(menu_entry(QLatin1String(entry.id)) == &entry);
          CHECK_FALSE(menu_title(QLatin1String(entry.id)).isEmpty());
          // What may be lacking is said as a sentence, by what to do or what there is not.
          if (entry.needs != Needs::nothing) CHECK(why_not(entry.needs).endsWith(QLatin1Char('.')));
        }
      }
    }
  }
  CHECK(ids.size() > 60);
  CHECK(menu_entry(QStringLiteral("noSuchAction")) == nullptr);
  CHECK(menu_title(QStringLiteral("noSuchAction")).isEmpty());
  CHECK(why_not(Needs::nothing).isEmpty());
}

namespace {

/// A window with an action for every desk, one that lacks something, and one that is of a desk.
struct Made {
  QWidget window;
  Actions actions{&window};
  int everywhere = 0, span = 0, builds = 0;
  bool has_span = false;

  Made() {
    actions.add(QStringLiteral("undo"), QStringLiteral("Undo"), QKeySequence(QStringLiteral("U")),
                [this] { ++everywhere; });
    actions.add(
        QStringLiteral("zoomSpan"), QStringLiteral("Zoom"), QKeySequence(QStringLiteral("Z")),
        [this] { ++span; }, DeskId::trace);
    actions.add(
        QStringLiteral("swapBuilds"), QStringLiteral("Swap"), QKeySequence(QStringLiteral("Z")),
        [this] { ++builds; }, DeskId::builds);
    actions.answer(Needs::span_or_visit, [this] { return has_span; });
    window.show();
    window.activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(&window));
  }
};

}  // namespace

TEST_CASE("the same key means another thing on another desk, and runs just one") {
  Made m;
  m.has_span = true;
  m.actions.setDesk(DeskId::trace);
  QTest::keyClick(&m.window, Qt::Key_Z);
  CHECK(m.span == 1);
  CHECK(m.builds == 0);
  m.actions.setDesk(DeskId::builds);
  m.actions.setDesk(DeskId::builds);  // twice, and the keys are still known
  QTest::keyClick(&m.window, Qt::Key_Z);
  CHECK(m.span == 1);
  CHECK(m.builds == 1);
  CHECK(Actions::keysOf(m.actions.find(QStringLiteral("zoomSpan"))) ==
        QKeySequence(QStringLiteral("Z")));
  QTest::keyClick(&m.window, Qt::Key_U);
  CHECK(m.everywhere == 1);
  m.actions.setDesk(DeskId::trace);
  QTest::keyClick(&m.window, Qt::Key_Z);
  CHECK(m.span == 2);
}

TEST_CASE("a key whose action lacks something says what to do first, and does nothing") {
  Made m;
  m.actions.setDesk(DeskId::trace);
  QSignalSpy refused(&m.actions, &Actions::refused);
  QTest::keyClick(&m.window, Qt::Key_Z);
  CHECK(m.span == 0);
  REQUIRE(refused.size() == 1);
  CHECK(refused.front().front().toString() == why_not(Needs::span_or_visit));
  m.has_span = true;
  QTest::keyClick(&m.window, Qt::Key_Z);
  CHECK(m.span == 1);
  CHECK(refused.size() == 1);
}

TEST_CASE("in a menu what lacks something is grey while it is open, and speaks again after") {
  Made m;
  QMenu menu;
  m.actions.fill(&menu);
  QAction* zoom = m.actions.find(QStringLiteral("zoomSpan"));
  QMenu* of_it = nullptr;
  for (QMenu* sub : menu.findChildren<QMenu*>())
    if (sub->actions().contains(zoom)) of_it = sub;
  REQUIRE(of_it);
  CHECK(of_it->title() == Actions::menuOf(zoom));
  emit of_it->aboutToShow();
  CHECK_FALSE(zoom->isEnabled());
  CHECK(zoom->toolTip() == why_not(Needs::span_or_visit));
  emit of_it->aboutToHide();
  CHECK(zoom->isEnabled());
  // From the find box an action of another desk goes there first.
  QSignalSpy desks(&m.actions, &Actions::deskRequested);
  m.has_span = true;
  m.actions.run(zoom);
  REQUIRE(desks.size() == 1);
  CHECK(desks.front().front().value<DeskId>() == DeskId::trace);
  CHECK(m.span == 1);
}
