// SPDX-License-Identifier: GPL-3.0-or-later
// A book with everything a trace can have, and the window on it.
#pragma once

#include "app/shell/captures_list.h"
#include "app/trace/line_up_margin.h"
#include "app/trace/spread_margin.h"
#include "app/trace/trace_desk.h"

#include "desk_fixture.h"
#include "wait_for.h"

namespace kuvio::test {

/// A device that does things at odd moments; twice the same, the second recorded 3.25 s later into
/// it, and another one. Current (negative in places), voltage, a logic line; a gap, samples over
/// range, marks, a log.
struct Rich {
  static constexpr double kShift = 3.25, kLength = 60;
  test::Folder folder;
  std::string path = folder / "rich.kuvio";

  static double current(double t, unsigned seed) {
    // Bursts of a level each, at moments that do not repeat.
    static const auto bursts = [](unsigned s) {
      std::mt19937_64 random(s);
      std::exponential_distribution<double> pause(1 / 3.0);
      std::vector<std::array<double, 3>> out;
      for (double at = 0.5; at < 90;) {
        const double length = 0.1 + static_cast<double>(random() % 900) / 1000;
        const double level = random() % 5 == 0
                                 ? -2e-3
                                 : std::pow(10, -3.0 + static_cast<double>(random() % 150) / 100);
        out.push_back({at, at + length, level});
        at += length + 0.4 + pause(random);
      }
      return out;
    };
    static const auto one = bursts(11), other = bursts(99);
    for (const auto& b : seed == 11 ? one : other) {
      if (t >= b[0] && t < b[1]) return b[2];
    }
    return 4e-6;
  }

  Rich() {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    const struct {
      const char* name;
      double shift;
      unsigned seed;
    } captures[] = {{"first", 0, 11}, {"second", kShift, 11}, {"other", 0, 99}};
    for (const auto& c : captures) {
      book::ChannelInfo current_channel, voltage, line;
      current_channel.name = "I";
      current_channel.time_base = {1, 1000};
      voltage = current_channel;
      voltage.name = "V";
      voltage.quantity = Quantity::voltage;
      voltage.unit = "V";
      line = current_channel;
      line.name = "radio";
      line.quantity = Quantity::logic;
      line.unit = "";
      book::CaptureWriter writer(book, {c.name, c.name, {{"voltage", "3.6 V"}}, false},
                                 {current_channel, voltage, line});
      std::mt19937_64 random(c.seed + static_cast<unsigned>(c.shift * 4));
      std::normal_distribution<double> noise(0, 2e-7);
      std::vector<double> i, v;
      for (int k = 0; k < static_cast<int>(kLength * 1000); ++k) {
        i.push_back(current(k / 1000.0 + c.shift, c.seed) + noise(random));
        v.push_back(3.6 - 2 * i.back());
      }
      const bool first = c.shift == 0 && c.seed == 11;
      if (first) {  // a second is missing, fifty samples are over range
        writer.append(0, 0, 1, std::span(i).first(30'000));
        writer.append(0, 31'000, 1, std::span(i).subspan(31'000, 9'000));
        writer.append(0, 40'050, 1, std::span(i).subspan(40'050));
        writer.flag(0, {Flag::over_range, 40.0, 40.05, 50});
        writer.event({EventKind::mark, 12.5, 12.5, "lid opened"});
        writer.event({EventKind::mark, 44.25, 44.25, "lid closed"});
      } else {
        writer.append(0, 0, 1, i);
      }
      writer.append(1, 0, 1, v);
      writer.append_times(2, std::vector<std::int64_t>{0, 10'000, 12'000, 50'000},
                          std::vector<double>{0, 1, 0, 1}, 60'000, true);
      for (int k = 0; k < 40; ++k) {
        const double at = 1.5 * k + 0.7 - c.shift;
        if (at > 0)
          writer.log({at, false, (k % 4 == 0 ? "radio on " : "tick ") + std::to_string(k)});
      }
      writer.finish("made", false);
      const std::string text =
          "kuvio = \"recipe/1\"\nname = \"r\"\n"
          "[[state]]\nname = \"Rest\"\nlevel = { below = \"200 uA\" }\n"
          "[[state]]\nname = \"Busy\"\nlevel = { above = \"200 uA\" }\n";
      book.save_split(writer.id(),
                      book::split_capture(book, book.capture(writer.id()),
                                          formats::parse_recipe(text, "r").recipe, text));
    }
  }
};

struct RichWindow {
  Rich made;
  std::unique_ptr<MainWindow> window;
  Lanes* lanes = nullptr;

  RichWindow() { open(); }
  void open() {
    window = std::make_unique<MainWindow>();
    window->resize(1280, 900);
    window->show();
    QSignalSpy ready(window.get(), &MainWindow::ready);
    window->openBook(QString::fromStdString(made.path));
    REQUIRE((window->settled() || ready.wait(10000)));
    lanes = window->findChild<Lanes*>(QStringLiteral("lanes"));
    window->activateWindow();
    lanes->setFocus();
  }
  ViewState& view() { return window->view(); }
  bool wait(const std::function<bool()>& done, int ms = test::kPatience) {
    return test::wait_for(done, ms);
  }
  void run(const char* action) {
    for (QAction* a : window->findChildren<QAction*>(QLatin1String(action))) return a->trigger();
    FAIL(action);
  }
  void key(int key, Qt::KeyboardModifiers modifiers = {}) {
    QTest::keyClick(lanes, static_cast<Qt::Key>(key), modifiers);
  }
  template <typename T>
  T* child(const char* name) {
    T* out = window->findChild<T*>(QLatin1String(name));
    REQUIRE(out);
    return out;
  }
  QPoint at(double t, int lane = 0) {
    return {static_cast<int>(std::lround(lanes->pixelOf(t))), lanes->laneRect(lane).center().y()};
  }
  void move(QPoint to, Qt::MouseButtons buttons = {}) {
    QMouseEvent event(QEvent::MouseMove, QPointF(to), lanes->mapToGlobal(QPointF(to)), Qt::NoButton,
                      buttons, Qt::NoModifier);
    QCoreApplication::sendEvent(lanes, &event);
  }
  void drag(QPoint from, QPoint to) {
    QTest::mousePress(lanes, Qt::LeftButton, {}, from);
    for (int i = 1; i <= 4; ++i) move(from + (to - from) * i / 4, Qt::LeftButton);
    QTest::mouseRelease(lanes, Qt::LeftButton, {}, to);
  }
  /// Waits for lanes that show what is asked for, exactly.
  void settle() {
    QTest::qWait(30);
    REQUIRE(wait([&] { return lanes->settled(); }));
  }
  void tick(int row) {
    auto* list = child<QListView>("captures");
    const QRect item = list->visualRect(list->model()->index(row, 0));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                      CaptureDelegate::tickRect(item).center().toPoint());
  }
};

}  // namespace kuvio::test
