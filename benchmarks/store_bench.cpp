// SPDX-License-Identifier: GPL-3.0-or-later
// The book at full size, without a window: any span's figures warm and cold, its size on disk, its
// verify, memory. `bench_store SAMPLES` (360 000 000).

#include "book/channel_trace.h"
#include "book/verify.h"
#include "core/distribution.h"
#include "core/envelope.h"
#include "core/measure.h"

#include "large.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <random>

using namespace kuvio;

namespace {

void forget_file(const std::string& path) {
  const int file = ::open(path.c_str(), O_RDONLY);
  ::fsync(file);
  ::posix_fadvise(file, 0, 0, POSIX_FADV_DONTNEED);
  ::close(file);
}

void tell(const char* what, std::vector<double> s) {
  std::sort(s.begin(), s.end());
  std::printf("%-44s median %8.1f us   p99 %8.1f us   most %8.1f us   (%zu)\n", what,
              s[s.size() / 2] * 1e6, s[s.size() * 99 / 100] * 1e6, s.back() * 1e6, s.size());
}

}  // namespace

int main(int argc, char** argv) {
  const std::int64_t samples = argc > 1 ? std::atoll(argv[1]) : 360'000'000;
  const std::string path = bench::large_book(1, samples);
  const double size = static_cast<double>(std::filesystem::file_size(path));
  std::printf("%-44s %8.3f B   (%.0f MB)\n", "on disk, a sample",
              size / static_cast<double>(samples), size / 1e6);
  const double before = bench::resident();
  forget_file(path);
  double begun = bench::now_s();
  auto book = std::make_unique<book::Book>(book::Book::open(path, book::Book::Mode::read));
  auto info = book->captures().front();
  auto trace = std::make_unique<book::ChannelTrace>(*book, info.channels.front());
  std::printf("%-44s %8.1f ms\n", "opened, cold", (bench::now_s() - begun) * 1e3);
  const double length = trace->to_s();
  std::mt19937_64 random(1);
  std::uniform_real_distribution<double> any(0, length);
  const auto spans = [&](int n, bool cold) {
    std::vector<double> out;
    for (int i = 0; i < n; ++i) {
      double a = any(random), b = any(random);
      if (a > b) std::swap(a, b);
      if (cold) {
        trace.reset();
        book = std::make_unique<book::Book>(book::Book::open(path, book::Book::Mode::read));
        info = book->captures().front();
        trace = std::make_unique<book::ChannelTrace>(*book, info.channels.front());
        forget_file(path);
      }
      begun = bench::now_s();
      const SpanFigures f = measure(*trace, a, b);
      out.push_back(bench::now_s() - begun);
      if (!(f.charge > 0)) std::abort();
    }
    return out;
  };
  tell("any span, cold", spans(60, true));
  spans(3000, false);  // the file is in the system's cache by and by
  for (std::int64_t at = 0; at < samples; at += 65536) {
    double v = 0;
    trace->read(trace->blocks().front(), at, {&v, 1});
  }
  tell("any span, warm", spans(3000, false));
  for (const int columns : {1200}) {
    std::vector<double> whole, piece;
    for (int i = 0; i < 200; ++i) {
      begun = bench::now_s();
      envelope(*trace, 0.001 * i, length, columns);
      whole.push_back(bench::now_s() - begun);
      const double width =
          std::pow(10, std::uniform_real_distribution<double>(-2, std::log10(length))(random));
      const double from = std::uniform_real_distribution<double>(0, length - width)(random);
      begun = bench::now_s();
      envelope(*trace, from, from + width, columns);
      piece.push_back(bench::now_s() - begun);
    }
    tell("envelope of all, 1200 columns", whole);
    tell("envelope anywhere, any width", piece);
  }
  for (const std::int64_t spike : bench::spikes(samples)) {
    int zooms = 0, seen = 0;
    const double at = trace->time_base().seconds(spike);
    for (double width = length; width > 1e-3; width /= 1.5) {
      const double from = std::clamp(at - 0.37 * width, 0.0, length - width);
      ++zooms;
      for (const EnvelopeColumn& c : envelope(*trace, from, from + width, 1180)) {
        if (c.any && c.hi == bench::kSpike) {
          ++seen;
          break;
        }
      }
    }
    std::printf("%-44s %d of %d zooms\n", "a spike of a single sample shows at", seen, zooms);
  }
  std::printf("%-44s %8.1f MB\n", "resident memory gained", (bench::resident() - before) / 1e6);
  begun = bench::now_s();
  Bins bins;  // six decades in fifty
  for (int i = 0; i <= 50; ++i) bins.edges.push_back(1e-7 * std::pow(10, 6 * i / 50.0));
  const Distribution spread = distribution(*trace, 0, length, bins, std::int64_t{1} << 60);
  std::printf("%-44s %8.2f s   (%zu bins, %.0f s observed)\n", "distribution of every sample",
              bench::now_s() - begun, spread.time_s.size(), spread.observed_s);
  begun = bench::now_s();
  const auto problems = book::verify(*book);
  const double took = bench::now_s() - begun;
  std::printf("%-44s %8.2f s   (%.0f MS/s, %zu problems)\n", "verify", took,
              static_cast<double>(samples) / took / 1e6, problems.size());
  const std::string uneven = bench::uneven_book(samples / 9);
  const book::Book own_times = book::Book::open(uneven, book::Book::Mode::read);
  const book::ChannelTrace timed(own_times, own_times.captures().front().channels.front());
  std::printf("%-44s %8.3f B   (%lld samples)\n", "with times of their own, a sample",
              static_cast<double>(std::filesystem::file_size(uneven)) /
                  static_cast<double>(timed.samples()),
              static_cast<long long>(timed.samples()));
  for (const char* what : {"any span of those, first", "any span of those, warm"}) {
    std::vector<double> each;
    std::uniform_real_distribution<double> within(0, timed.to_s());
    for (int i = 0; i < 500; ++i) {
      const double a = within(random), b = within(random);
      begun = bench::now_s();
      measure(timed, std::min(a, b), std::max(a, b));
      each.push_back(bench::now_s() - begun);
    }
    tell(what, each);
  }
  return problems.empty() ? 0 : 1;
}
