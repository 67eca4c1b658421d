// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio-tour BOOK: goes through a book by every desk of the real window, as a curious person would,
// and prints the longest time that the window did not answer. For books that nobody should trust.

#include "app/shell/main_window.h"

#include "wait_for.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QPointer>
#include <QStandardPaths>
#include <QTest>
#include <QTimer>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <functional>
#include <thread>

using namespace kuvio::app;

namespace {

/// Beats in the interface thread: the longest time between two is how long it stood still. A thread
/// of its own beats too: what that one stands still, the machine does to all.
class Beat {
public:
  Beat() {
    QObject::connect(&timer_, &QTimer::timeout, [this] {
      worst_ = std::max(worst_, since_.nsecsElapsed());
      since_.start();
    });
    since_.start();
    timer_.start(5);
    machine_ = std::jthread([this](const std::stop_token& over) {
      while (!over.stop_requested()) {
        const auto begun = std::chrono::steady_clock::now();
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begun;
        machine_s_ = std::max(machine_s_.load(), took.count());
      }
    });
  }
  double machine_s() const { return machine_s_; }
  double worst_s() const {
    return static_cast<double>(std::max(worst_, since_.nsecsElapsed())) / 1e9;
  }

private:
  QTimer timer_;
  QElapsedTimer since_;
  qint64 worst_ = 0;
  std::atomic<double> machine_s_{0};
  std::jthread machine_;
};

/// Rests the pointer on a few places of every view that is seen, which brings up what they tell.
void hover(MainWindow& window) {
  QList<QPointer<QWidget>> all;  // a tip that is shown may take the one before with it
  for (QWidget* w : window.findChildren<QWidget*>()) all << w;
  for (const QPointer<QWidget>& w : all) {
    if (!w || !w->isVisible() || w->width() < 60 || w->height() < 40) continue;
    for (const double part : {0.2, 0.7}) {
      const QPointF at(w->width() * part, w->height() * part);
      QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, Qt::NoButton,
                       Qt::NoModifier);
      QApplication::sendEvent(w, &move);
      if (!w) break;
      QHelpEvent help(QEvent::ToolTip, at.toPoint(), w->mapToGlobal(at).toPoint());
      QApplication::sendEvent(w, &help);
      if (!w) break;
    }
  }
}

}  // namespace

int main(int argc, char** argv) {
  QStandardPaths::setTestModeEnabled(true);
  QApplication application(argc, argv);
  if (argc != 2) {
    std::fprintf(stderr, "kuvio-tour: usage error: command line: it takes BOOK\n");
    return 64;
  }
  Theme::apply(Theme::Kind::paper);
  Beat beat;
  QString failure;  // outlives the window, which may still say something as it goes
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  QObject::connect(&window.session(), &Session::failed,
                   [&](const QString& message) { failure = message; });
  window.openBook(QString::fromLocal8Bit(argv[1]));
  const bool opened = kuvio::test::wait_for(
      [&] { return window.settled() || (!failure.isEmpty() && !window.session().book()); });
  if (window.session().book()) {
    const auto trigger = [&](const char* action) {
      if (QAction* a = window.actions().find(QLatin1String(action))) a->trigger();
      QTest::qWait(30);
    };
    for (const char* margin : {"showRecipe", "showSpread", "lineUp", "showLog"}) {
      trigger(margin);
      QTest::qWait(120);
      hover(window);
    }
    if (auto* list = window.findChild<QAbstractItemView*>(QStringLiteral("captures"))) {
      const int rows = std::min(3, list->model()->rowCount());
      for (int row = 0; row < rows; ++row) {
        list->setCurrentIndex(list->model()->index(row, 0));
        list->model()->setData(list->model()->index(row, 0), Qt::Checked, Qt::CheckStateRole);
        QTest::qWait(80);
        hover(window);
      }
    }
    for (const DeskId desk :
         {DeskId::builds, DeskId::budget, DeskId::lifetime, DeskId::bench, DeskId::trace}) {
      window.setDesk(desk);
      QTest::qWait(250);
      hover(window);
    }
  }
  std::printf("longest stall %.2f s, the machine's %.2f s%s\n", beat.worst_s(), beat.machine_s(),
              opened ? "" : ", never settled");
  if (!failure.isEmpty()) std::printf("said: %s\n", qPrintable(failure.left(500)));
  return window.session().book() ? 0 : 65;
}
