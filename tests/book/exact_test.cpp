// SPDX-License-Identifier: GPL-3.0-or-later
// What a book's sums are exact to, over blocks, gaps, chunks, kinds and packings.

#include "book/make.h"
#include "book/sqlite.h"
#include "core/envelope.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using book::Book;

namespace {

/// A book with one channel that `append` fills, and that channel opened.
struct Stored {
  test::Folder folder;
  std::unique_ptr<Book> book;
  std::unique_ptr<book::ChannelTrace> trace;

  template <typename Append>
  Stored(book::ChannelInfo info, Append append) {
    const std::string path = folder / "b.kuvio";
    {
      Book made = Book::open(path, Book::Mode::create);
      book::CaptureWriter w(made, {"c", "1", {}, false}, {info});
      append(w);
      w.finish("done", false);
    }
    book = std::make_unique<Book>(Book::open(path, Book::Mode::read));
    trace = std::make_unique<book::ChannelTrace>(*book, book->captures().front().channels.front());
  }
};

}  // namespace

TEST_CASE("charges add up to 1e-12 of the span's own, at any edges of a book") {
  const SampleKind kind = GENERATE(SampleKind::averaged, SampleKind::instant);
  const bool packed = GENERATE(true, false);
  std::mt19937_64 random(21);
  // Nine decades of current, so that a small span lies beside a large one; blocks with gaps, one
  // with times of its own.
  std::vector<double> values(260'000);
  double level = 1;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (i % 4000 == 0) level = std::pow(10, -static_cast<double>(random() % 9));
    const double v = level * (1 + static_cast<double>(random() % 1000) / 1e4);
    // Whole steps, or numbers in which every bit is chance and which are left as they are.
    values[i] = packed ? 1e-13 * std::round(std::min(v, 1e-4) / 1e-13)
                       : v * (1 + 3 * std::ldexp(static_cast<double>(random()), -64));
  }
  Stored s(test::current_channel(kind), [&](book::CaptureWriter& w) {
    w.append(0, 0, 1, std::span(values).first(100'000));
    w.append(0, 100'500, 1, std::span(values).subspan(100'000, 70'000));
    std::vector<std::int64_t> times;
    for (std::int64_t i = 0; i < 90'000; ++i) times.push_back(171'000 + 2 * i + i % 2);
    w.append_times(0, times, std::span(values).subspan(170'000), times.back() + 2, true);
  });
  auto counted = s.book->database().prepare("SELECT count(packed) FROM chunk");
  REQUIRE(counted.step());
  CHECK((counted.integer(0) > 0) == packed);
  std::uniform_real_distribution<double> any(0, s.trace->to_s()), lengths(-5, 2);
  for (int i = 0; i < 3000; ++i) {
    const double a = any(random), c = std::min(s.trace->to_s(), a + std::pow(10, lengths(random)));
    const double b = a + (c - a) * static_cast<double>(random() % 1000) / 1000;
    const double ab = measure(*s.trace, a, b).charge, bc = measure(*s.trace, b, c).charge,
                 ac = measure(*s.trace, a, c).charge;
    // Nothing is negative here: the charge is the integral of |I|. Edges are doubles of seconds,
    // which alone are good to some 1e-14 s beside a hundred seconds.
    const double peak = measure(*s.trace, a, c).max.value_or(0);
    REQUIRE(std::fabs(ab + bc - ac) <= 1e-12 * ac + 4e-14 * peak);
  }
}

TEST_CASE("a nanoampere for a millisecond after a thousand coulombs, from a book") {
  Stored s(test::current_channel(), [&](book::CaptureWriter& w) {
    w.append(0, 0, 1, std::vector<double>(1'000'000, 1.0));  // 1000 C
    w.append(0, 1'000'000, 1, std::vector<double>(70'000, 1e-9));
  });
  CHECK(measure(*s.trace, 0, 1000).charge == Approx(1000).epsilon(1e-15));
  for (const double at : {1000.5, 1000.2565, 1033.333, 1069.99})
    CHECK(measure(*s.trace, at, at + 0.001).charge == Approx(1e-12).epsilon(1e-6));
  CHECK(measure(*s.trace, 1000, 1070).charge == Approx(70e-9).epsilon(1e-6));
}

TEST_CASE("an hour at 48 kHz ends at 3600.000000 s in a book") {
  auto info = test::current_channel();
  info.time_base = {1, 48'000};
  const std::int64_t all = 48'000LL * 3600;
  Stored s(info, [&](book::CaptureWriter& w) {
    w.append(0, 0, 1, std::vector<double>(4800, 1.0));
    w.append(0, all - 100'000, 1, std::vector<double>(100'000, 2.0));
  });
  CHECK(s.trace->to_s() == 3600.0);
  CHECK(s.book->captures().front().to_s() == 3600.0);
  CHECK(measure(*s.trace, 3599.5, 3600).charge == Approx(1).epsilon(1e-14));
  CHECK(points(*s.trace, 3599.9999, 3600).back().time_s == 3600.0);
}

TEST_CASE("a single sample among millions shows at every zoom of a book") {
  const std::size_t n = 3'000'000, spike = 1'234'567;
  std::vector<double> values(n);
  for (std::size_t i = 0; i < n; ++i) values[i] = 1e-6 * static_cast<double>((i * 7919) % 13);
  values[spike] = 0.25;
  Stored s(test::current_channel(), [&](book::CaptureWriter& w) { w.append(0, 0, 1, values); });
  const double at = static_cast<double>(spike) / 1000;
  std::mt19937_64 random(3);
  for (double width = s.trace->to_s(); width > 0.01; width *= 0.7) {
    const double from = std::max(0.0, at - width * static_cast<double>(random() % 1000) / 1000);
    const int columns = 100 + static_cast<int>(random() % 1300);
    for (const bool patient : {true, false}) {
      const auto c = envelope(*s.trace, from, from + width, columns, [&] { return patient; });
      const auto column = static_cast<std::size_t>((at + 0.0005 - from) / width * columns);
      if (column >= c.size()) continue;
      const bool there = c[column].hi == 0.25 || (column > 0 && c[column - 1].hi == 0.25);
      REQUIRE(there);
    }
  }
}
