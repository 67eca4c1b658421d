// SPDX-License-Identifier: GPL-3.0-or-later
// The window: a frame of panning and zooming on a book like the demo's (an hour at 1 kS/s: current,
// voltage and two logic lines, 260 visits), painted for real at 1280x800. `paint` is the interface
// thread's part; `frame` waits for the book's thread too.

#include "app/shell/main_window.h"
#include "app/trace/fan_view.h"
#include "app/trace/lanes.h"
#include "book/analysis.h"
#include "book/capture_writer.h"
#include "formats/project_files.h"

#include "large.h"

#include <QApplication>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTest>

#include <benchmark/benchmark.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <filesystem>
#include <thread>

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
      book::ChannelInfo voltage = channel;
      voltage.name = "V";
      voltage.quantity = Quantity::voltage;
      voltage.unit = "V";
      book::ChannelInfo radio = channel, locate = channel;
      radio.name = "radio_on";
      locate.name = "locate_on";
      radio.quantity = locate.quantity = Quantity::logic;
      radio.unit = locate.unit = "";
      book::CaptureWriter writer(book, {"made", "1", {}, false}, {channel, voltage, radio, locate});
      std::vector<double> values;
      while (values.size() < 3'600'000) {
        for (const auto& [level, ms] : {std::pair{3.1e-6, 59075}, std::pair{4e-3, 35},
                                        std::pair{0.8e-3, 800}, std::pair{11e-3, 90}}) {
          for (int i = 0; i < ms; ++i)
            values.push_back(level * (1 + 0.02 * ((i * 7919) % 101) / 101));
        }
      }
      writer.append(0, 0, 1, values);
      std::vector<double> volts;
      for (const double v : values) volts.push_back(3.6 - 0.35 * v);
      writer.append(1, 0, 1, volts);
      std::vector<std::int64_t> times;
      std::vector<double> levels;
      for (std::int64_t t = 0; t < 3'600'000; t += 15'000) {
        times.push_back(t);
        levels.push_back(static_cast<double>(times.size() % 2));
      }
      for (const std::size_t line : {2U, 3U})
        writer.append_times(line, times, levels, 3'600'000, true);
      writer.finish("made", false);
      bench::split_it(book, writer.id());
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
};
Desk& desk() {
  static Desk* d = new Desk;
  return *d;
}

/// Frames of a journey as the user has them, each from the request to the lanes and the fan painted
/// with what belongs to it. `sleeper_us` tells how late a thread that only sleeps was woken
/// meanwhile: how noisy the machine is.
template <typename Next>
void journey(benchmark::State& state, Next next) {
  MainWindow& w = *desk().window;
  auto* lanes = w.findChild<Lanes*>();
  std::atomic<bool> done{false};
  std::vector<double> late;
  std::thread sleeper([&] {
    while (!done) {
      const auto at = std::chrono::steady_clock::now();
      std::this_thread::sleep_for(std::chrono::milliseconds(2));
      late.push_back(
          std::chrono::duration<double, std::micro>(std::chrono::steady_clock::now() - at).count() -
          2000);
    }
  });
  std::vector<double> frames;
  for (auto _ : state) {
    QSignalSpy painted(lanes, &Lanes::framePainted);
    const auto begun = std::chrono::steady_clock::now();
    next(w.view());
    for (int i = 0; painted.isEmpty(); ++i) {
      QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
      if (i > 5'000'000) return state.SkipWithError("no frame came");
    }
    QCoreApplication::sendPostedEvents();  // what the frame asked to be painted with it
    QCoreApplication::processEvents();
    frames.push_back(
        std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begun)
            .count());
  }
  done = true;
  sleeper.join();
  std::sort(frames.begin(), frames.end());
  std::sort(late.begin(), late.end());
  state.counters["median_ms"] = frames[frames.size() / 2];
  state.counters["p99_ms"] = frames[frames.size() * 99 / 100];
  state.counters["sleeper_us"] = late.empty() ? 0 : late[late.size() / 2];
}

/// Argument: seconds shown.
void frame_of_panning(benchmark::State& state) {
  const double width = static_cast<double>(state.range(0));
  desk().window->view().show(10, 10 + width, false);
  QTest::qWait(300);
  double from = 10;
  journey(state, [&](ViewState& view) {
    const double step = std::min(width / 20, 40.0);
    from = from + step + width > view.end() ? 10 : from + step;
    view.show(from, from + width, false);
  });
}
BENCHMARK(frame_of_panning)
    ->Arg(3400)
    ->Arg(600)
    ->Arg(60)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// Notches of the wheel from the whole capture down to half a second, and back.
void frame_of_zooming(benchmark::State& state) {
  desk().window->view().showAll();
  QTest::qWait(300);
  bool in = true;
  journey(state, [&](ViewState& view) {
    const double width = view.to() - view.from();
    if (width < 0.5) in = false;
    if (width > 3500) in = true;
    view.zoomAt(1234.5, in ? 0.8 : 1.25);
  });
}
BENCHMARK(frame_of_zooming)->Unit(benchmark::kMillisecond)->UseRealTime()->MinTime(2);

void paint_of_panning(benchmark::State& state) {
  MainWindow& w = *desk().window;
  auto* lanes = w.findChild<Lanes*>();
  auto* fan = w.findChild<FanView*>();
  const double width = static_cast<double>(state.range(0));
  w.view().show(10, 10 + width, false);
  QTest::qWait(200);
  double lanes_ms = 0, fan_ms = 0;
  const auto timed = [](double& sum, const auto& paint) {
    const auto begun = std::chrono::steady_clock::now();
    paint();
    sum +=
        std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begun).count();
  };
  for (auto _ : state) {
    timed(lanes_ms, [&] { lanes->replot(QCustomPlot::rpImmediateRefresh); });
    timed(fan_ms, [&] { fan->repaint(); });
  }
  state.counters["lanes_ms"] = benchmark::Counter(lanes_ms, benchmark::Counter::kAvgIterations);
  state.counters["fan_ms"] = benchmark::Counter(fan_ms, benchmark::Counter::kAvgIterations);
}
BENCHMARK(paint_of_panning)->Arg(3400)->Arg(600)->Arg(60)->Unit(benchmark::kMillisecond);

/// From a click on a desk's name to that desk painted, going round all five.
void switch_of_desk(benchmark::State& state) {
  MainWindow& w = *desk().window;
  const auto desks = all_desks();
  for (const DeskInfo& one : desks) {  // each has been seen once
    w.setDesk(one.id);
    QTest::qWait(100);
  }
  std::size_t i = 0;
  for (auto _ : state) {
    w.setDesk(desks[i++ % desks.size()].id);
    w.repaint();
    QCoreApplication::sendPostedEvents();
  }
  w.setDesk(DeskId::trace);
}
BENCHMARK(switch_of_desk)->Unit(benchmark::kMillisecond)->UseRealTime();

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
