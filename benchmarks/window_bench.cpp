// SPDX-License-Identifier: GPL-3.0-or-later
// The window: a frame of panning and zooming on a book like the demo's (an hour at 1 kS/s, 260
// visits), painted for real at 1280x800. `paint` is the interface thread's part; `frame` waits for
// the book's thread too.

#include "app/main_window.h"
#include "book/capture_writer.h"
#include "formats/plan_files.h"

#include <QApplication>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTest>

#include <benchmark/benchmark.h>

#include <filesystem>

using namespace kuvio;
using namespace kuvio::app;

namespace {

struct Desk {
  std::filesystem::path folder =
      std::filesystem::temp_directory_path() / ("kuvio-bench-" + std::to_string(::getpid()));
  std::string path = (folder / "made.kuvio").string();
  std::unique_ptr<MainWindow> window;

  Desk() {
    std::filesystem::create_directories(folder);
    {
      book::Book book = book::Book::open(path, book::Book::Mode::create);
      book::ChannelInfo channel;
      channel.name = "I";
      channel.time_base = {1, 1000};
      book::CaptureWriter writer(book, {"made", "1", {}, false}, {channel});
      std::vector<double> values;
      while (values.size() < 3'600'000) {
        for (const auto& [level, ms] : {std::pair{3.1e-6, 59075}, std::pair{4e-3, 35},
                                        std::pair{0.8e-3, 800}, std::pair{11e-3, 90}}) {
          for (int i = 0; i < ms; ++i)
            values.push_back(level * (1 + 0.02 * ((i * 7919) % 101) / 101));
        }
      }
      writer.append(0, 0, 1, values);
      writer.finish("made", false);
      splitIt(book, writer.id());
    }
    window = std::make_unique<MainWindow>();
    window->resize(1280, 800);
    window->show();
    QSignalSpy ready(window.get(), &MainWindow::ready);
    window->openBook(QString::fromStdString(path));
    ready.wait(20000);
  }
  ~Desk() {
    window.reset();
    std::filesystem::remove_all(folder);
  }
  static void splitIt(const book::Book& book, std::int64_t capture) {
    const std::string text =
        "kuvio = \"recipe/1\"\nname = \"r\"\n"
        "[[state]]\nname = \"Hibernate\"\nlevel = { below = \"200 uA\" }\n"
        "[[state]]\nname = \"Sense\"\nlevel = { above = \"200 uA\", below = \"2 mA\" }\n"
        "[[state]]\nname = \"Wake\"\nlevel = { above = \"2 mA\", below = \"6 mA\" }\n"
        "[[state]]\nname = \"Store\"\nlevel = { above = \"6 mA\" }\n";
    const auto recipe = formats::parse_recipe(text, "bench");
    book.save_split(capture, book::split_capture(book, book.capture(capture), recipe.recipe, text));
  }
};
Desk& desk() {
  static Desk* d = new Desk;
  return *d;
}

/// Argument: seconds shown.
void frame_of_panning(benchmark::State& state) {
  MainWindow& w = *desk().window;
  auto* lane = w.findChild<TraceLane*>();
  auto* fan = w.findChild<FanView*>();
  const double width = static_cast<double>(state.range(0));
  w.view().show(10, 10 + width, false);
  double from = 10;
  for (auto _ : state) {
    const double step = std::min(width / 20, 40.0);
    from = from + step + width > w.view().capture()->to_s ? 10 : from + step;
    QSignalSpy painted(lane, &TraceLane::framePainted);
    w.view().show(from, from + width, false);
    for (int i = 0; painted.isEmpty(); ++i) {
      QCoreApplication::processEvents(QEventLoop::AllEvents, 1);
      if (i > 5'000'000) return state.SkipWithError("no frame came");
    }
    lane->replot(QCustomPlot::rpImmediateRefresh);
    fan->repaint();
  }
}
BENCHMARK(frame_of_panning)
    ->Arg(3400)
    ->Arg(600)
    ->Arg(60)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void paint_of_panning(benchmark::State& state) {
  MainWindow& w = *desk().window;
  auto* lane = w.findChild<TraceLane*>();
  auto* fan = w.findChild<FanView*>();
  const double width = static_cast<double>(state.range(0));
  w.view().show(10, 10 + width, false);
  QTest::qWait(200);
  for (auto _ : state) {
    lane->replot(QCustomPlot::rpImmediateRefresh);
    fan->repaint();
  }
}
BENCHMARK(paint_of_panning)->Arg(3400)->Arg(60)->Unit(benchmark::kMillisecond);

}  // namespace

int main(int argc, char** argv) {
  QStandardPaths::setTestModeEnabled(true);
  QApplication application(argc, argv);
  Theme::apply(Theme::Kind::paper);
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
  delete &desk();
  return 0;
}
