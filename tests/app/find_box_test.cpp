// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/find_box.h"

#include "desk_fixture.h"

#include <QLineEdit>
#include <QListWidget>

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
  QTest::keyClicks(line, QStringLiteral("linear logarith"));
  CHECK_FALSE(s.child<QListWidget>("findList")->item(0)->flags() & Qt::ItemIsEnabled);
  line->clear();
  QTest::keyClicks(line, QStringLiteral("logarith"));
  QTest::keyClick(line, Qt::Key_Return);
  CHECK_FALSE(line->isVisible());
  CHECK(s.window.desk() == DeskId::trace);
  CHECK_FALSE(s.lane->logarithmic());
  QTest::keyClick(&s.window, Qt::Key_K, Qt::ControlModifier);
  QTest::keyClick(line, Qt::Key_Escape);
  CHECK_FALSE(line->isVisible());
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
