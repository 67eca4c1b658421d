// SPDX-License-Identifier: GPL-3.0-or-later
// Clock maps and calibration: what was stored stays, what is read lies on the capture's axis.

#include "book/make.h"
#include "book/verify.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <filesystem>

using namespace kuvio;
using book::Book;

namespace {

struct Kept {
  test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  std::int64_t capture = 0;

  book::ChannelInfo channel() const { return book.capture(capture).channels.front(); }
};

}  // namespace

TEST_CASE("a time base nearest to a tick is as exact as can be") {
  for (const long double tick : {1e-3L, 1.0L / 48000, 1e-9L * 1.0002L, 2.0L, 1e-6L / 3}) {
    const TimeBase base = nearest_time_base(tick);
    const long double hour = 3600 / tick;
    CHECK(std::fabs(static_cast<double>(hour * base.num / base.den - 3600)) < 1e-12);
  }
  CHECK(nearest_time_base(1.0L / 48000) == TimeBase{1, 48000});
}

TEST_CASE("a clock 200 ppm slow lies where its map says, its charge in the capture's time") {
  Kept k;
  auto info = test::current_channel();
  info.time_base = {1, 48000};
  const ClockMap map{0.25003, 1.0002, 1e-6};
  {
    book::CaptureWriter w(k.book, {"c", "", {}, false}, {info});
    k.capture = w.id();
    w.append(0, 0, 1, std::vector<double>(480'000, 2e-3));
    w.append(0, 960'000, 1, std::vector<double>(480'000, 2e-3));
    w.flag(0, {Flag::dropped, 10, 20, 480'000});
    w.clock(0, {0.2, 1, 1}, {{0, 0.1, 0.3}});
    w.flush();
    w.clock(0, map, {{0, -INFINITY, 0.25}, {30, 30.2, INFINITY}});
    w.finish("done", false);
  }
  const auto channel = k.channel();
  REQUIRE(channel.clock);
  CHECK(*channel.clock == map);
  CHECK(channel.from_s == Approx(0.25003).epsilon(1e-12));
  CHECK(channel.to_s == Approx(0.25003 + 30 * 1.0002).epsilon(1e-12));
  const book::ChannelTrace trace(k.book, channel);
  REQUIRE(trace.blocks().size() == 2);
  CHECK(trace.from_s() == Approx(0.25003).margin(1e-9));
  CHECK(trace.to_s() == Approx(30.25603).margin(1e-9));
  CHECK(trace.flags()[0].from_s == Approx(0.25003 + 10 * 1.0002));
  const SpanFigures all = measure(trace);
  CHECK(all.charge == Approx(2e-3 * 20 * 1.0002).epsilon(1e-9));
  CHECK(all.mean() == Approx(2e-3).epsilon(1e-9));
  const auto points = k.book.sync_points(channel.id);
  REQUIRE(points.size() == 2);
  CHECK(std::isinf(points[0].earliest_s));
  CHECK(points[1].earliest_s == 30.2);
  CHECK(verify(k.book).empty());
}

TEST_CASE("times of their own are mapped, over chunks and the open tail") {
  Kept k;
  auto info = test::current_channel(SampleKind::instant);
  info.time_base = {1, 1'000'000'000};
  {
    book::CaptureWriter w(k.book, {"c", "", {}, false}, {info});
    k.capture = w.id();
    std::vector<std::int64_t> times;
    for (std::int64_t i = 0; i < 70'000; ++i) times.push_back(i * 1'000'000 + i % 7);
    w.append_times(0, times, test::noise(times.size(), 3), 0, true);
    w.clock(0, {-1, 0.9999, 0}, {});
    w.flush();
  }
  const book::ChannelTrace trace(k.book, k.channel());
  std::int64_t t = 0;
  trace.read_times(trace.blocks()[0], 69'999, {&t, 1});
  CHECK(trace.time_base().seconds(t) ==
        Approx(-1 + 0.9999 * (69.999 + 69'999 % 7 * 1e-9)).margin(1e-9));
  CHECK(verify(k.book).empty());
}

TEST_CASE("a calibration applies to samples, extremes, sums and squares") {
  const double gain = GENERATE(1.0, -2.5, 1e-3);
  const SampleKind kind = GENERATE(SampleKind::averaged, SampleKind::instant);
  Kept k;
  auto info = test::current_channel(kind);
  info.calibration = {gain, 3e-6, "made"};
  const auto raw = test::noise(150'000, 11);
  {
    book::CaptureWriter w(k.book, {"c", "", {}, false}, {info});
    k.capture = w.id();
    w.append(0, 0, 1, raw);
    w.finish("done", false);
  }
  CHECK(k.channel().calibration == info.calibration);
  const book::ChannelTrace trace(k.book, k.channel());
  MemoryTrace right(kind, {1, 1000});
  std::vector<double> meant;
  for (const double v : raw) meant.push_back(gain * v + 3e-6);
  right.append(0, 1, meant);
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> any(0, right.to_s());
  for (int i = 0; i < 100; ++i) {
    double a = any(random), b = any(random);
    if (a > b) std::swap(a, b);
    const SpanFigures x = measure(trace, a, b), y = measure(right, a, b);
    CHECK(x.charge == Approx(y.charge).epsilon(1e-10));
    CHECK(x.square == Approx(y.square).epsilon(1e-9));
    CHECK(*x.min == Approx(*y.min).epsilon(1e-14));
    CHECK(*x.max == Approx(*y.max).epsilon(1e-14));
  }
  CHECK(verify(k.book).empty());
}

TEST_CASE("a book of version 2 is read as it is, and migrated by the first who writes") {
  const test::Folder folder;
  const std::string path = folder / "old.kuvio";
  std::filesystem::copy_file(KUVIO_SOURCE "/tests/fixtures/book-v2.kuvio", path);
  double charge = 0;
  for (const auto mode : {Book::Mode::read, Book::Mode::write, Book::Mode::read}) {
    const Book book = Book::open(path, mode);
    const auto info = book.find("old");
    CHECK_FALSE(info.channels[0].clock);
    CHECK(book.note(1, "name") == "Renamed");
    const double now = measure(book::ChannelTrace(book, info.channels[0])).charge;
    if (charge != 0) CHECK(now == charge);
    charge = now;
    CHECK(book.split(1)->visits.size() == 8);
    CHECK(book.sync_points(info.channels[0].id).empty());
  }
  CHECK(charge == Approx(0.00998).epsilon(0.001));
}
