// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_import.h"

#include "book/channel_trace.h"
#include "book/sqlite.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/text_columns.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <sys/stat.h>

#include <thread>

using namespace kuvio;
using namespace kuvio::formats;
using book::Book;

namespace {

struct Imported {
  test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  ImportResult result;
  book::CaptureInfo info;

  explicit Imported(const std::string& text, ImportSettings settings = {}) {
    settings.name = "c";
    result = import_text(book, folder.write("log.csv", text), settings);
    info = book.capture(result.capture);
  }
  book::ChannelTrace trace(std::size_t channel = 0) const {
    return {book, info.channels.at(channel)};
  }
};

std::string failure_of(const std::string& text, ImportSettings settings = {}) {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  try {
    import_text(book, folder.write("log.csv", text), settings);
  } catch (const Error& e) {
    CHECK(book.captures().empty());
    auto rows = book.database().prepare(
        "SELECT (SELECT count(*) FROM chunk) + (SELECT count(*) FROM capture) + (SELECT count(*) "
        "FROM tail)");
    rows.step();
    CHECK(rows.integer(0) == 0);  // nothing is left behind
    return e.what();
  }
  return "imported";
}

std::string ramp(int n, const std::string& head, double step_s, double slope) {
  std::string out = head + "\n";
  for (int i = 0; i < n; ++i) out += fmt::format("{:.6f},{:.9g}\n", i * step_s, slope * i);
  return out;
}

}  // namespace

TEST_CASE("a ramp has its exact integral between times that fall between samples, for both kinds") {
  ImportSettings settings;
  const Imported instant(ramp(2001, "time (s),current (mA)", 0.001, 0.5), settings);
  CHECK(measure(instant.trace(), 0.12345, 1.5).charge ==
        Approx(0.5 / 2 * (1.5 * 1.5 - 0.12345 * 0.12345)).epsilon(1e-12));
  CHECK(instant.info.channels[0].period_s == Approx(0.001));
  settings.kind = SampleKind::averaged;
  const Imported averaged(ramp(2001, "time (s),current (mA)", 0.001, 0.5), settings);
  // Interval i holds 0.5 i mA: whole intervals 124 … 1499 and a part of 123.
  const double whole = 0.5e-3 * (1499.0 * 1500 / 2 - 123.0 * 124 / 2) * 0.001;
  CHECK(measure(averaged.trace(), 0.12345, 1.5).charge ==
        Approx(whole + 0.00055 * 123 * 0.5e-3).epsilon(1e-12));
}

TEST_CASE("uneven times are kept, and a ramp over them is still exact") {
  std::string text = "t_ms;i_ua\n";
  double t = 0;
  std::mt19937_64 random(1);
  for (int i = 0; i < 500; ++i) {
    text += fmt::format("{:.3f};{:.9g}\n", t, 2 * t);
    t += 0.5 + static_cast<double>(random() % 1000) / 1000;
  }
  const Imported file(text);
  CHECK(file.trace().blocks().size() == 1);
  CHECK(file.info.channels[0].period_s == 0);
  CHECK(measure(file.trace(), 0.0101, 0.2203).charge ==
        Approx(2e-3 / 2 * (0.2203 * 0.2203 - 0.0101 * 0.0101)).epsilon(1e-8));
}

TEST_CASE("averaged samples may be stamped at their start, centre or end") {
  ImportSettings settings;
  settings.kind = SampleKind::averaged;
  for (const auto& [stamp, from] :
       {std::pair{Stamp::start, 1.0}, std::pair{Stamp::centre, 0.95}, std::pair{Stamp::end, 0.9}}) {
    settings.stamp = stamp;
    const Imported file("time_s,amps\n1.0,1\n1.1,2\n1.2,3\n", settings);
    CHECK(file.trace().from_s() == Approx(from));
    CHECK(file.trace().to_s() == Approx(from + 0.3));
  }
}

TEST_CASE("jumps, missing cells and over-range become gaps and flags") {
  std::string text = "\xef\xbb\xbftime (s),I [uA],U (V)\r\n# a remark\r\n";
  for (int i = 0; i < 100; ++i) {
    const std::string value = i == 20              ? ""
                              : i == 40 || i == 41 ? "9.9E37"
                              : i == 60            ? "NaN"
                              : i == 61            ? "9.91E37"
                                                   : "5";
    text += fmt::format("{:.3f},{},3.6\r\n", (i < 80 ? i : i + 50) * 0.001, value);
  }
  const Imported file(text);
  REQUIRE(file.info.channels.size() == 2);
  CHECK(file.info.channels[0].name == "I");
  CHECK(file.info.channels[1].quantity == Quantity::voltage);
  const auto trace = file.trace();
  CHECK(trace.blocks().size() == 5);
  CHECK(file.info.channels[0].flagged == 5);
  const SpanFigures f = measure(trace);
  CHECK(f.over_range == 2);
  CHECK(f.not_a_number == 3);
  CHECK(f.bounds().lower);
  CHECK(*f.mean() == Approx(5e-6));
  CHECK(file.trace(1).blocks().size() == 2);
}

TEST_CASE("columns are guessed and can be told") {
  CHECK(guess_column("Current (mA)").factor == Approx(1e-3));
  CHECK(guess_column("I [uA]").role == Role::current);
  CHECK(guess_column("current_ma").factor == Approx(1e-3));
  CHECK(guess_column("t_us").role == Role::time);
  CHECK(guess_column("amps").role == Role::current);
  CHECK(guess_column("remark").role == Role::ignore);
  CHECK(guess_column("TIME_MS").factor == Approx(1e-3));
  CHECK_THAT(guess_column("TIME_MS").guess, Catch::Contains("MS, which is read as ms"));
  CHECK_THAT(guess_column("CURRENT_UA").guess, Catch::Contains("UA, which is read as uA"));
  CHECK(guess_column("current_ma").guess.empty());
  // A million amperes, or milliamperes in capitals: a factor of 1e9 between them.
  for (const char* title : {"CURRENT_MA", "I [MA]", "t [Ms]", "t_Ms", "U (MV)", "I [GA]"}) {
    INFO(title);
    CHECK_THAT(guess_column(title).doubt, Catch::Contains("small m in capitals"));
  }
  CHECK_THAT(failure_of("TIME_S,CURRENT_MA\n0,1\n1,1\n"), Catch::Contains("--column"));
  ImportSettings settings;
  settings.columns = {"1=time[ms]", "2=current[mA]"};
  const Imported file("0\t1\n1\t2\n2\t3\n", settings);
  CHECK(measure(file.trace()).charge == Approx(4e-6));
  settings.columns = {"shunt=voltage[mV]"};
  settings.shunt_ohm = 0.1;
  settings.rate_hz = 100;
  const Imported shunt("shunt,x\n1,9\n1,9\n1,9\n", settings);
  CHECK(*measure(shunt.trace()).mean() == Approx(0.01));
  CHECK(shunt.info.channels[0].quantity == Quantity::current);
  CHECK(shunt.trace().to_s() == Approx(0.02));
}

TEST_CASE("junk is refused with its line and leaves nothing behind") {
  CHECK_THAT(failure_of(""), Catch::Contains("no header"));
  CHECK_THAT(failure_of("time (s),current (mA)\n"), Catch::Contains("no samples"));
  CHECK_THAT(failure_of("a,b\n1,2\n"), Catch::Contains("no column of current"));
  CHECK_THAT(failure_of("current (mA),b\n1,2\n"), Catch::Contains("no column of time"));
  CHECK_THAT(failure_of("0,1\n1,2\n"), Catch::Contains("no header line"));
  CHECK_THAT(failure_of("time (s),current (mA)\n0,1\n0.1,broken\n0.2,1\n"),
             Catch::Contains("log.csv:3") && Catch::Contains("broken"));
  CHECK_THAT(failure_of("time (s),current (mA)\n0,1\n0.1\n0.2,1\n"),
             Catch::Contains("log.csv:3") && Catch::Contains("columns"));
  CHECK_THAT(failure_of("time (s),current (mA)\n0,1\nyesterday,1\n0.2,1\n"),
             Catch::Contains("log.csv:3"));
  CHECK_THAT(failure_of("time (s),current (mA)\n0,1\n1,1\n0.5,1\n"),
             Catch::Contains("log.csv:4") && Catch::Contains("backwards"));
  CHECK_THAT(failure_of(std::string("time (s),current (mA)\n0,\0001\n", 26)),
             Catch::Contains("binary"));
  CHECK_THAT(failure_of(std::string(3 << 20, 'x')), Catch::Contains("1 MiB"));
  CHECK_THAT(failure_of("\xff\xfe" + std::string("t\0i\0\n\0", 6)), Catch::Contains("no samples"));
}

TEST_CASE("a torn last line is left out and told") {
  const Imported file("time (s),current (mA)\n0,1\n0.1,1\n0.2,1\n0.3");
  CHECK(file.trace().samples() == 3);
  REQUIRE(file.result.warnings.size() == 1);
  CHECK_THAT(file.result.warnings[0], Catch::Contains("incomplete") && Catch::Contains("line 5"));
}

TEST_CASE("decimals are read exactly") {
  CHECK(*exact_decimal("0.125", 0, 3) == 125);
  CHECK(*exact_decimal("1.2e-05", 0, 9) == 12000);
  CHECK(*exact_decimal("-3.5", -3, 9) == -3500000);
  CHECK(*exact_decimal("1700000000.123456789", 0, 9) == 1700000000123456789);
  CHECK_FALSE(exact_decimal("12x", 0, 9));
  CHECK_FALSE(exact_decimal("", 0, 9));
  CHECK_FALSE(exact_decimal("99999999999999999999", 0, 9));
}

TEST_CASE(
    "a zero with a minus is zero, however its cell is written, and its log packs as any other") {
  std::string text = "time (s),current (mA),voltage\n";
  // Every other row is -0: plain, with its unit, and in quotes.
  for (int i = 0; i < 70'000; ++i)
    text += fmt::format("{:.3f},{},{}\n", i * 0.001,
                        i % 3 == 0   ? "0.0001"
                        : i % 3 == 1 ? "-0.0000"
                                     : "\"-0.0\"",
                        i % 2 == 0 ? "-0.00 V" : "0.01 V");
  const Imported log(text);
  for (std::size_t channel = 0; channel < 2; ++channel) {
    std::vector<double> values(6);
    const book::ChannelTrace trace = log.trace(channel);
    trace.read(trace.blocks()[0], 0, values);
    for (const double v : values) CHECK_FALSE(std::signbit(v));
  }
  auto forms = log.book.database().prepare(
      "SELECT count(*), sum(packed IS NOT NULL AND substr(packed, 1, 1) = x'01') FROM chunk");
  REQUIRE(forms.step());
  CHECK(forms.integer(0) >= 2);
  CHECK(forms.integer(1) == forms.integer(0));  // whole numbers, all of them
}

TEST_CASE("minutes, hours, days and years are read exactly") {
  const auto lasts = [](const char* head, const char* last) {
    return Imported(fmt::format("{},I [mA]\n0,1\n{},1\n", head, last)).info.duration_s();
  };
  CHECK(lasts("t [min]", "3") == 180);
  CHECK(lasts("Time (h)", "3") == 10800);
  CHECK(lasts("t [min]", "0.125") == 7.5);
  CHECK(lasts("time [d]", "1.5") == 129600);
  CHECK(lasts("t [us]", "3e6") == 3);
  CHECK(exact_decimal("1.000000001", 0, 9, 60) == 60'000'000'060);
  CHECK(exact_decimal("153722867280", 0, 9, 60) == std::nullopt);  // beyond 64 bits
}

TEST_CASE(
    "a unit is read where it stands, asked for where words are none, told where it is taken") {
  // What a column of 2 (in its unit) comes to, in A or V.
  const auto reads = [](const std::string& title) {
    const Imported log("t [s]," + title + "\n0,2\n1,2\n2,2\n");
    return measure(log.trace()).charge / 2;
  };
  for (const char* title :
       {"current mA", "I [mA] avg", "current_ma_avg", "\"I [mA]\"\"", "I [mA]\"", "I mA", "(mA)",
        "Current (load) [mA]", "load_ma", "current avg mA"}) {
    INFO(title);
    CHECK(reads(title) == Approx(2e-3));
  }
  CHECK(reads("amps") == Approx(2));
  CHECK(reads("volts") == Approx(2));
  CHECK(reads("U (mV)") == Approx(2e-3));
  for (const char* title :
       {"current sense", "I (avg)", "I [kX]", "current_s", "I [mV]", "V_batt"}) {
    INFO(title);
    const std::string why = failure_of("t [s]," + std::string(title) + "\n0,2\n1,2\n");
    CHECK_THAT(why, Catch::Contains("log.csv:1") && Catch::Contains("--column \"2="));
  }
  CHECK_THAT(failure_of("time [mA],I [mA]\n0,2\n1,2\n"), Catch::Contains("a unit of current"));
  // Told what it is, it is read.
  ImportSettings settings;
  settings.columns = {"2=current[uA]"};
  CHECK(measure(Imported("t [s],current sense\n0,2\n1,2\n", settings).trace()).charge ==
        Approx(2e-6));
  const Imported taken("t,current\n0,2\n1,2\n");
  REQUIRE(taken.result.warnings.size() == 2);
  CHECK_THAT(taken.result.warnings[1],
             Catch::Contains("\"current\" names no unit") && Catch::Contains("read in A"));
  CHECK(Imported("t [s],amps\n0,2\n1,2\n").result.warnings.empty());
}

TEST_CASE("columns of one name become channels of their own names") {
  const Imported log("t [s],I [mA],I [mA],U [V],I [uA]\n0,1,2,3,4\n1,1,2,3,4\n");
  REQUIRE(log.info.channels.size() == 4);
  const char* names[] = {"I", "I2", "U", "I3"};
  const double charges[] = {1e-3, 2e-3, 3, 4e-6};
  for (std::size_t c = 0; c < 4; ++c) {
    CHECK(log.info.channels[c].name == names[c]);
    CHECK(measure(log.trace(c)).charge == Approx(charges[c]));
  }
  ImportSettings settings;
  settings.columns = {"I=ignore"};
  CHECK_THAT(failure_of("t [s],I [mA],I [mA]\n0,1,2\n1,1,2\n", settings),
             Catch::Contains("several such columns"));
}

TEST_CASE("a log whose step changes for good has a new rate, not a gap at every sample") {
  // One short step first.
  std::string text = "t [s],I [mA]\n0,1\n0.01,1\n";
  for (int i = 1; i < 100; ++i) text += fmt::format("{},1\n", i);
  CHECK(measure(Imported(text).trace()).charge == Approx(99e-3).epsilon(1e-12));
  CHECK(measure(Imported(text).trace()).missing_s == 0);
  // It slows down, with a wobble; and both again with a true gap in the slow part.
  for (const double wobble : {0.0, 0.3}) {
    for (const double gap : {0.0, 7200.0}) {
      text = "t [s],I [mA]\n";
      for (int i = 0; i < 10; ++i) text += fmt::format("{},1\n", i);
      double t = 9;
      for (int i = 0; i < 1000; ++i) {
        t += 60 + (i % 3 - 1) * wobble + (i == 500 ? gap : 0);
        text += fmt::format("{:.3f},1\n", t);
      }
      INFO(wobble << " " << gap);
      const auto f = measure(Imported(text).trace());
      CHECK(f.missing_s == Approx(gap > 0 ? gap + 60 + wobble : 0.0).margin(2 * wobble + 1e-9));
      CHECK(f.charge == Approx((t - f.missing_s) * 1e-3).epsilon(1e-9));
    }
  }
  // Three jumps of one kind are three gaps still, and gaps of their own lengths always are.
  text = "t [s],I [mA]\n";
  double t = 0;
  for (int i = 0; i < 200; ++i) {
    t += i == 50 || i == 51 || i == 52 ? 0.5 : i == 100 ? 3 : i == 101 ? 5 : 0.1;
    text += fmt::format("{:.1f},1\n", t);
  }
  CHECK(measure(Imported(text).trace()).missing_s == Approx(3 * 0.5 + 3 + 5));
}

TEST_CASE("an import that is mostly missing says so") {
  std::string text = "t [s],I [mA]\n";
  for (int i = 0; i < 100; ++i) text += fmt::format("{},1\n", i * 0.1 + (i >= 50 ? 1000 : 0));
  const Imported log(text);
  REQUIRE(log.result.warnings.size() == 1);
  CHECK_THAT(log.result.warnings[0], Catch::Contains("of I's") && Catch::Contains("is missing"));
}

TEST_CASE("what was no data at a log's ends is missing time, and bounds its figures") {
  // 100 readings, the first 20 or the last 50 over range.
  for (const auto& [first, last] : {std::pair{0, 50}, {20, 100}, {20, 50}}) {
    std::string text = "t [s],I [mA]\n";
    for (int i = 0; i < 100; ++i)
      text += fmt::format("{},{}\n", i, i >= first && i < last ? "1" : "OVLD");
    ImportSettings settings;
    settings.kind = SampleKind::averaged;
    const Imported log(text, settings);
    const auto trace = log.trace();
    INFO(first << " … " << last);
    CHECK(log.info.duration_s() == 100);
    CHECK(trace.to_s() - trace.from_s() == 100);
    const auto f = measure(trace);
    CHECK(f.missing_s == Approx(100 - (last - first)));
    CHECK(f.over_range == 100 - (last - first));
    CHECK(f.bounds().lower);
    CHECK(f.charge == Approx((last - first) * 1e-3));
  }
  // Of another kind it is missing, and no bound.
  const Imported nan("t [s],I [mA]\n0,1\n1,1\n2,nan\n3,\n");
  CHECK(nan.info.duration_s() == 4);
  CHECK(measure(nan.trace()).missing_s == 3);
  CHECK_FALSE(measure(nan.trace()).bounds().any());
  const Imported all("t [s],I [mA]\n0,OL\n1,OL\n2,OL\n");
  CHECK(all.info.duration_s() == 3);
  CHECK(measure(all.trace()).missing_s == 3);
}

TEST_CASE("a pipe is read once, also where the log is uneven, and junk by a pipe is told") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  std::string text = "t [s],I [mA]\n";
  double t = 0, charge = 0;
  for (int i = 0; i < 200'000; ++i) {
    const double step = 0.001 + 1e-4 * (i % 7);
    if (i > 0) charge += step * 2e-3;
    if (i > 0) t += step;
    text += fmt::format("{:.4f},2\n", t);
  }
  const std::string pipe = folder / "pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  const auto feed = [&](const std::string& what) {
    return std::thread([&pipe, what] { std::ofstream(pipe, std::ios::binary) << what; });
  };
  auto writer = feed(text);
  ImportSettings settings;
  settings.name = "c";
  const auto result = import_text(book, pipe, settings);
  writer.join();
  const auto info = book.capture(result.capture);
  CHECK(info.channels[0].samples == 200'000);
  CHECK(measure(book::ChannelTrace(book, info.channels[0])).charge == Approx(charge).epsilon(1e-9));
  writer = feed("t [s],I [mA]\n0,1\n1,x\n");
  CHECK_THROWS_WITH(import_text(book, pipe, settings), Catch::Contains("pipe:3"));
  writer.join();
  writer = feed(std::string("t [s]\0", 6));
  CHECK_THROWS_WITH(import_text(book, pipe, settings), Catch::Contains("binary"));
  writer.join();
}

TEST_CASE("one garbled digit is no counter that wraps, and a wrap is told") {
  // 124 became 624: the steps before and behind it are alike through 1000, and are no step of it.
  std::string text = "t [s],I [mA]\n";
  for (int t = 100; t < 160; t += 2) text += std::to_string(t == 124 ? 624 : t) + ",5\n";
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  try {
    import_text(book, folder.write("garbled.csv", text), {});
    FAIL("it was taken");
  } catch (const Error& e) {
    CHECK_THAT(e.what(), Catch::Contains(":15") && Catch::Contains("backwards"));
  }
  text = "t [ms],I [mA]\n";
  for (int t = 65000; t < 66000; t += 50) text += std::to_string(t % 65536) + ",5\n";
  const auto result = import_text(book, folder.write("wrapped.csv", text), {});
  CHECK_THAT(
      result.warnings,
      Catch::VectorContains(std::string("its counter of time went round once, first at line 13")));
  CHECK(book.capture(result.capture).channels.front().to_s == Approx(65.95));
}
