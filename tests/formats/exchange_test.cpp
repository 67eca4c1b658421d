// SPDX-License-Identifier: GPL-3.0-or-later
// What is written to a file of another kind and read back is the same capture.

#include "book/channel_trace.h"
#include "book/make.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/capture_files.h"
#include "formats/export_formats.h"
#include "formats/hdf5_import.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <fstream>
#include <iterator>

using namespace kuvio;
using namespace kuvio::formats;

namespace {

/// A channel as it is made, with what is appended to it.
struct Made {
  book::ChannelInfo info;
  struct Piece {
    std::int64_t start = 0, period = 0;
    std::vector<std::int64_t> times;
    std::vector<double> values;
    std::int64_t end = 0;
  };
  std::vector<Piece> pieces;
  std::vector<FlagRun> flags;
};

/// A capture of random channels: any time base, kind and encoding, gaps, flags, times below zero,
/// samples with times of their own.
class RandomCapture {
public:
  explicit RandomCapture(std::mt19937_64& random) : random_(random) {}

  std::vector<Made> channels() {
    static constexpr TimeBase kBases[]{
        {1, 1000}, {1, 48000}, {1, 1'000'000'000}, {3, 7}, {1, 44100 * 64}};
    std::vector<Made> out;
    const std::size_t n = 1 + below(4);
    for (std::size_t i = 0; i < n; ++i) {
      Made c;
      static constexpr Quantity kQuantities[]{Quantity::current, Quantity::voltage, Quantity::power,
                                              Quantity::logic};
      c.info.quantity = i == 0 ? Quantity::current : kQuantities[below(4)];
      c.info.unit = info(c.info.quantity).unit;
      c.info.name = (i % 2 ? "a/b " : "I µ") + std::to_string(i);
      c.info.kind = below(2) || c.info.quantity == Quantity::logic ? SampleKind::averaged
                                                                   : SampleKind::instant;
      c.info.encoding = below(2) ? book::Encoding::f4 : book::Encoding::f8;
      c.info.time_base = kBases[below(5)];
      if (c.info.quantity == Quantity::current) c.info.accuracy = "0.08 % + 40 nA";
      fill(c);
      out.push_back(std::move(c));
    }
    return out;
  }

  std::size_t below(std::size_t n) { return static_cast<std::size_t>(random_() % n); }

private:
  double value(const Made& c) {
    if (c.info.quantity == Quantity::logic) return static_cast<double>(below(2));
    const double v =
        std::pow(10, -9 + 8 * static_cast<double>(below(1000)) / 1000) * (below(5) == 0 ? -1 : 1);
    return c.info.encoding == book::Encoding::f4 ? static_cast<float>(v) : v;
  }

  void fill(Made& c) {
    std::int64_t at = -static_cast<std::int64_t>(below(3) * 517);
    const std::size_t pieces = 1 + below(4);
    for (std::size_t k = 0; k < pieces; ++k) {
      Made::Piece p;
      p.start = at;
      const std::size_t count = 1 + below(k == 0 ? 70000 : 400);
      for (std::size_t i = 0; i < count; ++i) p.values.push_back(value(c));
      if (c.info.quantity == Quantity::logic || below(3) == 0) {
        for (std::size_t i = 0; i < count; ++i) {
          p.times.push_back(at);
          at += 1 + static_cast<std::int64_t>(below(9));
        }
        p.end = p.times.back() + 1 + static_cast<std::int64_t>(below(5));
      } else {
        p.period = 1 + static_cast<std::int64_t>(below(4));
        p.end = at + static_cast<std::int64_t>(count) * p.period;
      }
      at = p.end;
      const std::int64_t gap = 3 + static_cast<std::int64_t>(below(500));
      if (k + 1 < pieces && below(2)) {
        const Flag flag = static_cast<Flag>(below(5));
        c.flags.push_back(
            {flag, c.info.time_base.seconds(at), c.info.time_base.seconds(at + gap), gap});
      }
      at += gap;
      c.pieces.push_back(std::move(p));
    }
  }

  std::mt19937_64& random_;
};

std::int64_t write(book::Book& book, const std::vector<Made>& channels) {
  std::vector<book::ChannelInfo> infos;
  for (const Made& c : channels) infos.push_back(c.info);
  book::CaptureWriter writer(
      book, {"made: \"one\"", "1.0 é", {{"board", "7 = x"}, {"note", "a; b"}}, false}, infos);
  for (std::size_t i = 0; i < channels.size(); ++i) {
    for (const Made::Piece& p : channels[i].pieces) {
      if (p.period > 0) {
        writer.append(i, p.start, p.period, p.values);
      } else {
        writer.append_times(i, p.times, p.values, p.end, true);
      }
    }
    for (const FlagRun& run : channels[i].flags) writer.flag(i, run);
  }
  writer.log({0.25, false, "uplink done 396 B"});
  writer.log({0.5, true, "ping \"x\""});
  writer.event({EventKind::mark, 0.1, 0.1, "here"});
  writer.event({EventKind::output_on, 0, 0.01, "output on"});
  writer.finish("complete", false);
  return writer.id();
}

struct Sample {
  double time = 0, value = 0;
  bool operator==(const Sample&) const = default;
};

std::vector<Sample> samples(const Trace& trace) {
  std::vector<Sample> out;
  for (const Block& b : trace.blocks()) {
    std::vector<double> values(static_cast<std::size_t>(b.count));
    trace.read(b, 0, values);
    for (std::int64_t i = 0; i < b.count; ++i)
      out.push_back(
          {trace.time_base().seconds(tick_of(trace, b, i)), values[static_cast<std::size_t>(i)]});
  }
  return out;
}

void require_same(const book::Book& a, const book::ChannelInfo& x, const book::Book& b,
                  const book::ChannelInfo& y, bool text) {
  INFO("channel " << x.name);
  CHECK(x.quantity == y.quantity);
  CHECK(x.unit == y.unit);
  CHECK(x.kind == y.kind);
  CHECK(x.accuracy == y.accuracy);
  const book::ChannelTrace p(a, x), q(b, y);
  REQUIRE(p.blocks().size() == q.blocks().size());
  for (std::size_t i = 0; i < p.blocks().size(); ++i) {
    const Block &m = p.blocks()[i], &n = q.blocks()[i];
    CHECK(p.time_base().seconds(m.start) == q.time_base().seconds(n.start));
    CHECK(p.time_base().seconds(m.end) == q.time_base().seconds(n.end));
    CHECK(m.count == n.count);
    CHECK((m.period == 0) == (n.period == 0));
  }
  CHECK(samples(p) == samples(q));
  REQUIRE(p.flags().size() == q.flags().size());
  for (std::size_t i = 0; i < p.flags().size(); ++i) {
    CHECK(p.flags()[i].flag == q.flags()[i].flag);
    CHECK(p.flags()[i].from_s == Approx(q.flags()[i].from_s).margin(1e-12));
    CHECK(p.flags()[i].to_s == Approx(q.flags()[i].to_s).margin(1e-12));
    CHECK(p.flags()[i].samples == q.flags()[i].samples);
  }
  if (p.blocks().empty()) return;
  const SpanFigures s = measure(p), t = measure(q);
  CHECK(t.charge == Approx(s.charge).epsilon(text ? 1e-6 : 1e-9));
  CHECK(t.missing_s == Approx(s.missing_s).margin(1e-9));
}

/// A capture in a file, and what it is once read.
struct There {
  test::Folder folder;
  book::Book from = book::Book::open(folder / "a.kuvio", book::Book::Mode::create);
  book::Book to = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  std::string file;
  ImportResult made;

  There(const std::vector<Made>& channels, const char* format, const ExportRequest& request = {}) {
    file = folder / (std::string("x.") + std::string(export_format(format)->ending));
    export_format(format)->write(file, from, from.capture(write(from, channels)), request);
    made = import_file(to, file, {});
  }
};

/// What came back is what went out, of each channel that did.
void require_same(const There& there, bool as_text) {
  const book::CaptureInfo a = there.from.capture(1), b = there.to.capture(there.made.capture);
  CHECK(a.name == b.name);
  CHECK(a.build == b.build);
  CHECK(a.conditions == b.conditions);
  REQUIRE_FALSE(b.channels.empty());
  for (const book::ChannelInfo& c : b.channels) {
    REQUIRE(a.channel(c.name));
    require_same(there.from, *a.channel(c.name), there.to, c, as_text);
  }
}

ImportResult import_text_as(const test::Folder& folder, book::Book& book, const std::string& name,
                            const std::string& text) {
  return import_file(book, folder.write(name, text), {});
}

std::string why_not(const std::function<void()>& run) {
  try {
    run();
  } catch (const Error& e) {
    return e.what();
  }
  return {};
}

std::string text_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

}  // namespace

TEST_CASE("HDF5 out and in: the same samples at the same ticks, gaps, flags, log and conditions") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  for (int round = 0; round < 25; ++round) {
    INFO("round " << round);
    const There there(RandomCapture(random).channels(), "hdf5");
    REQUIRE(there.from.capture(1).channels.size() ==
            there.to.capture(there.made.capture).channels.size());
    require_same(there, false);
    const book::CaptureInfo b = there.to.capture(there.made.capture);
    const auto log = there.to.log(b.id);
    REQUIRE(log.size() == 2);
    CHECK(log[0].text == "uplink done 396 B");
    CHECK(log[1].sent);
    CHECK(log[1].time_s == 0.5);
    const auto events = there.to.events(b.id);
    REQUIRE(events.size() == 2);
    CHECK(there.to.output_switches(b.id).size() == 1);
  }
}

TEST_CASE("CSV out and in: the same samples at the same ticks, gaps, flags and conditions") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  for (int round = 0; round < 25; ++round) {
    INFO("round " << round);
    const There there(RandomCapture(random).channels(), "csv");
    require_same(there, true);
  }
}

TEST_CASE("a value change dump out and in: the same edges and the same gaps") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  for (int round = 0; round < 25; ++round) {
    INFO("round " << round);
    RandomCapture capture(random);
    std::vector<Made> channels;
    const TimeBase base = round % 3 == 0   ? TimeBase{1, 1000}
                          : round % 3 == 1 ? TimeBase{1, 1'000'000'000}
                                           : TimeBase{1, 48000};
    for (int i = 0; i < 3; ++i) {
      Made c;
      c.info.name = "line" + std::to_string(i);
      c.info.quantity = Quantity::logic;
      c.info.unit = "";
      c.info.kind = SampleKind::averaged;
      c.info.time_base = base;
      std::int64_t at = round % 2 ? -500 : 0;
      for (std::size_t k = 0; k < 1 + capture.below(3); ++k) {
        Made::Piece p;
        double level = static_cast<double>(capture.below(2));
        for (std::size_t n = 1 + capture.below(300); n > 0; --n) {
          p.times.push_back(at);
          p.values.push_back(level = 1 - level);
          at += 1 + static_cast<std::int64_t>(capture.below(50));
        }
        p.end = at;
        if (capture.below(2))
          c.flags.push_back({Flag::not_a_number, base.seconds(at + 2), base.seconds(at + 7), 1});
        at += 10;
        c.pieces.push_back(std::move(p));
      }
      channels.push_back(std::move(c));
    }
    const There there(channels, "vcd");
    const book::CaptureInfo a = there.from.capture(1), b = there.to.capture(there.made.capture);
    REQUIRE(b.channels.size() == 3);
    for (const book::ChannelInfo& c : a.channels) {
      INFO(c.name);
      const book::ChannelTrace p(there.from, c), q(there.to, *b.channel(c.name));
      const auto x = samples(p), y = samples(q);
      REQUIRE(x.size() == y.size());
      for (std::size_t i = 0; i < x.size(); ++i) {
        REQUIRE(x[i].value == y[i].value);
        REQUIRE(x[i].time == Approx(y[i].time).margin(0.6e-12).epsilon(1e-15));
      }
      REQUIRE(p.blocks().size() == q.blocks().size());
      for (std::size_t i = 0; i < p.blocks().size(); ++i)
        CHECK(p.time_base().seconds(p.blocks()[i].end) ==
              Approx(q.time_base().seconds(q.blocks()[i].end)).margin(0.6e-12).epsilon(1e-15));
      REQUIRE(p.flags().size() == q.flags().size());
      for (std::size_t i = 0; i < p.flags().size(); ++i) {
        CHECK(q.flags()[i].flag == Flag::not_a_number);
        CHECK(p.flags()[i].from_s == Approx(q.flags()[i].from_s).margin(1e-12).epsilon(1e-15));
        CHECK(p.flags()[i].to_s == Approx(q.flags()[i].to_s).margin(1e-12).epsilon(1e-15));
      }
    }
  }
}

TEST_CASE("what lies outside the span that is asked for is not in the file") {
  Made c;
  c.info = test::current_channel();
  c.info.time_base = {1, 1000};
  Made::Piece p;
  p.period = 1;
  for (int i = 0; i < 1000; ++i) p.values.push_back(i);
  c.pieces.push_back(p);
  ExportRequest request;
  request.from_s = 0.25;
  request.to_s = 0.5;
  for (const char* format : {"csv", "hdf5"}) {
    INFO(format);
    const There there({c}, format, request);
    const book::CaptureInfo b = there.to.capture(there.made.capture);
    const auto all = samples(book::ChannelTrace(there.to, b.channels.front()));
    REQUIRE(all.size() == 251);
    CHECK(all.front() == Sample{0.25, 250});
    CHECK(all.back() == Sample{0.5, 500});
  }
}

TEST_CASE("dumps of others: vectors bit by bit, scopes, times in tens, values without a change") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  const ImportResult made = import_text_as(folder, book, "bus.vcd",
                                           "$date today $end\n$timescale 10 us $end\n"
                                           "$scope module top $end $scope module cpu $end\n"
                                           "$var reg 4 # state [3:0] $end $var wire 1 ! irq $end\n"
                                           "$upscope $end $var wire 1 & irq $end\n"
                                           "$var real 64 r volts $end\n"
                                           "$upscope $end\n$enddefinitions $end\n"
                                           "#0\n$dumpvars\nbx #\n0!\n1&\nr3.3 r\n$end\n"
                                           "#100\nb101 #\n#150 1! 1! #200\nb1 # r2.5 r\n#300\n");
  CHECK(made.warnings ==
        std::vector<std::string>{"\"volts\" is real, no logic line, and was left out"});
  const book::CaptureInfo c = book.capture(made.capture);
  REQUIRE(c.channels.size() == 6);
  const auto line = [&](const char* name) {
    INFO(name);
    REQUIRE(c.channel(name));
    return samples(book::ChannelTrace(book, *c.channel(name)));
  };
  CHECK(line("state[0]") == std::vector<Sample>{{0.001, 1}});
  CHECK(line("state[2]") == std::vector<Sample>{{0.001, 1}, {0.002, 0}});
  CHECK(line("state[3]") == std::vector<Sample>{{0.001, 0}});
  CHECK(line("top.cpu.irq") == std::vector<Sample>{{0, 0}, {0.0015, 1}});
  CHECK(line("top.irq") == std::vector<Sample>{{0, 1}});
  const book::ChannelTrace trace(book, *c.channel("state[2]"));
  CHECK(trace.to_s() == 0.003);
  CHECK(c.name == "bus");
}

TEST_CASE("a dump that breaks off within a value is read up to it, and says so") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  const std::string head =
      "$timescale 1 ms $end\n$var wire 1 !a a $end\n$var wire 1 ! b $end\n"
      "$enddefinitions $end\n#0\n0!a\n0!\n#7\n";
  int n = 0;
  for (const char* torn : {"1!", "b1", "b1 ", "b1 !", "#1"}) {
    INFO(torn);
    const ImportResult made =
        import_text_as(folder, book, "t" + std::to_string(n++) + ".vcd", head + torn);
    CHECK(made.warnings == std::vector<std::string>{"the last line is incomplete and was skipped"});
    const book::CaptureInfo c = book.capture(made.capture);
    for (const char* line : {"a", "b"}) {
      CHECK(samples(book::ChannelTrace(book, *c.channel(line))) == std::vector<Sample>{{0, 0}});
      CHECK(book::ChannelTrace(book, *c.channel(line)).to_s() == 0.007);
    }
  }
}

TEST_CASE("what is no dump is refused with its line, and leaves nothing") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  const std::string head = "$timescale 1 ns $end\n$var wire 1 ! a $end\n$enddefinitions $end\n";
  const std::pair<std::string, const char*> wrong[]{
      {"$timescale 3 ns $end\n$var wire 1 ! a $end\n$enddefinitions $end\n#0\n1!\n", ":1"},
      {head + "#5\n1!\n#4\n0!\n", ":6"},
      {head + "#0\n1?\n#9\n", "not declared"},
      {head + "#0\nb11 !\n#9\n", "more bits"},
      {head + "#0\nhello\n#9\n", "neither"},
      {head + "#99999999999999999999\n1!\n#1\n", "no time"},
      {head, "no time"},
      {"$timescale 1 ns $end\n$enddefinitions $end\n#0\n", "no logic line"},
      {"$var wire 1 ! a $end\n$timescale 1 ns", "within a declaration"},
      {"$var wire 99999999 ! a $end\n$enddefinitions $end\n#0\n1!\n", "lines"},
  };
  for (const auto& [text, says] : wrong) {
    INFO(text);
    CHECK_THAT(why_not([&, &given = text] { import_text_as(folder, book, "w.vcd", given); }),
               Catch::Contains(says));
    CHECK(book.captures().empty());
  }
}

TEST_CASE("a samples file that somebody has changed is refused where it makes no sense") {
  Made c;
  c.info = test::current_channel();
  c.info.time_base = {1, 1000};
  Made::Piece p;
  p.period = 1;
  p.values = {1, 2, 3, 4, 5};
  c.pieces.push_back(p);
  const There there({c}, "csv");
  const std::string good = text_of(there.file);
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  const auto changed = [&](const std::string& from, const std::string& to) {
    std::string text = good;
    REQUIRE(text.find(from) != std::string::npos);
    text.replace(text.find(from), from.size(), to);
    return why_not([&] { import_text_as(folder, book, "w.csv", text); });
  };
  CHECK(changed("0.002000,3", "0.002000,3") == "");
  book.discard(book.captures().front().id);
  CHECK_THAT(changed("0.002000,3", "0.002500,3"), Catch::Contains("period"));
  CHECK_THAT(changed("0.002000,3", "0.000500,3"), Catch::Contains("period"));
  CHECK_THAT(changed("0.002000,3", "0.002000"), Catch::Contains("cell is missing"));
  CHECK_THAT(changed("0.002000,3", "0.002000,3,4"), Catch::Contains("more cells"));
  CHECK_THAT(changed("0.002000,3", "0.002000,x"), Catch::Contains("no number"));
  CHECK_THAT(changed("# tick: 1/1000 s", "# tick: 0/1000 s"), Catch::Contains("span of time"));
  CHECK_THAT(changed("every 1/1000 s", "every 1/1001 s"), Catch::Contains("ticks"));
  CHECK_THAT(changed("current; A", "current; V"), Catch::Contains("comes in"));
  CHECK(book.captures().empty());
}

TEST_CASE("a file that is no HDF5 inside, or none of ours, is refused and leaves nothing") {
  Made c;
  c.info = test::current_channel();
  c.info.time_base = {1, 1000};
  Made::Piece p;
  p.period = 1;
  for (int i = 0; i < 5000; ++i) p.values.push_back(std::sin(i));
  c.pieces.push_back(p);
  const There there({c}, "hdf5");
  const std::string good = text_of(there.file);
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  const std::string path = folder / "w.h5";
  std::mt19937_64 random(7);
  std::size_t refused = 0;
  for (int round = 0; round < 60; ++round) {
    std::string bad = good;
    if (round % 3 == 0) bad.resize(random() % bad.size());
    for (int k = 0; k < 1 + round % 20; ++k)
      bad[random() % bad.size()] = static_cast<char>(random());
    bad.replace(0, 8, good, 0, 8);
    folder.write("w.h5", bad);
    const std::string why = why_not([&] { import_file(book, path, {}); });
    if (why.empty()) {  // what was changed said nothing of the samples
      for (const auto& info : book.captures()) book.discard(info.id);
    } else {
      ++refused;
      CHECK_THAT(why, Catch::Contains("w.h5"));
    }
    CHECK(book.captures().empty());
  }
  CHECK(refused > 20);
}

TEST_CASE("what a text log alone has is refused for a file that says it itself") {
  Made c;
  c.info = test::current_channel();
  Made::Piece p;
  p.period = 1;
  p.values = {1, 2, 3};
  c.pieces.push_back(p);
  const There there({c}, "hdf5");
  ImportSettings settings;
  settings.shunt_ohm = 0.1;
  book::Book to = book::Book::open(there.folder / "c.kuvio", book::Book::Mode::create);
  CHECK_THAT(why_not([&] { import_file(to, there.file, settings); }), Catch::Contains("HDF5"));
}

TEST_CASE("an import of another kind gives up when it is asked to, and leaves nothing") {
  std::mt19937_64 random(3);
  for (const char* format : {"csv", "hdf5"}) {
    INFO(format);
    const There there(RandomCapture(random).channels(), format);
    std::stop_source stop;
    stop.request_stop();
    book::Book to = book::Book::open(there.folder / "c.kuvio", book::Book::Mode::create);
    CHECK_THAT(why_not([&] { import_file(to, there.file, {}, stop.get_token()); }),
               Catch::Contains("cancelled"));
    CHECK(to.captures().empty());
  }
}
