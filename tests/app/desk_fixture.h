// SPDX-License-Identifier: GPL-3.0-or-later
// A made book and the real window on it, offscreen.
#pragma once

#include "app/shell/main_window.h"
#include "app/trace/fan_view.h"
#include "app/trace/lanes.h"
#include "app/trace/ledger_model.h"
#include "app/trace/log_model.h"
#include "book/analysis.h"
#include "book/capture_writer.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "formats/project_files.h"

#include "support.h"
#include "wait_for.h"

#include <QSignalSpy>
#include <QTest>

#include <catch2/catch.hpp>

#include <functional>

namespace kuvio::test {

using namespace kuvio::app;

/// A book with three rounds of a made device, split by the demo's recipe, and its log.
struct Made {
  test::Folder folder;
  std::string path = folder / "made.kuvio";
  std::int64_t capture = 0;

  explicit Made(bool split = true) {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    for (const char* build : {"1.0", "1.1"}) {
      book::ChannelInfo channel;
      channel.name = "I";
      channel.time_base = {1, 1000};
      channel.accuracy = "0.08 % + 40 nA";
      book::CaptureWriter writer(
          book, {build, build, {{"voltage", "3.6 V"}, {"input", "made"}}, false}, {channel});
      std::vector<double> values;
      for (int round = 0; round < 3; ++round) {
        for (const auto& [level, ms] :
             {std::pair{3e-6, 8000}, std::pair{4e-3, 40}, std::pair{0.8e-3, 800},
              std::pair{28e-3, 4000}, std::pair{70e-3, 1500}, std::pair{7e-3, 2000}}) {
          writer.log({static_cast<double>(values.size()) / 1000, false,
                      "step at " + std::to_string(values.size())});
          for (int i = 0; i < ms; ++i) values.push_back(level * (1 + 0.001 * ((i * 7) % 11 - 5)));
        }
      }
      writer.append(0, 0, 1, values);
      writer.finish("complete", false);
      if (split) {
        const auto recipe =
            formats::read_recipe(std::string(KUVIO_SOURCE) + "/examples/satchel.recipe.toml");
        book.save_split(writer.id(), book::split_capture(book, book.capture(writer.id()),
                                                         recipe.recipe, recipe.text));
      }
      if (capture == 0) capture = writer.id();
    }
  }
};

/// The window on such a book, its first capture shown.
struct Opened {
  Made made;
  MainWindow window;
  Lanes* lane;
  FanView* fan;
  NotebookTable *ledger, *log;

  explicit Opened(bool split = true) : made(split) {
    window.resize(1280, 800);
    window.show();
    QSignalSpy ready(&window, &MainWindow::ready);
    window.openBook(QString::fromStdString(made.path));
    REQUIRE((window.settled() || ready.wait(10000)));
    lane = window.findChild<Lanes*>(QStringLiteral("lanes"));
    fan = window.findChild<FanView*>(QStringLiteral("fan"));
    ledger = window.findChild<NotebookTable*>(QStringLiteral("ledger"));
    log = window.findChild<NotebookTable*>(QStringLiteral("log"));
    window.activateWindow();
  }

  ViewState& view() { return window.view(); }
  const std::vector<VisitFigures>& visits() { return view().capture()->visits; }
  int first(const std::string& state, double after = -1) {
    for (std::size_t i = 0; i < visits().size(); ++i) {
      if (visits()[i].visit.state == state && visits()[i].visit.from_s > after)
        return static_cast<int>(i);
    }
    return -1;
  }
  void frame() {
    QSignalSpy painted(lane, &Lanes::framePainted);
    painted.wait(3000);
  }
  QPoint at(double t) {
    return {static_cast<int>(std::lround(lane->pixelOf(t))), lane->height() / 2};
  }
  template <typename T>
  T* child(const char* name) {
    T* out = window.findChild<T*>(QLatin1String(name));
    REQUIRE(out);
    return out;
  }
  bool wait(const std::function<bool()>& done, int ms = test::kPatience) {
    return test::wait_for(done, ms);
  }
  void drag(QPoint from, QPoint to, Qt::MouseButton button = Qt::LeftButton,
            QWidget* on = nullptr) {
    QWidget* there = on ? on : lane;
    QTest::mousePress(there, button, {}, from);
    for (int i = 1; i <= 4; ++i) QTest::mouseMove(there, from + (to - from) * i / 4);
    // Offscreen a move carries no button of its own: send one that does.
    QMouseEvent move(QEvent::MouseMove, QPointF(to), there->mapToGlobal(QPointF(to)), Qt::NoButton,
                     button, Qt::NoModifier);
    QCoreApplication::sendEvent(there, &move);
    QTest::mouseRelease(there, button, {}, to);
  }
  void wheel(QPoint at, int notches, Qt::KeyboardModifiers modifiers = {}) {
    QWheelEvent event(QPointF(at), lane->mapToGlobal(QPointF(at)), {}, QPoint(0, notches * 120),
                      Qt::NoButton, modifiers, Qt::NoScrollPhase, false);
    QCoreApplication::sendEvent(lane, &event);
  }
};

/// Pixels that say that the keyboard is at a widget: those that differ clearly without it.
inline int focus_pixels(MainWindow& window, QWidget* w) {
  const QRect where =
      QRect(w->mapTo(&window, QPoint(0, 0)), w->size()).adjusted(-4, -4, 4, 4) & window.rect();
  const auto look = [&] {
    QCoreApplication::processEvents();
    return window.grab(where).toImage();
  };
  const QImage with = look();
  w->clearFocus();
  const QImage without = look();
  w->setFocus(Qt::TabFocusReason);
  int out = 0;
  for (int y = 0; y < with.height(); ++y) {
    for (int x = 0; x < with.width(); ++x) {
      const QColor a = with.pixelColor(x, y), b = without.pixelColor(x, y);
      out += std::abs(a.red() - b.red()) + std::abs(a.green() - b.green()) +
                 std::abs(a.blue() - b.blue()) >
             90;
    }
  }
  return out;
}

}  // namespace kuvio::test
