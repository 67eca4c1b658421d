// SPDX-License-Identifier: GPL-3.0-or-later
// A capture at full rate with the window open: bench_capture [SECONDS [RATE [CHANNELS]]]
//
// kuvio-sim sends the binary stream over loopback, the real window (offscreen) records it and shows
// it as it grows. Told at the end: samples sent and kept, whether all that was kept is what was
// sent (the simulator's checksum against the book's), resident memory, and how late the interface
// thread came round.

#include "app/shell/main_window.h"
#include "app/trace/lanes.h"

#include "stream_truth.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QProcess>
#include <QStandardPaths>
#include <QTest>
#include <QTimer>

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>

using namespace kuvio;
using namespace kuvio::app;

namespace {

double memory_mb(const char* key) {
  std::ifstream in("/proc/self/status");
  std::string word;
  while (in >> word) {
    double kb = 0;
    if (word == key && in >> kb) return kb / 1024;
  }
  return 0;
}

double part(std::vector<double> values, double share) {
  if (values.empty()) return 0;
  std::sort(values.begin(), values.end());
  return values[static_cast<std::size_t>(share * static_cast<double>(values.size() - 1))];
}

}  // namespace

int main(int argc, char** argv) {
  qputenv("QT_QPA_PLATFORM", "offscreen");
  QStandardPaths::setTestModeEnabled(true);
  QApplication application(argc, argv);
  const double seconds = argc > 1 ? std::atof(argv[1]) : 30;
  const QString rate = argc > 2 ? QString::fromUtf8(argv[2]) : QStringLiteral("500000");
  const QString channels = argc > 3 ? QString::fromUtf8(argv[3]) : QStringLiteral("4");
  const std::filesystem::path folder =
      std::filesystem::temp_directory_path() / ("kuvio-capture-" + std::to_string(::getpid()));
  std::filesystem::create_directories(folder);
  const std::string path = (folder / "b.kuvio").string(), truth_file = (folder / "truth").string();
  { book::Book::open(path, book::Book::Mode::create); }

  QProcess sim;
  sim.setStandardErrorFile(QProcess::nullDevice());
  sim.start(QCoreApplication::applicationDirPath() + QStringLiteral("/kuvio-sim"),
            {QStringLiteral("--stream"), QStringLiteral("tcp"), QStringLiteral("--stream-rate"),
             rate, QStringLiteral("--stream-channels"), channels, QStringLiteral("--power-on"),
             QStringLiteral("--truth"), QString::fromStdString(truth_file)});
  const auto give_up = [](const char* why) {
    fmt::print(stderr, "bench_capture: {}\n", why);
    return 1;
  };
  if (!sim.waitForReadyRead(5000)) return give_up("the simulated bench does not start");
  const auto endpoints = nlohmann::json::parse(sim.readLine().toStdString());

  MainWindow window;
  window.resize(1280, 800);
  window.show();
  window.openBook(QString::fromStdString(path));
  if (!QTest::qWaitFor([&] { return !window.session().path().isEmpty(); }, 10000))
    return give_up("the book does not open");
  BenchControl& bench = window.bench();
  Wiring wiring;
  wiring.others << QString::fromStdString(endpoints["stream"].get<std::string>());
  bench.connectTo(wiring);
  if (!QTest::qWaitFor([&] { return bench.state().phase == BenchState::Phase::ready; }, 10000))
    return give_up("the stream is not reached");
  RecordRequest request;
  request.name = request.build = "full rate";
  request.seconds = seconds;
  request.rate_hz = rate.toDouble();
  bool ended = false;
  QString message;
  QObject::connect(&bench, &BenchControl::recordingEnded, &window,
                   [&](qint64, bool, const QString& text) {
                     ended = true;
                     message = text;
                   });
  // A beat of 16 ms, as a display has: how late it comes is how long a frame was kept waiting.
  std::vector<double> frames;
  QElapsedTimer since;
  QTimer beat;
  beat.setTimerType(Qt::PreciseTimer);
  QObject::connect(&beat, &QTimer::timeout, &window, [&] {
    if (since.isValid() && bench.recording())
      frames.push_back(static_cast<double>(since.nsecsElapsed()) / 1e6 - 16);
    since.restart();
  });
  bench.record(request);
  beat.start(16);
  double most_mb = 0;
  std::vector<double> painted;
  if (auto* lanes = window.findChild<Lanes*>(QStringLiteral("lanes"))) {
    auto* clock = new QElapsedTimer;
    QObject::connect(lanes, &Lanes::framePainted, &window, [&painted, clock] {
      if (clock->isValid()) painted.push_back(static_cast<double>(clock->nsecsElapsed()) / 1e6);
      clock->restart();
    });
  }
  while (!QTest::qWaitFor([&] { return ended; }, 1000))
    most_mb = std::max(most_mb, memory_mb("VmRSS:"));
  beat.stop();
  sim.terminate();
  sim.waitForFinished(5000);
  const auto truth = nlohmann::json::parse(std::ifstream(truth_file))["stream"];
  const book::Book book = book::Book::open(path, book::Book::Mode::read);
  const auto info = book.captures().front();
  const test::StreamKept kept = test::hold_against(book, info, truth);
  fmt::print("capture of {} channels x {} samples/s for {:g} s, window open\n",
             info.channels.size(), rate.toStdString(), seconds);
  fmt::print("  samples a channel  {} kept of {:.0f} wanted, {} gaps\n", kept.samples,
             seconds * rate.toDouble(), kept.gaps);
  fmt::print("  frames             {} as they were sent, {} other than sent, {} missing\n",
             kept.same, kept.other, kept.missing);
  fmt::print("  resident memory    {:.0f} MB at most while recording\n", most_mb);
  fmt::print(
      "  interface          beat of 16 ms late by {:.1f} ms median, {:.1f} ms p99, {:.1f} ms at "
      "most\n",
      part(frames, 0.5), part(frames, 0.99), part(frames, 1));
  fmt::print("  pictures           {} while recording\n", painted.size());
  fmt::print("  book               {:.2f} bytes a sample\n",
             static_cast<double>(std::filesystem::file_size(path)) /
                 static_cast<double>(std::max<std::int64_t>(1, kept.samples) *
                                     static_cast<std::int64_t>(info.channels.size())));
  if (!message.isEmpty()) fmt::print("  told               {}\n", message.toStdString());
  std::filesystem::remove_all(folder);
  return kept.gaps == 0 && kept.other == 0 && kept.missing == 0 ? 0 : 1;
}
