// SPDX-License-Identifier: GPL-3.0-or-later
// The window on books of full size (offscreen, 1280x800): first paint over an empty book, a
// recorded journey of wheel and pan, spans under the mouse, memory. `bench_trace CHANNELS SAMPLES`,
// each book in a process of its own.

#include "app/shell/main_window.h"
#include "app/trace/fan_view.h"
#include "app/trace/lanes.h"

#include "large.h"

#include <QApplication>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTest>

#include <algorithm>
#include <atomic>
#include <random>
#include <thread>

using namespace kuvio;
using namespace kuvio::app;

namespace {

struct Spread {
  std::vector<double> all;
  void add(double s) { all.push_back(s); }
  void tell(const char* what) {
    if (all.empty()) return;
    std::sort(all.begin(), all.end());
    std::printf("%-44s median %7.2f ms   p99 %7.2f ms   most %7.2f ms   (%zu)\n", what,
                all[all.size() / 2] * 1e3, all[all.size() * 99 / 100] * 1e3, all.back() * 1e3,
                all.size());
  }
};

/// Events are served until `done`.
template <typename Done>
bool wait(Done done, double most_s = 10) {
  const double until = bench::now_s() + most_s;
  while (!done()) {
    QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
    if (bench::now_s() > until) return false;
  }
  return true;
}

/// From asking for a book to its lanes painted.
double first_paint(MainWindow& window, const std::string& path) {
  const double begun = bench::now_s();
  auto* lanes = window.findChild<Lanes*>();
  bool opened = false, painted = false;
  QObject context;
  QObject::connect(&window.session(), &Session::bookOpened, &context, [&] { opened = true; });
  QObject::connect(lanes, &Lanes::framePainted, &context, [&] { painted = true; });
  window.openBook(QString::fromStdString(path));
  const bool empty = path.find("empty") != std::string::npos;
  wait([&] { return opened && (painted || empty); });
  window.repaint();
  return bench::now_s() - begun;
}

/// One frame: from the request to lanes and fan painted.
double frame(MainWindow& window, Lanes& lanes) {
  const double begun = bench::now_s();
  (void)window;
  bool painted = false;
  QObject context;
  QObject::connect(&lanes, &Lanes::framePainted, &context, [&] { painted = true; });
  wait([&] { return painted; });
  QCoreApplication::sendPostedEvents();
  QCoreApplication::processEvents();
  return bench::now_s() - begun;
}

struct Sleeper {
  std::atomic<bool> done{false};
  Spread late;
  std::thread thread{[this] {
    while (!done) {
      const double at = bench::now_s();
      std::this_thread::sleep_for(std::chrono::milliseconds(2));
      late.add(bench::now_s() - at - 2e-3);
    }
  }};
  void end() {
    done = true;
    thread.join();
  }
};

void journey(MainWindow& window, int places) {
  auto& lanes = *window.findChild<Lanes*>();
  ViewState& view = window.view();
  Sleeper sleeper;
  Spread zooming, panning, exact;
  std::mt19937_64 random(5);
  const auto one = [&](Spread& into) { into.add(frame(window, lanes)); };
  for (int place = 0; place < places; ++place) {
    view.showAll();
    QTest::qWait(120);
    const double at = std::uniform_real_distribution<double>(view.begin(), view.end())(random);
    while (view.to() - view.from() > 2e-3) {
      view.zoomAt(at, 0.8);
      one(zooming);
      if (zooming.all.size() % 12 == 0) {
        for (int i = 0; i < 10; ++i) {
          const double before = view.from();
          view.pan((i < 6 ? 0.07 : -0.11) * (view.to() - view.from()));
          if (view.from() != before) one(panning);
        }
        const double begun = bench::now_s();
        wait([&] { return lanes.settled(); });
        exact.add(bench::now_s() - begun);
      }
    }
    while (view.to() - view.from() < view.end() - view.begin()) {
      view.zoomAt(at, 1.25);
      one(zooming);
    }
  }
  sleeper.end();
  zooming.tell("frame of zooming");
  panning.tell("frame of panning");
  exact.tell("until exact, hand at rest");
  sleeper.late.tell("a sleeper meanwhile woken late by");
}

void spans(MainWindow& window) {
  ViewState& view = window.view();
  view.showAll();
  QTest::qWait(200);
  std::mt19937_64 random(8);
  std::uniform_real_distribution<double> any(view.begin(), view.end());
  Spread all;
  for (int i = 0; i < 200; ++i) {
    bool read = false;
    QObject context;
    QObject::connect(&window.session(), &Session::spanReady, &context, [&] { read = true; });
    const double begun = bench::now_s();
    view.setSpan(any(random), any(random));
    wait([&] { return read; });
    all.add(bench::now_s() - begun);
  }
  view.clearSpan();
  all.tell("a span's figures under the mouse");
}

/// Counts of visits while a threshold is dragged: until the panel would show them.
void thresholds(MainWindow& window) {
  Spread all;
  for (int i = 0; i < 60; ++i) {
    const std::string text =
        "kuvio = \"recipe/1\"\nname = \"r\"\n"
        "[[state]]\nname = \"Hibernate\"\nlevel = { below = \"200 uA\" }\n"
        "[[state]]\nname = \"Sense\"\nlevel = { above = \"200 uA\", below = \"" +
        std::to_string(1500 + 10 * i) +
        " uA\" }\n[[state]]\nname = \"Wake\"\nlevel = { above = \"" +
        std::to_string(1500 + 10 * i) +
        " uA\", below = \"6 mA\" }\n"
        "[[state]]\nname = \"Store\"\nlevel = { above = \"6 mA\" }\n";
    bool read = false;
    QObject context;
    QObject::connect(&window.session(), &Session::previewReady, &context,
                     [&](const RecipePreviewPtr& preview) { read = preview->text == text; });
    const double begun = bench::now_s();
    window.session().requestPreview(text);
    wait([&] { return read; });
    all.add(bench::now_s() - begun);
  }
  all.tell("a moved threshold's counts (wanted 200 ms)");
}

}  // namespace

int main(int argc, char** argv) {
  QStandardPaths::setTestModeEnabled(true);
  QApplication application(argc, argv);
  Theme::apply(Theme::Kind::paper);
  const int channels = argc > 1 ? std::atoi(argv[1]) : 1;
  const std::int64_t samples = argc > 2 ? std::atoll(argv[2]) : 360'000'000;
  const std::string path = bench::large_book(channels, samples);
  std::printf("-- %d x %lld samples, %.0f MB\n", channels, static_cast<long long>(samples),
              static_cast<double>(std::filesystem::file_size(path)) / 1e6);
  const auto folder =
      std::filesystem::temp_directory_path() / ("kuvio-bench-empty-" + std::to_string(::getpid()));
  std::filesystem::create_directories(folder);
  {
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    window.setDesk(DeskId::trace);
    const std::string empty = (folder / "empty.kuvio").string();
    book::Book::open(empty, book::Book::Mode::create);
    first_paint(window, empty);  // the first of all makes what every other needs too
    const double before = bench::resident();
    Spread over_empty;
    double nothing = 0;
    for (int i = 0; i < 7; ++i) {
      nothing = first_paint(window, empty);
      over_empty.add(first_paint(window, path) - nothing);
    }
    over_empty.tell("first paint, more than an empty book's");
    journey(window, 3);
    spans(window);
    thresholds(window);
    std::printf("%-44s %7.1f MB, of it %.1f MB since the book was opened\n", "resident memory",
                bench::resident() / 1e6, (bench::resident() - before) / 1e6);
  }
  std::filesystem::remove_all(folder);
  return 0;
}
