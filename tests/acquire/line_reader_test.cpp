// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/line_reader.h"

#include "acquire/ring.h"
#include "core/special_value.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::acquire;
using What = LineReader::What;

namespace {
/// The last line's reading; requires that it is one.
LineReader::Reading last_of(LineReader& reader, const std::vector<std::string>& lines) {
  LineReader::Reading out;
  What what = What::nothing;
  for (const auto& line : lines) what = reader.take(line, out);
  REQUIRE(what == What::reading);
  return out;
}
}  // namespace

TEST_CASE("a header line names columns and units") {
  LineReader reader("");
  const auto r = last_of(reader, {"t [ms],I [uA],U (V)", "12.5,3.25,3.6\r"});
  CHECK(*r.time_ns == 12'500'000);
  CHECK_THAT(r.values, Catch::Approx(std::vector<double>{3.25e-6, 3.6}));
  CHECK(reader.values()[0].name == "I");
  CHECK(reader.values()[1].quantity == Quantity::voltage);
  CHECK(reader.guessed().empty());
  LineReader::Reading ignored;
  CHECK(reader.take("t [ms],I [uA],U (V)", ignored) == What::header);  // it comes again
  CHECK(reader.take("", ignored) == What::nothing);
  CHECK(reader.take("# remark", ignored) == What::nothing);
}

TEST_CASE("units in every cell say what the columns are") {
  LineReader reader("");
  const auto r = last_of(reader, {"1034 ms; 3.28 V; 71.9 mA"});
  CHECK(*r.time_ns == 1'034'000'000);
  CHECK_THAT(r.values, Catch::Approx(std::vector<double>{3.28, 71.9e-3}));
  CHECK(reader.values()[0].name == "V");
  CHECK(reader.values()[1].name == "I");
  const auto other = last_of(reader, {"1044 ms; 3.27 V; 900 uA"});  // another unit
  CHECK_THAT(other.values, Catch::Approx(std::vector<double>{3.27, 900e-6}));
  LineReader::Reading ignored;
  CHECK(reader.take("1054 ms; 3,28 V; 900 uA", ignored) == What::text);  // one mark for all lines
  LineReader commas("");
  CHECK_THAT(last_of(commas, {"1044 ms; 3,28 V; 1.900,5 uA"}).values,
             Catch::Approx(std::vector<double>{3.28, 1900.5e-6}));
}

TEST_CASE("a lone number is taken as a current, and that is told") {
  LineReader reader("");
  CHECK(last_of(reader, {"+1.25E-03"}).values == std::vector<double>{1.25e-3});
  CHECK_FALSE(reader.guessed().empty());
  LineReader told("I [mA]");
  CHECK(last_of(told, {"1.25"}).values.at(0) == Approx(1.25e-3));
}

TEST_CASE("special values are marked, what is no reading is text") {
  LineReader reader("I [A],V [V]");
  const auto r = last_of(reader, {"OVLD,NaN"});
  CHECK(r.values == std::vector<double>{kOverRange, kNotANumber});
  CHECK(last_of(reader, {"-9.9E37,9.91E37"}).values ==
        std::vector<double>{kBelowRange, kNotANumber});
  CHECK(last_of(reader, {",1"}).values[0] == kNotANumber);
  LineReader::Reading ignored;
  for (const char* text : {"1.0", "1,2,3", "1.0x,2", "boot ok", "1.2.3,4", "0x12,1", "1,2 kg"}) {
    INFO(text);
    CHECK(reader.take(text, ignored) == What::text);
  }
}

TEST_CASE("several numbers without a word about them are no readings") {
  LineReader reader("");
  LineReader::Reading ignored;
  CHECK(reader.take("1.0,2.0", ignored) == What::text);
  CHECK_THROWS_WITH(LineReader("a,b"), Catch::Contains("neither a current nor a voltage"));
}

TEST_CASE("tabs and spaces part cells too") {
  LineReader tabs("");
  CHECK(last_of(tabs, {"time_s\tcurrent_ma", "0,5\t1,5"}).values.at(0) == Approx(1.5e-3));
  LineReader spaces("t [s],I [A]");
  CHECK(last_of(spaces, {"0.5   0.25"}).values == std::vector<double>{0.25});
}

TEST_CASE("a header that comes again in another order is told, and changes nothing that was said") {
  LineReader reader("x,I [mA],U [V]");
  LineReader::Reading out;
  CHECK(reader.take("1,2,3", out) == LineReader::What::reading);
  CHECK(reader.take("U [V],t [ms],I [mA]", out) == LineReader::What::header);
  CHECK_FALSE(reader.has_time());
  CHECK(reader.titles().empty());
  REQUIRE(reader.take("1,2,3", out) == LineReader::What::reading);
  CHECK_FALSE(out.time_ns);
  CHECK(out.values == std::vector<double>{2e-3, 3});
  LineReader by_header("");
  CHECK(by_header.take("t [ms],I [mA]", out) == LineReader::What::header);
  CHECK(by_header.take("I [mA],t [ms]", out) == LineReader::What::other_header);
  REQUIRE(by_header.take("5,7", out) == LineReader::What::reading);
  CHECK(*out.time_ns == 5'000'000);
  CHECK(out.values == std::vector<double>{7e-3});
  CHECK(by_header.titles() == "t [ms],I [mA]");
  // With other units it is heeded, by name too where the first came from an earlier look.
  CHECK(by_header.take("t [s],I [uA]", out) == LineReader::What::other_units);
  REQUIRE(by_header.take("5,7", out) == LineReader::What::reading);
  CHECK(*out.time_ns == 5'000'000'000);
  CHECK(out.values == std::vector<double>{7e-6});
  CHECK(by_header.titles() == "t [s],I [uA]");
  LineReader learned("t [ms],I [mA]", true);
  CHECK(learned.take("t [ms],I [mA]", out) == LineReader::What::header);
  CHECK(learned.take("t [ms],I [A]", out) == LineReader::What::other_units);
  LineReader said("t [ms],I [mA]");
  CHECK(said.take("t [ms],I [A]", out) == LineReader::What::header);
  REQUIRE(said.take("5,7", out) == LineReader::What::reading);
  CHECK(out.values == std::vector<double>{7e-3});
  CHECK_THROWS_WITH(LineReader("").take("t [s],I [kX]", out),
                    Catch::Contains("not a unit of current"));
  LineReader minutes("t [min],I [mA]");
  REQUIRE(minutes.take("1.5,7", out) == LineReader::What::reading);
  CHECK(*out.time_ns == 90'000'000'000);
}

TEST_CASE("between spaces a unit belongs to the number before it") {
  for (const char* line : {"7.0 mA", "7.0mA", "+7.0 mA", "7000 uA", "0.007 A"}) {
    INFO(line);
    LineReader reader("");
    LineReader::Reading out;
    REQUIRE(reader.take(line, out) == LineReader::What::reading);
    REQUIRE(out.values.size() == 1);
    CHECK(out.values[0] == Approx(7e-3));
  }
  LineReader three("");
  LineReader::Reading out;
  REQUIRE(three.take("1034 ms 3.28 V 71.9 mA", out) == LineReader::What::reading);
  REQUIRE(three.values().size() == 2);
  CHECK(*out.time_ns == 1'034'000'000);
  CHECK(out.values[0] == Approx(3.28));
  CHECK(out.values[1] == Approx(71.9e-3));
  REQUIRE(three.take("1035 ms OL V 5 uA", out) != LineReader::What::reading);  // half of one
  REQUIRE(three.take("1036 ms 3.3 V OL", out) == LineReader::What::reading);
  CHECK(flag_of_value(out.values[1]) == Flag::over_range);
  // A header of words stays one, as does a line of plain numbers.
  LineReader words("");
  CHECK(words.take("t I V", out) != LineReader::What::reading);
}

TEST_CASE("what a line's cells would be taken for is known before anybody reads by it") {
  const auto roles = [](const char* line) {
    std::string out;
    for (const auto& c : columns_of_line(line))
      out += c.role == formats::Role::time      ? 't'
             : c.role == formats::Role::current ? 'I'
             : c.role == formats::Role::voltage ? 'V'
                                                : '-';
    return out;
  };
  CHECK(roles("t [ms],I [uA],V") == "tIV");
  CHECK(roles("1034 ms; 3,28 V; 71,9 mA") == "tVI");
  CHECK(roles("1034;7.5;3300") == "---");
  CHECK(roles("1034 7.5  3300 -2") == "----");
  CHECK(roles("") == "");
  CHECK(columns_of_line("71.9 mA").front().factor == Approx(1e-3));
}

TEST_CASE("a line of units below a header without any holds, and may come again") {
  LineReader reader("");
  LineReader::Reading out;
  CHECK(reader.take("Time;Current;Voltage", out) == What::header);
  CHECK(reader.take("ms;mA;V", out) == What::header);
  REQUIRE(reader.take("5;7;3.6", out) == What::reading);
  CHECK(*out.time_ns == 5'000'000);
  CHECK(out.values == std::vector<double>{7e-3, 3.6});
  CHECK(reader.take("Time;Current;Voltage", out) == What::header);
  CHECK(reader.take("ms;mA;V", out) == What::header);
  REQUIRE(reader.take("6;7;3.6", out) == What::reading);
  CHECK(out.values == std::vector<double>{7e-3, 3.6});
  CHECK(reader.guessed().empty());
}

TEST_CASE("a number that can be read in two ways waits for one that settles it") {
  LineReader::Reading out;
  LineReader open("");
  CHECK(open.take("t [s];I [mA]", out) == What::header);
  CHECK(open.take("1;1,234", out) == What::open);
  CHECK(open.take("2;2,500", out) == What::open);
  REQUIRE(open.take("3;12,5", out) == What::reading);
  CHECK(out.values == std::vector<double>{12.5e-3});
  REQUIRE(open.take("4;1,234", out) == What::reading);
  CHECK(out.values[0] == Approx(1.234e-3));
  LineReader thousands("");
  CHECK(thousands.take("t [s];I [mA]", out) == What::header);
  REQUIRE(thousands.take("1;1,234.5", out) == What::reading);
  CHECK(out.values[0] == Approx(1.2345));
  REQUIRE(thousands.take("2;1,234", out) == What::reading);
  CHECK(out.values[0] == Approx(1.234));
  LineReader mixed("");
  CHECK(mixed.take("t [s];I [mA]", out) == What::header);
  CHECK(mixed.take("0.5;1,5", out) == What::text);  // two marks in one line
  REQUIRE(mixed.take("0.5;1.5", out) == What::reading);
  CHECK(out.values[0] == Approx(1.5e-3));
  LineReader told("", false, ',');
  CHECK(told.take("t [s];I [mA]", out) == What::header);
  REQUIRE(told.take("1;1,234", out) == What::reading);
  CHECK(out.values[0] == Approx(1.234e-3));
}

TEST_CASE("times of day, dates and counters are read as text logs have them") {
  LineReader::Reading out;
  const auto seconds = [&](LineReader& reader, const char* line) {
    INFO(line);
    REQUIRE(reader.take(line, out) == What::reading);
    return static_cast<double>(*out.time_ns) * 1e-9;
  };
  LineReader clock("");
  CHECK(clock.take("time,I [mA]", out) == What::header);
  const double began = seconds(clock, "23:59:59.5,1");
  CHECK(seconds(clock, "00:00:00.25,1") - began == Approx(0.75));
  CHECK(seconds(clock, "00:00:01,1") - began == Approx(1.5));
  CHECK(clock.take("25:61:00,1", out) == What::text);
  LineReader iso("");
  CHECK(iso.take("time,I [mA]", out) == What::header);
  const double first = seconds(iso, "2026-05-04T14:02:31.25Z,1");
  CHECK(seconds(iso, "2026-05-05T14:02:31.5Z,1") - first == Approx(86400.25));
  LineReader dated("");
  CHECK(dated.take("date;time;I [mA]", out) == What::header);
  const double day = seconds(dated, "2026-05-04;23:59:59;1");
  CHECK(seconds(dated, "2026-05-05;00:00:01;1") - day == Approx(2));
  LineReader counter("");
  CHECK(counter.take("t [ms],I [mA]", out) == What::header);
  seconds(counter, "65000,1");
  seconds(counter, "65500,1");
  CHECK(seconds(counter, "464,1") == Approx(66.0));
  CHECK(seconds(counter, "964,1") == Approx(66.5));
  // Of a file that is followed the first lines are taken twice.
  counter.restart();
  CHECK(seconds(counter, "65000,1") == Approx(65));
  // A time of day that is garbled passes no midnight.
  LineReader garbled("");
  CHECK(garbled.take("time,I [mA]", out) == What::header);
  const double noon = seconds(garbled, "14:00:00,1");
  seconds(garbled, "14:00:01,1");
  seconds(garbled, "01:00:02,1");
  CHECK(seconds(garbled, "14:00:03,1") - noon == Approx(3));
}

TEST_CASE(
    "a byte-order mark, SI prefixes and a typesetter's minus are read as text logs have them") {
  LineReader reader("");
  LineReader::Reading out;
  CHECK(reader.take("\xef\xbb\xbf"
                    "t [s];I [A]",
                    out) == What::header);
  REQUIRE(reader.take("1;4.7u", out) == What::reading);
  CHECK(out.values[0] == Approx(4.7e-6));
  REQUIRE(reader.take("2;\xe2\x88\x92"
                      "5e-6",
                      out) == What::reading);
  CHECK(out.values[0] == Approx(-5e-6));
}
