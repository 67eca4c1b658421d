// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/packing.h"

#include "book/analysis.h"
#include "book/make.h"
#include "book/schema.h"
#include "book/sqlite.h"
#include "book/stored_trace.h"
#include "book/verify.h"
#include "core/envelope.h"
#include "core/error.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <cstring>
#include <limits>

using namespace kuvio;
using namespace kuvio::book;

namespace {

bool same_bits(std::span<const double> a, std::span<const double> b) {
  return a.size() == b.size() && std::memcmp(a.data(), b.data(), a.size_bytes()) == 0;
}

/// Frames in any order, each by itself.
std::vector<double> unpacked(const Packed& packed, Encoding encoding, std::size_t n) {
  const auto head = decode_head(packed.head, static_cast<std::int64_t>(n));
  REQUIRE(head);
  CHECK(head->ends.back() == packed.data.size());
  std::vector<double> out(n);
  Unpacker unpacker;
  for (std::size_t f = head->ends.size(); f-- > 0;) {
    const std::size_t at = f * kFrameSamples;
    REQUIRE(unpacker.samples(
        *head, encoding,
        std::span(packed.data).subspan(head->begin(f), head->ends[f] - head->begin(f)),
        std::span(out).subspan(at, std::min<std::size_t>(kFrameSamples, n - at))));
  }
  return out;
}

/// Codes of an analogue-to-digital converter: a level with noise of some counts, now and then
/// another level.
std::vector<double> codes(std::size_t n, double gain, double offset, unsigned seed,
                          double counts = 2) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> noise(0, counts);
  std::vector<double> out(n);
  for (std::size_t i = 0; i < n; ++i) {
    const double level = (i / 5000) % 7 == 3 ? 9000 : 40;
    out[i] = gain * std::round(level + noise(random)) + offset;
  }
  return out;
}

double per_sample(const Packed& p, std::size_t n) {
  return static_cast<double>(p.data.size()) / static_cast<double>(n);
}

}  // namespace

TEST_CASE("packed samples come back to the bit, whatever they are") {
  Packer packer;
  std::mt19937_64 random(1);
  const std::size_t n = GENERATE(1, 2, 3, 255, 4096, 4097, 65536);
  const Encoding encoding = GENERATE(Encoding::f4, Encoding::f8);
  const auto any_bits = [&] {
    std::vector<double> out(n);
    for (double& v : out) {
      do {
        const std::uint64_t bits = random();
        std::memcpy(&v, &bits, 8);
      } while (!std::isfinite(v) || std::fabs(v) > 1e37);
    }
    return out;
  };
  std::vector<double> decimals(n), text_ma(n), steps(n, 3.25e-6), zeros(n), edge(n), ramp(n);
  for (std::size_t i = 0; i < n; ++i) {
    decimals[i] = std::strtod(("0." + std::to_string(100000 + random() % 900000)).c_str(), nullptr);
    text_ma[i] = static_cast<double>(random() % 100000) / 1000 * 1e-3;
    zeros[i] = i % 2 ? -0.0 : 0.0;
    edge[i] = i % 3 == 0   ? std::numeric_limits<double>::denorm_min()
              : i % 3 == 1 ? -1e30
                           : 2147483648.0;
    ramp[i] = static_cast<double>(i) * 32768;  // the numbers' differences and ends are large
  }
  for (std::vector<double> values :
       {codes(n, 3.0517578125e-6, 0, 2), codes(n, -1.7e-7, 1.2e-3, 3), decimals, text_ma, steps,
        zeros, edge, ramp, test::noise(n, 4), test::noise(n, 5, true), any_bits()}) {
    if (encoding == Encoding::f4) {
      for (double& v : values) v = static_cast<double>(static_cast<float>(v));
    }
    std::optional<Lattice> lattice;
    const Packed packed = packer.samples(values, encoding, lattice);
    if (packed.head.empty()) continue;  // left as they were
    CHECK(same_bits(unpacked(packed, encoding, n), values));
  }
}

TEST_CASE("what packs well does: codes, decimals, lines, times") {
  Packer packer;
  const std::size_t n = 65536;
  std::optional<Lattice> lattice = Lattice{1.0 / 3 * 1e-6, 2e-9, 1};
  const auto values = codes(n, lattice->gain, lattice->offset, 7);
  const Packed by_code = packer.samples(values, Encoding::f8, lattice);
  CHECK(per_sample(by_code, n) < 0.7);  // of 8
  std::vector<double> text(n), line(n), current(n);
  for (std::size_t i = 0; i < n; ++i) {
    text[i] = std::round(values[i] * 1e7) / 1e7;
    line[i] = static_cast<double>(i / 999 % 2);
    current[i] = static_cast<double>(static_cast<float>(3e-6 * (1 + 1e-3 * std::sin(i * 1e-3))));
  }
  lattice.reset();
  CHECK(per_sample(packer.samples(text, Encoding::f8, lattice), n) < 0.7);
  REQUIRE(lattice);
  CHECK(lattice->divisor == 1e7);
  lattice.reset();
  CHECK(per_sample(packer.samples(line, Encoding::f8, lattice), n) < 0.02);
  lattice.reset();
  CHECK(per_sample(packer.samples(current, Encoding::f4, lattice), n) < 3);
  std::vector<std::int64_t> even(n), jitter(n);
  std::mt19937_64 random(3);
  for (std::size_t i = 0; i < n; ++i) {
    even[i] = 1'700'000'000'000'000 + static_cast<std::int64_t>(i) * 20'833;
    jitter[i] = even[i] + static_cast<std::int64_t>(random() % 100);
  }
  for (const auto& [times, most] : {std::pair{even, 0.02}, std::pair{jitter, 2.0}}) {
    const Packed packed = packer.times(times);
    CHECK(per_sample(packed, n) < most);
    const auto head = decode_head(packed.head, static_cast<std::int64_t>(n));
    REQUIRE(head);
    Unpacker unpacker;
    for (std::size_t f = 0; f < head->ends.size(); ++f) {
      std::vector<std::int64_t> out(kFrameSamples);
      REQUIRE(unpacker.times(
          std::span(packed.data).subspan(head->begin(f), head->ends[f] - head->begin(f)), out));
      CHECK(std::equal(out.begin(), out.end(),
                       times.begin() + static_cast<std::ptrdiff_t>(f * kFrameSamples)));
    }
  }
  // White noise of full width does not pay: it stays as it was.
  lattice.reset();
  std::vector<double> white(n);
  for (double& v : white)
    v = std::ldexp(static_cast<double>(random()), static_cast<int>(random() % 600) - 300);
  CHECK(packer.samples(white, Encoding::f8, lattice).head.empty());
}

TEST_CASE(
    "noise packs to what its entropy allows, what repeats itself to far less, in one chunk too") {
  constexpr std::size_t n = kChunkSamples, kPeriod = 1000;
  std::mt19937_64 random(8);
  std::normal_distribution<double> gauss(0, 500);
  std::vector<double> noise(n), repeated(n), mixed(n);
  for (double& v : noise) v = std::round(gauss(random)) + 0.0;  // -0 is no whole number
  for (std::size_t i = 0; i < n; ++i) repeated[i] = i < kPeriod ? noise[i] : repeated[i - kPeriod];
  // A frame of nothing, then noise, then what repeats itself, then nothing again.
  for (std::size_t i = kFrameSamples; i < n - 2 * kFrameSamples; ++i)
    mixed[i] = i < n / 4 ? noise[i] : repeated[i];
  const auto packed_bytes = [&](const std::vector<double>& values) {
    Packer packer;
    std::optional<Lattice> lattice;
    const Packed packed = packer.samples(values, Encoding::f8, lattice);
    CHECK(same_bits(unpacked(packed, Encoding::f8, n), values));
    return per_sample(packed, n);
  };
  // Of a normal distribution's whole numbers: log2(sigma sqrt(2 pi e)) bits.
  const double entropy = std::log2(500 * std::sqrt(2 * M_PI * std::exp(1.0))) / 8;
  CHECK(packed_bytes(noise) > entropy);
  CHECK(packed_bytes(noise) < 1.04 * entropy);
  // Each frame is packed by itself: a period of it is noise.
  CHECK(packed_bytes(repeated) < 1.25 * entropy * kPeriod / kFrameSamples + 0.05);
  CHECK(packed_bytes(mixed) < entropy);
}

TEST_CASE("damaged frames and heads are refused or wrong, never more") {
  Packer packer;
  std::optional<Lattice> lattice = Lattice{1e-6, 0, 1};
  const std::size_t n = 3 * kFrameSamples + 77;
  const auto values = codes(n, 1e-6, 0, 5);
  const Packed sound = packer.samples(values, Encoding::f8, lattice);
  std::mt19937_64 random(8);
  Unpacker unpacker;
  std::vector<double> out(kFrameSamples);
  std::vector<std::int64_t> ticks(kFrameSamples);
  for (int round = 0; round < 3000; ++round) {
    Packed broken = sound;
    for (int k = 0; k < 1 + round % 5; ++k) {
      Bytes& where = round % 3 ? broken.data : broken.head;
      where[random() % where.size()] = static_cast<std::byte>(random());
    }
    if (round % 7 == 0) broken.head.resize(random() % broken.head.size());
    const auto head = decode_head(broken.head, static_cast<std::int64_t>(n));
    if (!head) continue;
    for (std::size_t f = 0; f < head->ends.size(); ++f) {
      if (head->ends[f] > broken.data.size()) continue;
      const auto frame =
          std::span(broken.data).subspan(head->begin(f), head->ends[f] - head->begin(f));
      unpacker.samples(*head, Encoding::f8, frame, std::span(out).first(f < 3 ? out.size() : 77));
      unpacker.times(frame.first(random() % (frame.size() + 1)), ticks);
    }
  }
  SUCCEED();
}

TEST_CASE("a packed channel reads, sums and draws as the same samples in memory") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  const SampleKind kind = GENERATE(SampleKind::averaged, SampleKind::instant);
  ChannelInfo info = test::current_channel(kind);
  info.lattice = Lattice{7.3e-7, -2e-5, 1};
  const auto a = codes(300'000, 7.3e-7, -2e-5, 6), b = codes(90'000, 7.3e-7, -2e-5, 7);
  std::vector<std::int64_t> times(b.size());
  for (std::size_t i = 0; i < times.size(); ++i)
    times[i] = 500'000 + static_cast<std::int64_t>(i) * 3 + static_cast<std::int64_t>(i % 2);
  std::int64_t capture = 0;
  {
    Book book = Book::open(path, Book::Mode::create);
    CaptureWriter w(book, {"c", "1", {}, false}, {info});
    capture = w.id();
    for (std::size_t at = 0; at < a.size(); at += 50'000) {
      w.append(0, static_cast<std::int64_t>(at), 1, std::span(a).subspan(at, 50'000));
      w.flush();
    }
    w.append_times(0, times, b, times.back() + 3, true);
    w.finish("done", false);
    auto packed = book.database().prepare("SELECT count(*), count(packed) FROM chunk");
    REQUIRE(packed.step());
    CHECK(packed.integer(1) == packed.integer(0));
  }
  const Book book = Book::open(path, Book::Mode::read);
  CHECK(verify(book).empty());
  const ChannelTrace trace(book, book.capture(capture).channels.front());
  MemoryTrace right(kind, {1, 1000});
  right.append(0, 1, a);
  right.append(times, b, times.back() + 3);
  std::mt19937_64 random(9);
  std::uniform_real_distribution<double> any(0, right.to_s()), lengths(-4, std::log10(700));
  for (int i = 0; i < 400; ++i) {
    const double from = any(random), to = from + std::pow(10, lengths(random));
    const SpanFigures x = measure(trace, from, to), y = measure(right, from, to);
    REQUIRE(std::fabs(x.charge - y.charge) <= 1e-12 * y.observed_s * 7e-3);
    REQUIRE(x.min == y.min);
    REQUIRE(x.max == y.max);
    const int columns = 1 + static_cast<int>(random() % 500);
    const auto p = envelope(trace, from, to, columns), q = envelope(right, from, to, columns);
    for (std::size_t c = 0; c < p.size(); ++c) {
      REQUIRE(p[c].any == q[c].any);
      REQUIRE(p[c].lo == q[c].lo);
      REQUIRE(p[c].hi == q[c].hi);
      REQUIRE_FALSE(p[c].approximate);
    }
  }
}

TEST_CASE(
    "without patience columns are loose around what they hold, and patience makes them exact") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  CaptureWriter w(book, {"c", "1", {}, false}, {test::current_channel()});
  const auto values = test::noise(600'000, 12);
  w.append(0, 0, 1, values);
  w.finish("done", false);
  const auto channel = book.capture(w.id()).channels.front();
  for (const int columns : {7, 300, 1500}) {
    const ChannelTrace fresh(book, channel);
    const auto approximate = envelope(fresh, 1.2345, 599.1, columns, [] { return false; });
    CHECK(fresh.stored().fetched().sample_frames == 0);
    const auto exact = envelope(fresh, 1.2345, 599.1, columns);
    std::size_t wider = 0;
    for (std::size_t c = 0; c < exact.size(); ++c) {
      REQUIRE(approximate[c].lo <= exact[c].lo);
      REQUIRE(approximate[c].hi >= exact[c].hi);
      const bool same = approximate[c].lo == exact[c].lo && approximate[c].hi == exact[c].hi;
      if (!same) REQUIRE(approximate[c].approximate);
      if (!same) ++wider;
      REQUIRE_FALSE(exact[c].approximate);
    }
    if (columns == 1500) CHECK(wider > 100);
  }
}

TEST_CASE("a book of version 3 is read as it is, migrated by who writes, its samples left alone") {
  const test::Folder folder;
  const std::string path = folder / "old.kuvio";
  std::filesystem::copy_file(KUVIO_SOURCE "/tests/fixtures/book-v3.kuvio", path);
  for (const auto mode : {Book::Mode::read, Book::Mode::write, Book::Mode::read}) {
    Book book = Book::open(path, mode);
    const auto info = book.captures().front();
    // Figures as the program that wrote it gave them.
    CHECK(measure(ChannelTrace(book, info.channels[0])).charge ==
          Approx(0.070435498001068297).epsilon(1e-14));
    CHECK(measure(ChannelTrace(book, info.channels[0])).missing_s == Approx(5));
    CHECK(measure(ChannelTrace(book, info.channels[1])).charge ==
          Approx(244.74453200599979).epsilon(1e-14));
    CHECK(measure(ChannelTrace(book, info.channels[2])).charge == Approx(38).epsilon(1e-14));
    CHECK(book.split(info.id)->visits.size() == 16);
    CHECK(info.name == "Renamed");
    CHECK(verify(book).empty());
    if (mode == Book::Mode::read) continue;
    CHECK(book.version() == kSchemaVersion);
    CaptureWriter w(book, {"fourth", "1", {}, false}, {test::current_channel()});
    w.append(0, 0, 1, codes(100'000, 1e-6, 0, 3));
    w.finish("done", false);
    CHECK(verify(book).empty());
  }
}

TEST_CASE("a book of version 4 is read with its edges on samples, and its split is made anew") {
  const test::Folder folder;
  const std::string path = folder / "old.kuvio";
  std::filesystem::copy_file(KUVIO_SOURCE "/tests/fixtures/book-v4.kuvio", path);
  for (const auto mode : {Book::Mode::read, Book::Mode::write, Book::Mode::read}) {
    Book book = Book::open(path, mode);
    const auto info = book.captures().front();
    const auto split = book.split(info.id);
    REQUIRE(split);
    REQUIRE(split->visits.size() == 7);
    CHECK(split->rules == 0);  // what holds a budget against it splits it again
    for (const Visit& v : split->visits) {
      CHECK(v.begins.empty());
      CHECK_FALSE(v.narrow);
    }
    CHECK(split->visits[1].from_s == Approx(0.4));
    // Its figures are those of its own edges.
    const SplitCapture old = load_split(book, info);
    CHECK(old.edges_on_samples);
    CHECK(old.visits[1].charge == Approx(500.1e-6).epsilon(1e-3));
    CHECK(verify(book).empty());
  }
  const Book book = Book::open(path, Book::Mode::read);
  CHECK(book.version() == kSchemaVersion);
}

TEST_CASE(
    "a split keeps its cells, narrow visits and those that go on, and refuses what makes no "
    "sense") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book book = Book::open(path, Book::Mode::create);
  CaptureWriter w(book, {"c", "1", {}, false}, {test::current_channel()});
  w.append(0, 0, 1, std::vector<double>(1000, 1e-3));
  w.finish("done", false);
  StoredSplit split;
  split.channel = 1;
  split.rules = kSplitRules;
  split.visits = {{"A", 0, 0.2504, false}, {"B", 0.2504, 0.5, true, true}, {"A", 0.5, 1, false}};
  split.visits[0].ends = split.visits[1].begins = {0.249, 0.252};
  split.visits[2].continues = true;
  book.save_split(1, split);
  const auto back = book.split(1);
  REQUIRE(back);
  CHECK(back->visits == split.visits);
  CHECK(back->rules == kSplitRules);
  split.visits[1].begins = {0.3, 0.4};  // not where the edge is
  book.save_split(1, split);
  CHECK_THROWS_AS(book.split(1), Error);
}
