// SPDX-License-Identifier: GPL-3.0-or-later
// The window's frame: the bar at the top, the foot, the end of a session.

#include "app/engine/bench_control.h"
#include "app/engine/view_state.h"
#include "app/shell/foot_bar.h"
#include "app/shell/quit_on_signal.h"
#include "app/shell/top_bar.h"

#include "wait_for.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>

#include <catch2/catch.hpp>

#include <csignal>

using namespace kuvio;
using namespace kuvio::app;

TEST_CASE("the foot knows its units, goes round them, and takes none that it has not") {
  ViewState view;
  FootBar foot(view);
  QSignalSpy chosen(&foot, &FootBar::unitChosen);
  CHECK(foot.unit() == QStringLiteral("C"));
  QStringList round;
  for (int i = 0; i < 4; ++i) {
    round << foot.unit();
    foot.setUnit(foot.nextUnit());
  }
  CHECK(round == QStringList{QStringLiteral("C"), QStringLiteral("Ah"), QStringLiteral("Wh"),
                             QStringLiteral("J")});
  CHECK(foot.unit() == QStringLiteral("C"));
  CHECK(chosen.size() == 4);
  foot.setUnit(QStringLiteral("Ah"));
  foot.setUnit(QStringLiteral("furlong"));  // out of preferences written by hand
  CHECK(foot.unit() == QStringLiteral("C"));
  foot.setInstant(QStringLiteral("31:39.712 · 7.01 mA"));
  CHECK(foot.instant() == QStringLiteral("31:39.712 · 7.01 mA"));
  foot.setInstant({});
  CHECK(foot.instant().isEmpty());
}

TEST_CASE("whole cycles are one thing, by the foot's button or by key") {
  ViewState view;
  FootBar foot(view);
  auto* button = foot.findChild<QPushButton*>(QStringLiteral("wholeCyclesButton"));
  REQUIRE(button);
  button->click();
  CHECK(view.wholeCycles());
  view.setWholeCycles(false);
  CHECK_FALSE(button->isChecked());
  foot.showCycles(false);
  CHECK(button->isHidden());
}

TEST_CASE("the bar marks one desk, asks for others, and speaks of no output where there is none") {
  QWidget window;
  Actions actions(&window);
  BenchControl bench;
  TopBar bar(actions, bench, &window);
  QSignalSpy asked(&bar, &TopBar::deskRequested), find(&bar, &TopBar::findRequested);
  window.resize(1000, 60);
  bar.resize(1000, 46);
  window.show();
  bar.setDesk(DeskId::budget);
  int checked = 0;
  for (auto* b : bar.findChildren<DeskButton*>()) {
    checked += b->isChecked();
    if (b->isChecked()) CHECK(b->desk() == DeskId::budget);
    // A name has the same room whether its desk is shown (bold) or not.
    CHECK(b->width() >= QFontMetrics(b->font()).horizontalAdvance(b->text()));
  }
  CHECK(checked == 1);
  QTest::mouseClick(bar.findChild<QPushButton*>(QStringLiteral("deskTrace")), Qt::LeftButton);
  REQUIRE(asked.size() == 1);
  CHECK(asked.front().front().value<DeskId>() == DeskId::trace);
  QTest::mouseClick(bar.findChild<QPushButton*>(QStringLiteral("findButton")), Qt::LeftButton);
  CHECK(find.size() == 1);
  CHECK(bar.findChild<QLabel*>(QStringLiteral("outputState"))->text().isEmpty());
  CHECK(bar.findChild<QPushButton*>(QStringLiteral("switchOffButton"))->isHidden());
}

TEST_CASE("the end of a desktop session is asked for in the window's thread, each time") {
  int asked = 0;
  {
    QuitOnSignal end;
    QObject::connect(&end, &QuitOnSignal::asked, [&] { ++asked; });
    for (const int signal : {SIGTERM, SIGHUP, SIGINT}) {
      const int before = asked;
      REQUIRE(std::raise(signal) == 0);
      CHECK(asked == before);  // never from within the handler
      CHECK(test::wait_for([&] { return asked == before + 1; }));
    }
  }
  // Gone, signals end the program again.
  struct sigaction now {};
  REQUIRE(sigaction(SIGTERM, nullptr, &now) == 0);
  CHECK(now.sa_handler == SIG_DFL);
}
