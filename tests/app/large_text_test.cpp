// SPDX-License-Identifier: GPL-3.0-or-later
// Text of every size on small screens: nothing is cut that has room to be read, nothing is off the
// screen that cannot be scrolled to.

#include "app/bench/wire_view.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"

#include "desk_fixture.h"
#include "wait_for.h"

#include <QAbstractButton>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QScrollBar>
#include <QSplitter>

using namespace kuvio;
using namespace kuvio::app;

namespace {

/// A screen and how large its text is.
struct Screen {
  double scale = 1;
  int width = 1280, height = 752;

  void apply() const {
    set_text_scale(scale);
    set_screen_width(width);
    Theme::apply(Theme::Kind::paper);
  }
};

/// What is shown smaller than its own text needs, in words.
QStringList cut_in(QWidget& window) {
  QStringList out;
  for (QWidget* w : window.findChildren<QWidget*>()) {
    if (!w->isVisible() || w->visibleRegion().isEmpty()) continue;
    QString text;
    if (const auto* label = qobject_cast<QLabel*>(w)) text = label->text();
    if (const auto* b = qobject_cast<QAbstractButton*>(w)) text = b->text();
    if (const auto* b = qobject_cast<QComboBox*>(w)) text = b->currentText();
    if (const auto* line = qobject_cast<QLineEdit*>(w)) text = line->text();
    if (text.isEmpty()) continue;
    const QFontMetrics metrics(w->font());
    const bool wraps = qobject_cast<QLabel*>(w) && qobject_cast<QLabel*>(w)->wordWrap();
    const bool whole = qobject_cast<StationButton*>(w) || qobject_cast<QLineEdit*>(w) || wraps;
    if (w->height() < metrics.height() - 2)
      out << QStringLiteral("%1 \"%2\" is %3 px high").arg(w->objectName(), text).arg(w->height());
    if (!whole && w->width() < metrics.horizontalAdvance(text))
      out << QStringLiteral("%1 \"%2\" is %3 px wide of %4")
                 .arg(w->objectName(), text)
                 .arg(w->width())
                 .arg(metrics.horizontalAdvance(text));
  }
  return out;
}

}  // namespace

TEST_CASE("text of any size is whole on every desk, and the window fits its screen") {
  const Screen screen = GENERATE(Screen{}, Screen{1, 1024, 664}, Screen{1.25}, Screen{1.5},
                                 Screen{2}, Screen{1, 640, 380}, Screen{2, 1920, 1050});
  CAPTURE(screen.scale, screen.width, screen.height);
  screen.apply();
  test::Made made;
  Preferences preferences;  // so that there is much to offer at first
  preferences.recent = {QStringLiteral("/there/night run.kuvio"), QStringLiteral("/there/b.kuvio")};
  MainWindow window(preferences);
  CHECK(window.minimumSizeHint().width() <= screen.width);
  CHECK(window.minimumSizeHint().height() <= screen.height);
  window.resize(screen.width, screen.height);
  window.show();
  window.openBook(QString::fromStdString(made.path));
  REQUIRE(test::wait_for([&] { return window.session().book() != nullptr; }));
  for (const char* desk : {"deskBench", "deskTrace", "deskBuilds", "deskBudget", "deskLifetime"}) {
    CAPTURE(desk);
    QTest::mouseClick(window.findChild<QPushButton*>(QLatin1String(desk)), Qt::LeftButton);
    QTest::qWait(400);
    CHECK(window.size() == QSize(screen.width, screen.height));
    const QStringList cut = cut_in(window);
    INFO(cut.join(QLatin1Char('\n')).toStdString());
    CHECK(cut.isEmpty());
    // Pages go down, never to the side.
    for (QScrollArea* area : window.findChildren<QScrollArea*>()) {
      if (!area->isVisible() || area->parentWidget()->objectName() != QLatin1String("desks"))
        continue;
      INFO("sideways by " << area->horizontalScrollBar()->maximum());
      CHECK(area->horizontalScrollBar()->maximum() == 0);
      // With text as designed nothing scrolls on a usual screen.
      if (screen.scale == 1 && screen.width >= 1280) {
        INFO("down by " << area->verticalScrollBar()->maximum());
        CHECK(area->verticalScrollBar()->maximum() == 0);
      }
    }
  }
  Screen().apply();
}

TEST_CASE("what is cut is found") {
  QWidget window;
  auto* low = new QLabel(QStringLiteral("low"), &window);
  low->setGeometry(0, 0, 100, 5);
  auto* narrow = new QPushButton(QStringLiteral("a long name"), &window);
  narrow->setGeometry(0, 20, 12, 40);
  auto* whole = new QLabel(QStringLiteral("whole"), &window);
  whole->setGeometry(0, 80, 100, 40);
  window.resize(200, 200);
  window.show();
  CHECK(cut_in(window).size() == 2);
}

TEST_CASE("parts that were laid out for large text do not come back with small") {
  Screen().apply();
  const test::Made made;
  const auto parts = [&](MainWindow& window) {
    window.resize(1280, 752);
    window.show();
    window.openBook(QString::fromStdString(made.path));
    REQUIRE(test::wait_for([&] { return window.session().book() != nullptr; }));
    QTest::qWait(200);
    return window.findChild<QSplitter*>(QStringLiteral("parts"));
  };
  int designed = 0, wide = 0;
  {
    MainWindow window;
    QSplitter* split = parts(window);
    designed = split->sizes().front();
    QList<int> sizes = split->sizes();
    sizes[0] += 60;
    sizes[1] -= 60;
    split->setSizes(sizes);
    wide = split->sizes().front();
    window.close();
  }
  REQUIRE(wide > designed);
  REQUIRE(test::wait_for([] { return !Preferences::load().parts.isEmpty(); }));
  Preferences kept = Preferences::load();
  CHECK(kept.parts_percent == 100);
  const auto captures = [&](const Preferences& preferences) {
    MainWindow window(preferences);
    return parts(window)->sizes().front();
  };
  CHECK(captures(kept) == wide);
  kept.parts_percent = 200;
  CHECK(captures(kept) == designed);
}
