// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_import.h"

#include "book/channel_trace.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/text_columns.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

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
  CHECK(file.info.channels[1].quantity == "voltage");
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
  ImportSettings settings;
  settings.columns = {"1=time[ms]", "2=current[mA]"};
  const Imported file("0\t1\n1\t2\n2\t3\n", settings);
  CHECK(measure(file.trace()).charge == Approx(4e-6));
  settings.columns = {"shunt=voltage[mV]"};
  settings.shunt_ohm = 0.1;
  settings.rate_hz = 100;
  const Imported shunt("shunt,x\n1,9\n1,9\n1,9\n", settings);
  CHECK(*measure(shunt.trace()).mean() == Approx(0.01));
  CHECK(shunt.info.channels[0].quantity == "current");
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
  CHECK_THAT(failure_of("\xff\xfe" + std::string("t\0i\0\n\0", 6)), Catch::Contains("UTF-16"));
}

TEST_CASE("a torn last line is left out and told") {
  const Imported file("time (s),current (mA)\n0,1\n0.1,1\n0.2,1\n0.3");
  CHECK(file.trace().samples() == 3);
  REQUIRE(file.result.warnings.size() == 1);
  CHECK_THAT(file.result.warnings[0], Catch::Contains("torn") && Catch::Contains("line 5"));
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
