// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/channel_trace.h"

#include "book/make.h"
#include "book/stored_trace.h"
#include "core/envelope.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using book::Book;

namespace {

struct Recorded {
  test::Folder folder;
  std::string path = folder / "b.kuvio";
  std::int64_t capture = 0;

  /// Writes through `fill`, then the capture may be read.
  template <typename Fill>
  Recorded(const book::ChannelInfo& channel, Fill fill, bool finish = true) {
    Book book = Book::open(path, Book::Mode::create);
    book::CaptureWriter writer(book, {"c", "1.0", {{"voltage", "3.6 V"}}, false}, {channel});
    capture = writer.id();
    fill(writer);
    writer.flush();
    if (finish) writer.finish("done", false);
  }
};

void same_figures(const Trace& a, const Trace& b, unsigned seed) {
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> any(a.from_s(), a.to_s());
  const double tolerance = 1e-12 * test::absolute_charge(a);
  for (int i = 0; i < 200; ++i) {
    double from = any(random), to = any(random);
    if (from > to) std::swap(from, to);
    const SpanFigures x = measure(a, from, to), y = measure(b, from, to);
    REQUIRE(std::fabs(x.charge - y.charge) <= tolerance);
    REQUIRE(x.square == Approx(y.square).epsilon(1e-10));
    REQUIRE(x.samples == y.samples);
    REQUIRE(x.min == y.min);
    REQUIRE(x.max == y.max);
  }
}

}  // namespace

TEST_CASE("figures from a book equal those from memory, over chunks, gaps and the open tail") {
  const bool finish = GENERATE(true, false);
  const SampleKind kind = GENERATE(SampleKind::averaged, SampleKind::instant);
  const book::Encoding encoding = GENERATE(book::Encoding::f4, book::Encoding::f8);
  const auto a = test::noise(200'000, 1, true), b = test::noise(70'123, 2, true);
  const Recorded recorded(
      test::current_channel(kind, encoding),
      [&](book::CaptureWriter& w) {
        for (std::size_t at = 0; at < a.size();
             at += 7777) {  // in pieces, as it comes from an instrument
          w.append(0, static_cast<std::int64_t>(at), 1,
                   std::span(a).subspan(at, std::min<std::size_t>(7777, a.size() - at)));
          if (at % 3 == 0) w.flush();
        }
        w.append(0, 250'000, 1, b);
      },
      finish);
  const Book book = Book::open(recorded.path, Book::Mode::read);
  const book::CaptureInfo info = book.capture(recorded.capture);
  const book::ChannelTrace trace(book, info.channels.front());
  REQUIRE(trace.blocks().size() == 2);
  REQUIRE(trace.samples() == 270'123);
  CHECK(info.channels.front().gaps == 1);
  const MemoryTrace memory = test::in_memory(trace);
  std::vector<double> back(a.size());
  trace.read(trace.blocks()[0], 0, back);
  CHECK(back == a);
  same_figures(trace, memory, 9);
  for (const auto& [from, to] :
       {std::pair{0.0, 320.0}, std::pair{10.0, 290.5}, std::pair{199.0, 251.0}}) {
    const auto x = envelope(trace, from, to, 97), y = envelope(memory, from, to, 97);
    for (std::size_t i = 0; i < x.size(); ++i) {
      REQUIRE(x[i].any == y[i].any);
      REQUIRE(x[i].missing == y[i].missing);
      if (x[i].any) {
        REQUIRE(x[i].lo == y[i].lo);
        REQUIRE(x[i].hi == y[i].hi);
      }
    }
  }
}

TEST_CASE("samples with times of their own come back, and their figures with them") {
  const bool finish = GENERATE(true, false);
  const SampleKind kind = GENERATE(SampleKind::averaged, SampleKind::instant);
  std::mt19937_64 random(4);
  const auto values = test::noise(150'000, 3);
  std::vector<std::int64_t> times(values.size());
  std::int64_t t = 0;
  for (auto& x : times) x = t += 1 + static_cast<std::int64_t>(random() % 9);
  const Recorded recorded(
      test::current_channel(kind),
      [&](book::CaptureWriter& w) {
        w.append_times(0, std::span(times).first(100'000), std::span(values).first(100'000),
                       times[99'999] + 1, true);
        w.flush();
        w.append_times(0, std::span(times).subspan(100'000), std::span(values).subspan(100'000),
                       times.back() + 5, true);
      },
      finish);
  const Book book = Book::open(recorded.path, Book::Mode::read);
  const book::ChannelTrace trace(book, book.capture(recorded.capture).channels.front());
  REQUIRE(trace.blocks().size() == 2);
  std::vector<std::int64_t> back(100'000);
  trace.read_times(trace.blocks()[0], 0, back);
  CHECK(std::equal(back.begin(), back.end(), times.begin()));
  same_figures(trace, test::in_memory(trace), 10);
}

TEST_CASE("a span over the whole capture reads no sample from the chunks inside it") {
  const auto values = test::noise(10 * 65536 + 1000, 5, true);
  const Recorded recorded(test::current_channel(SampleKind::averaged, book::Encoding::f4),
                          [&](book::CaptureWriter& w) { w.append(0, 0, 1, values); });
  const Book book = Book::open(recorded.path, Book::Mode::read);
  const book::ChannelTrace trace(book, book.capture(recorded.capture).channels.front());
  const SpanFigures f = measure(trace);
  long double sum = 0;
  for (const double v : values) sum += v;
  CHECK(f.charge == Approx(static_cast<double>(sum / 1000)).epsilon(1e-12));
  for (const std::int64_t chunk : trace.stored().fetched().sample_chunks)
    CHECK((chunk == 0 || chunk == 10));
  CHECK(trace.stored().fetched().sample_frames <= 2);
  const auto before = trace.stored().fetched().sample_frames;
  measure(trace, 100.0005, 600.0005);
  CHECK(trace.stored().fetched().sample_frames <= before + 4);
}

TEST_CASE("another reader sees a capture grow, and neither waits for the other") {
  test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book writer_book = Book::open(path, Book::Mode::create);
  book::CaptureWriter writer(writer_book, {"c", "", {}, false}, {test::current_channel()});
  const Book reader = Book::open(path, Book::Mode::read);
  std::int64_t version = reader.data_version();
  const auto values = test::noise(100'000, 6);
  for (int i = 1; i <= 3; ++i) {
    writer.append(0, (i - 1) * 100'000, 1, values);
    writer.flush();
    CHECK(reader.data_version() != version);
    version = reader.data_version();
    const book::CaptureInfo info = reader.capture(writer.id());
    CHECK(info.recording);
    CHECK(info.channels.front().samples == i * 100'000);
    const book::ChannelTrace trace(reader, info.channels.front());
    CHECK(trace.to_s() == Approx(i * 100.0));
  }
}

TEST_CASE("a trace that grows is the one that a fresh look finds") {
  const SampleKind kind = GENERATE(SampleKind::averaged, SampleKind::instant);
  const bool uneven = GENERATE(false, true);
  std::mt19937_64 random(31);
  test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book writing = Book::open(path, Book::Mode::create);
  book::ChannelInfo channel = test::current_channel(kind);
  channel.calibration = {2, 1e-6, "manual"};
  book::CaptureWriter writer(writing, {"c", "1.0", {}, false}, {channel});
  const Book reading = Book::open(path, Book::Mode::read);
  std::unique_ptr<book::ChannelTrace> grown;
  std::int64_t next = 0;
  for (int step = 0; step < 24; ++step) {
    const auto values = test::noise(1 + random() % 60'000, static_cast<unsigned>(step));
    const bool gap = step % 7 == 3;
    if (gap) next += 500;
    if (uneven) {
      std::vector<std::int64_t> times(values.size());
      for (auto& t : times) t = next += 1 + static_cast<std::int64_t>(random() % 3);
      writer.append_times(0, times, values, times.back() + 1, gap || step == 0);
      next += 1;
    } else {
      writer.append(0, next, 1, values);
      next += static_cast<std::int64_t>(values.size());
    }
    if (gap) writer.flag(0, {Flag::dropped, static_cast<double>(step), step + 0.5, 500});
    if (step == 11) writer.clock(0, {0.25, 1.00001, 1e-4}, {});
    if (step == 23) {
      writer.finish("done", false);
    } else {
      writer.flush();
    }
    const book::ChannelInfo info = reading.capture(writer.id()).channels.front();
    if (grown) {
      grown->grow(info);
    } else {
      grown = std::make_unique<book::ChannelTrace>(reading, info);
    }
    const book::ChannelTrace fresh(reading, info);
    REQUIRE(grown->samples() == fresh.samples());
    REQUIRE(grown->flags().size() == fresh.flags().size());
    REQUIRE(grown->blocks().size() == fresh.blocks().size());
    REQUIRE(grown->to_s() == fresh.to_s());
    std::uniform_real_distribution<double> any(fresh.from_s(), fresh.to_s());
    for (int i = 0; i < 20; ++i) {
      double from = any(random), to = any(random);
      if (from > to) std::swap(from, to);
      const SpanFigures x = measure(*grown, from, to), y = measure(fresh, from, to);
      REQUIRE(x.charge == y.charge);
      REQUIRE(x.min == y.min);
      REQUIRE(x.max == y.max);
    }
  }
}
