// SPDX-License-Identifier: GPL-3.0-or-later
// The engine: pyramid pass beside a plain pass, spans, envelopes and a level recipe on a made book.

#include "book/capture_writer.h"
#include "book/channel_trace.h"
#include "core/envelope.h"
#include "core/measure.h"
#include "core/spectrum.h"
#include "core/state_split.h"

#include <benchmark/benchmark.h>

#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <random>

using namespace kuvio;

namespace {

constexpr std::int64_t kSamples = 36'000'000;  // ten hours at 1 kS/s

std::vector<double> wave(std::size_t n, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::vector<double> out(n);
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t at = i % 60000;
    const double level = at < 35 ? 4e-3 : at < 835 ? 0.8e-3 : at < 925 ? 11e-3 : 3.1e-6;
    out[i] = level * (1 + 0.01 * (static_cast<double>(random() >> 11) * 0x1p-53 - 0.5));
  }
  return out;
}

/// The made book; written once, removed at the end.
struct MadeBook {
  std::filesystem::path folder =
      std::filesystem::temp_directory_path() / ("kuvio-bench-" + std::to_string(::getpid()));
  std::string path = (folder / "made.kuvio").string();
  MadeBook() {
    std::filesystem::create_directories(folder);
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 1000};
    book::CaptureWriter writer(book, {"made", "", {}, false}, {channel});
    const auto piece = wave(1'200'000, 1);
    for (std::int64_t at = 0; at < kSamples; at += static_cast<std::int64_t>(piece.size())) {
      writer.append(0, at, 1, piece);
      writer.flush();
    }
    writer.finish("made", false);
  }
  ~MadeBook() { std::filesystem::remove_all(folder); }
};
const MadeBook& made() {
  static const MadeBook book;
  return book;
}

struct Opened {
  book::Book book = book::Book::open(made().path, book::Book::Mode::read);
  book::ChannelTrace trace{book, book.captures().front().channels.front()};
};

void plain_pass(benchmark::State& state) {
  const auto values = wave(1 << 22, 2);
  for (auto _ : state) {
    double lo = values[0], hi = values[0], sum = 0;
    for (const double v : values) {
      lo = v < lo ? v : lo;
      hi = v > hi ? v : hi;
      sum += v;
    }
    benchmark::DoNotOptimize(lo + hi + sum);
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(values.size()));
}
BENCHMARK(plain_pass);

void stride_sums(benchmark::State& state) {
  const auto values = wave(1 << 22, 2);
  for (auto _ : state) {
    for (std::size_t at = 0; at + 256 <= values.size(); at += 256) {
      benchmark::DoNotOptimize(
          sum_cells(SampleKind::averaged, std::span(values).subspan(at, 256), nullptr));
    }
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(values.size()));
}
BENCHMARK(stride_sums);

void any_span_warm(benchmark::State& state) {
  const Opened o;
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> any(0, o.trace.to_s());
  for (auto _ : state) {
    double a = any(random), b = any(random);
    if (a > b) std::swap(a, b);
    benchmark::DoNotOptimize(measure(o.trace, a, b));
  }
}
BENCHMARK(any_span_warm)->Unit(benchmark::kMicrosecond);

void open_channel(benchmark::State& state) {
  for (auto _ : state) {
    const Opened o;
    benchmark::DoNotOptimize(o.trace.samples());
  }
}
BENCHMARK(open_channel)->Unit(benchmark::kMillisecond);

/// A frame of a pan: the view moves by a twentieth of its width. Argument: seconds shown.
void pan_envelope(benchmark::State& state) {
  const Opened o;
  const double width = static_cast<double>(state.range(0));
  double from = 100;
  for (auto _ : state) {
    benchmark::DoNotOptimize(envelope(o.trace, from, from + width, 1100));
    from += width / 20;
    if (from + width > o.trace.to_s()) from = 100;
  }
}
BENCHMARK(pan_envelope)
    ->Arg(30000)
    ->Arg(3600)
    ->Arg(600)
    ->Arg(60)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond);

void level_recipe(benchmark::State& state) {
  const Opened o;
  const double inf = INFINITY;
  const Recipe recipe{"r",
                      "",
                      {{"Hibernate", {-inf, 200e-6, -inf, 260e-6}, 0.02, 0},
                       {"Sense", {200e-6, 2e-3, 200e-6, 2e-3}, 0.1, 0},
                       {"Wake", {2e-3, 5.4e-3, 2e-3, 5.4e-3}, 0.01, 0},
                       {"Store", {5.4e-3, inf, 5.4e-3, inf}, 0.02, 0}}};
  for (auto _ : state) benchmark::DoNotOptimize(split(o.trace, recipe));
  state.SetItemsProcessed(state.iterations() * kSamples);
}
BENCHMARK(level_recipe)->Unit(benchmark::kMillisecond);

/// The ripple of an hour: noise over bursts, of which a million samples are looked at.
void ripple_of_an_hour(benchmark::State& state) {
  std::mt19937_64 random(1);
  std::normal_distribution<double> noise(0, 1e-6);
  std::vector<double> values(3'600'000);
  for (std::size_t i = 0; i < values.size(); ++i)
    values[i] = (i % 60'000 < 900 ? 1e-2 : 3e-6) + noise(random);
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, values);
  for (auto _ : state) benchmark::DoNotOptimize(ripple(trace, 0, 3600));
}
BENCHMARK(ripple_of_an_hour)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
