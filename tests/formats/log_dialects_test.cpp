// SPDX-License-Identifier: GPL-3.0-or-later
// Text logs in every dialect that turns up: files of tests/data with the figures they must come to,
// worked out by hand, and files made by a grammar of dialects.

#include "book/channel_trace.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/log_time.h"
#include "formats/text_columns.h"
#include "formats/text_import.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <random>

using namespace kuvio;
using namespace kuvio::formats;
using book::Book;
namespace fs = std::filesystem;

namespace {

const std::string kData = std::string(KUVIO_SOURCE) + "/tests/data/";

/// What a file must come to. Nearly all hold ten instants 0.1 s apart, five of 2 mA and five of
/// 4 mA: 4 · 0.2 mC, 0.3 mC over the step, 4 · 0.4 mC are 2.7 mC in 0.9 s.
struct Expected {
  const char* file;
  double charge_mc = 2.7, length_s = 0.9, missing_s = 0;
  double from_s = 0;
  std::size_t captures = 1, channels = 1;
  double shunt = 0;
};

const Expected kExpected[] = {
    {"plain.csv"},
    {"crlf.csv"},
    {"bom.csv"},
    {"utf16le.csv"},
    {"utf16be.csv"},
    {"tabs.tsv"},
    {"spaces.txt"},
    {"bars.txt"},
    {.file = "decimal-comma.csv", .channels = 2},
    {"german-thousands.csv"},
    {"english-thousands.csv"},
    {"quoted-thousands.csv"},
    {.file = "units-row.csv", .channels = 2},
    {.file = "units-row-brackets.csv", .channels = 2},
    {.file = "units-in-cells.txt", .channels = 2},
    {"units-in-cells-titled.txt"},
    {"prefixes.csv"},
    {"engineering.csv"},
    {.file = "minus-sign.csv", .charge_mc = -2.7},
    {"preamble-key-value.csv"},
    {"preamble-hashes.csv"},
    {"remark-inside.csv"},
    {"rate-in-preamble.csv"},
    {"interval-in-name.csv"},
    {"counted.csv"},
    {"iso.csv"},
    {"iso-blank-offset.csv"},
    {"midnight.csv"},
    {"date-and-time.csv"},
    {"elapsed-clock.csv"},
    {"epoch.csv"},
    {.file = "before-trigger.csv", .from_s = -0.5},
    {"milliseconds.csv"},
    {"microseconds.csv"},
    {.file = "wrap-16.csv", .from_s = 65.036},
    {.file = "wrap-32.csv", .from_s = 4294.467296},
    {.file = "wrap-decimal.csv", .from_s = 9.5},
    {.file = "began-again.csv", .captures = 2},
    {.file = "began-again-header.csv", .captures = 2},
    // A second more between the halves: the step over it is not measured.
    {.file = "gap.csv", .charge_mc = 2.4, .length_s = 1.9, .missing_s = 1.1},
    // A sample that is none: 4 · 0.2 mC and 3 · 0.4 mC, 0.2 s missing around it.
    {.file = "over-range.csv", .charge_mc = 2.0, .missing_s = 0.2},
    {.file = "overload-word.csv", .charge_mc = 2.0, .missing_s = 0.2},
    {.file = "empty-cells.csv", .charge_mc = 2.0, .missing_s = 0.2},
    {.file = "not-a-number.csv", .charge_mc = 1.6, .missing_s = 0.3},
    {"stands-still.csv"},
    {"latin1.csv"},
    {.file = "fixed-width.txt", .channels = 2},
    {"blanks-in-titles.txt"},
    {"date-with-points.csv"},
    {"afternoon.csv"},
    {"apostrophes.csv"},
    {.file = "dashes.csv", .charge_mc = 2.0, .missing_s = 0.2},
    {"summary-behind.csv"},
    {"capitals.csv"},
    {"unit-words.csv"},
    {"divided-by-units.csv"},
    {"commas-in-titles.csv"},
    {"iso-utc.csv"},
    {"excel.csv"},
    {"torn.csv"},
    {"trailing-separator.csv"},
    {"quoted.csv"},
    {"text-column.csv"},
    // 20 mV and 40 mV over 10 Ohm; both voltages are kept beside the current.
    {.file = "two-voltages.csv", .channels = 3, .shunt = 10},
    {.file = "two-voltages-swapped.csv", .channels = 3, .shunt = 10},
    {.file = "drop.csv", .shunt = 10},
};

/// Files that are not read, and what must be said of them.
const struct Refused {
  const char *file, *where, *why;
  double shunt = 0;
} kRefused[] = {
    {"refused-ambiguous-comma.csv", ":1", "\"2,500\" in line 2 is 2.500 or 2500"},
    {"refused-two-marks.csv", ":1", "\"1,5\" in line 2 has a decimal comma and \"2.5\" in line 3"},
    {"refused-backwards.csv", ":6", "backwards"},
    {"refused-unknown-unit.csv", ":1", "\"sense\" names no unit"},
    {"refused-cells.csv", ":3", "3 columns where the header has 2"},
    {"refused-word.csv", ":3", "\"two\" in column \"I [mA]\" is not a number"},
    {"refused-no-header.csv", ":1", "no header line"},
    {"refused-other-date.csv", ":2", "which the month cannot be told"},
    {"refused-date-with-slashes.csv", ":2", "which the month cannot be told"},
    {"refused-coarse-clock.csv", ":3", "about 5 to the second"},
    {"refused-summary-between.csv", ":4", "\"Average:\" is not a time"},
    {"refused-mega.csv", ":1", "a small m in capitals"},
    {"refused-title-and-cells.csv", ":1", "its title has mA and its cells have uA (line 2)"},
    {"refused-half-units.csv", ":4", "\"2 V\" in column \"I [mA]\" is no current"},
    {"refused-no-rate.csv", ":1", "how far apart"},
    {"refused-three-voltages.csv", ":1", "3 columns of voltage", 10},
    {"refused-empty.csv", ":1", "no header line and no samples"},
    {"refused-unit-beside.csv", ":1", "names no unit, and \"range\" has \"mA\" in line 2"},
    {"refused-key-value.txt", ":1", "is no row of numbers between commas"},
    {"refused-title-only.csv", ":1", "a header but no samples"},
};

struct Read {
  test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  ImportResult result;

  explicit Read(const std::string& file, double shunt = 0, std::optional<char> decimal = {},
                std::vector<std::string> columns = {}) {
    ImportSettings settings;
    settings.name = "log";
    settings.columns = std::move(columns);
    if (shunt > 0) settings.shunt_ohm = shunt;
    settings.decimal = decimal;
    result = import_text(book, file, settings);
  }
  /// The figures of a capture's first current.
  SpanFigures current(std::size_t capture = 0) const {
    const book::CaptureInfo info = book.capture(result.captures.at(capture));
    for (const book::ChannelInfo& c : info.channels)
      if (c.quantity == Quantity::current) return measure(book::ChannelTrace(book, c));
    FAIL("no current");
    return {};
  }
};

}  // namespace

TEST_CASE("logs of every dialect come to the figures worked out by hand") {
  for (const Expected& e : kExpected) {
    INFO(e.file);
    const Read log(kData + e.file, e.shunt);
    REQUIRE(log.result.captures.size() == e.captures);
    const book::CaptureInfo info = log.book.capture(log.result.capture);
    CHECK(info.channels.size() == e.channels);
    const SpanFigures f = log.current();
    CHECK(f.charge == Approx(e.charge_mc * 1e-3).epsilon(1e-12));
    CHECK(info.duration_s() == Approx(e.length_s).epsilon(1e-12));
    CHECK(info.from_s() == Approx(e.from_s).margin(1e-12));
    CHECK(f.missing_s == Approx(e.missing_s).margin(1e-12));
    // What began again holds twice the current.
    if (e.captures == 2)
      CHECK(log.current(1).charge == Approx(2 * e.charge_mc * 1e-3).epsilon(1e-12));
  }
}

TEST_CASE("every file of the data is expected to be something") {
  std::size_t files = 0;
  for (const auto& entry : fs::directory_iterator(kData)) {
    const std::string name = entry.path().filename();
    INFO(name);
    const bool read = std::any_of(std::begin(kExpected), std::end(kExpected),
                                  [&](const Expected& e) { return name == e.file; });
    const bool refused = std::any_of(std::begin(kRefused), std::end(kRefused),
                                     [&](const Refused& r) { return name == r.file; });
    CHECK(read != refused);
    ++files;
  }
  CHECK(files >= 60);
}

TEST_CASE("what a log does not say is refused, with its line and what to do") {
  for (const Refused& r : kRefused) {
    INFO(r.file);
    const test::Folder folder;
    Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
    ImportSettings settings;
    if (r.shunt > 0) settings.shunt_ohm = r.shunt;
    CHECK_THROWS_WITH(import_text(book, kData + r.file, settings),
                      Catch::Contains(std::string(r.file) + r.where) && Catch::Contains(r.why));
    CHECK(book.captures().empty());
  }
}

TEST_CASE("a decimal mark that the file leaves open is taken as it is given") {
  // 0 to 9 s, five samples of 2500 µA or 2.5 µA, then five of 4500 µA or 4.5 µA.
  const std::string file = kData + "refused-ambiguous-comma.csv";
  const double shape = 4 * 2.5 + 3.5 + 4 * 4.5;
  CHECK(Read(file, 0, ',').current().charge == Approx(shape * 1e-6));
  CHECK(Read(file, 0, '.').current().charge == Approx(shape * 1e-3));
}

TEST_CASE("one cell far behind the head settles the decimal mark of the whole file") {
  const test::Folder folder;
  std::string text = "t [s];I [uA]\n";
  for (int i = 0; i < 5000; ++i) text += fmt::format("{};1,{:03}\n", i, i % 1000);
  CHECK_THROWS_WITH(Read(folder.write("open.csv", text)), Catch::Contains("--decimal"));
  const double thousands = Read(folder.write("point.csv", text + "5000;1.5\n")).current().charge;
  const double decimals = Read(folder.write("comma.csv", text + "5000;1,5\n")).current().charge;
  CHECK(thousands == Approx(5000 * 1499.5e-6).epsilon(1e-3));
  CHECK(decimals == Approx(5000 * 1.4995e-6).epsilon(1e-3));
}

TEST_CASE("guesses and skipped lines are listed with what they rest on") {
  const Read log(kData + "began-again-header.csv");
  REQUIRE(log.result.skipped.size() == 2);
  CHECK(log.result.skipped[0].line == 12);
  CHECK_THAT(log.result.skipped[0].why, Catch::Contains("no numbers"));
  CHECK(log.result.skipped[1].line == 13);
  CHECK_THAT(log.result.skipped[1].why, Catch::Contains("header again"));
  REQUIRE(log.result.warnings.size() == 1);
  CHECK_THAT(log.result.warnings[0], Catch::Contains("begins again at line 14"));
  CHECK(log.book.capture(log.result.captures[1]).name == "log · 2");

  const auto says = [](const char* file, const char* role, const char* part, double shunt = 0) {
    const Read one(kData + file, shunt);
    return std::any_of(one.result.guesses.begin(), one.result.guesses.end(), [&](const auto& g) {
      return g.role == role && (g.lines + " " + g.why).find(part) != std::string::npos;
    });
  };
  CHECK(says("decimal-comma.csv", "decimal", "in line 2"));
  CHECK(says("units-in-cells-titled.txt", "current", "line 2"));
  CHECK(says("interval-in-name.csv", "rate", "is 10 Hz"));
  CHECK(says("two-voltages-swapped.csv", "before the shunt", "higher than that of \"U1 [V]\"", 10));
}

TEST_CASE("titles that are parted otherwise than the samples are told") {
  const test::Folder folder;
  const std::string samples = "0;96.3\n1;88.7\n2;53.7\n";
  const auto told = [&](const char* titles) {
    const Read one(folder.write("log.csv", titles + ("\n" + samples)));
    std::string out;
    for (const ImportGuess& g : one.result.guesses) {
      if (g.role == "titles") out += g.lines + ": " + g.why;
    }
    return out;
  };
  CHECK(told("t[h]I [mA]") ==
        "line 1: its titles are parted by blanks and its samples by semicolons");
  CHECK_THAT(told("t_s,I_mA"), Catch::Contains("by commas and its samples by semicolons"));
  CHECK(told("t [h];I [mA]").empty());
}

TEST_CASE("a title that is only a unit is told, and its channel called after its quantity") {
  const test::Folder folder;
  const Read log(folder.write("log.csv", "t(s)\t(uA)\n0\t53.4\n1\t24.7\n2\t96.8\n"));
  CHECK(log.book.capture(log.result.capture).channels.front().name == "current");
  REQUIRE(log.result.guesses.size() == 1);
  CHECK(log.result.guesses.front().column == "(uA)");
  CHECK(log.result.guesses.front().why == "has a unit and no name");
}

TEST_CASE("a clock that is coarser than its samples is not taken, and a rate is") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  ImportSettings settings;
  settings.rate_hz = 5;
  const ImportResult read = import_text(book, kData + "refused-coarse-clock.csv", settings);
  const book::CaptureInfo info = book.capture(read.capture);
  // 20 instants, of 2 and 4 mA by turns of five: 16 in levels, 3 in steps of their own.
  CHECK(info.channels.front().samples == 20);
  CHECK(info.duration_s() == Approx(19 / 5.0));
  CHECK(measure(book::ChannelTrace(book, info.channels.front())).charge ==
        Approx((8 * 2e-3 + 8 * 4e-3 + 3 * 3e-3) / 5));
  // Where the times are good they hold.
  const ImportResult good = import_text(book, kData + "plain.csv", settings);
  CHECK(book.capture(good.capture).duration_s() == Approx(0.9));
  CHECK(std::any_of(good.guesses.begin(), good.guesses.end(), [](const ImportGuess& g) {
    return g.why == "its times hold, not the rate that was given";
  }));
}

TEST_CASE("what stands behind the samples, and that a text is no UTF-8, are told") {
  const Read log(kData + "summary-behind.csv");
  REQUIRE(log.result.skipped.size() == 2);
  CHECK(log.result.skipped[0].line == 13);
  CHECK(log.result.skipped[1].line == 14);
  CHECK_THAT(log.result.skipped[0].why, Catch::Contains("behind the samples"));
  const Read latin(kData + "latin1.csv");
  CHECK(std::any_of(latin.result.guesses.begin(), latin.result.guesses.end(),
                    [](const ImportGuess& g) { return g.role == "text"; }));
  // A time of day needs no unit.
  CHECK(Read(kData + "iso.csv").result.warnings.empty());
  CHECK(Read(kData + "elapsed-clock.csv").result.warnings.empty());
}

TEST_CASE("a channel is called by its title without what leads to its unit") {
  const auto name_of = [](const char* title) { return guess_column(title).name; };
  CHECK(name_of("I_load/mA") == "I_load");
  CHECK(name_of("Current in mA") == "Current");
  CHECK(name_of("Current - mA") == "Current");
  CHECK(name_of("current, mA") == "current");
  CHECK_THAT(guess_column("current_m A").doubt, Catch::Contains("may be one unit"));
  CHECK_THAT(guess_column("current_u/A").doubt, Catch::Contains("may be one unit"));
  CHECK(guess_column("I_m_mA").doubt.empty());
  // No quantity over its unit.
  CHECK(guess_column("slew/s").role == Role::ignore);
  CHECK(guess_column("I/O").role == Role::ignore);
}

TEST_CASE("noon and midnight by a clock of twelve hours") {
  CHECK(clock_ns("12:00:00 AM") == 0);
  CHECK(clock_ns("12:30 PM") == 45'000'000'000'000);
  CHECK(clock_ns("11:59:59.5 pm") == 86'399'500'000'000);
  CHECK(clock_ns("13:00:00 PM") == std::nullopt);
  CHECK(clock_ns("0:30 AM") == std::nullopt);
  CHECK(calendar_ns("2026-05-04 02:00:00 PM") == calendar_ns("2026-05-04T14:00:00"));
  CHECK(calendar_ns("4.5.2026 14:00:00") == calendar_ns("2026-05-04T14:00:00"));
  CHECK(date_ns("31.02.2026") == std::nullopt);
  CHECK(date_ns("1.2.3") == std::nullopt);
  // One day of many, the second half of it too.
  const test::Folder folder;
  std::string text = "time,I [mA]\n";
  for (int i = 0; i < 240; ++i)
    text += fmt::format("2026-05-04 {}:{:02}:00 {},1\n", i / 10 % 12 == 0 ? 12 : i / 10 % 12,
                        i % 10 * 6, i < 120 ? "AM" : "PM");
  const Read day(folder.write("day.csv", text));
  CHECK(day.current().charge == Approx(239 * 360e-3));
  CHECK(day.current().missing_s == 0);
}

TEST_CASE("a log by the clock begins at its first sample, which is kept") {
  const Read iso(kData + "iso.csv"), epoch(kData + "epoch.csv"), day(kData + "date-and-time.csv");
  const auto began = [](const Read& log) {
    return log.book.capture(log.result.capture).conditions.at("log_began");
  };
  CHECK(began(iso) == "2026-05-04T14:02:31.000Z");
  CHECK(began(epoch) == "1700000000.0");
  CHECK(began(day) == "2026-05-04 14:02:31.0");
  const Read elapsed(kData + "elapsed-clock.csv");
  CHECK(elapsed.book.capture(elapsed.result.capture).conditions.count("log_began") == 0);
}

TEST_CASE("a date beside a time of day is told to be part of it, and is left out where asked") {
  const Read day(kData + "date-and-time.csv");
  CHECK(day.result.warnings.empty());
  REQUIRE(day.result.guesses.size() == 1);
  CHECK(day.result.guesses[0].column == "Date");
  CHECK(day.result.guesses[0].role == "time");
  CHECK(day.result.guesses[0].lines == "line 2");
  const Read without(kData + "date-and-time.csv", 0, {}, {"Date=ignore"});
  CHECK(without.result.warnings == std::vector<std::string>{"column \"Date\" was left out"});
  CHECK(without.book.capture(without.result.capture).conditions.at("log_began") == "14:02:31.0");
  const Read said(kData + "date-and-time.csv", 0, {}, {"Date=time"});
  CHECK(said.result.guesses.empty());
  CHECK(said.book.capture(said.result.capture).conditions.at("log_began") ==
        "2026-05-04 14:02:31.0");
  // Two days between two samples are two days.
  const test::Folder folder;
  std::string text = "Date;Time;I [mA]\n";
  for (const char* date : {"01.05.2026", "03.05.2026"})
    for (int i = 0; i < 10; ++i) text += fmt::format("{};12:00:0{};1\n", date, i);
  const Read days(folder.write("days.csv", text));
  CHECK(days.book.capture(days.result.capture).duration_s() == Approx(2 * 86400 + 9));
}

TEST_CASE("two voltages whose order turns round after the head are refused, not guessed") {
  const test::Folder folder;
  std::string text = "t [s],U1 [V],U2 [V]\n";
  for (int i = 0; i < 6000; ++i)
    text += fmt::format("{},{},{}\n", i, i < 1200 ? 3.6 : 3.0, i < 1200 ? 3.5 : 3.3);
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  ImportSettings settings;
  settings.shunt_ohm = 10;
  CHECK_THROWS_WITH(import_text(book, folder.write("v.csv", text), settings),
                    Catch::Contains("before the shunt"));
  CHECK(book.captures().empty());
}

namespace {

/// A dialect by chance, and a log written in it.
struct Made {
  std::string text;
  double charge = 0;  ///< C, by arithmetic on what was written
  int rows = 0;
};

std::string with_marks(std::string number, char decimal, bool thousands) {
  auto point = number.find('.');
  std::string whole = number.substr(0, point);
  const bool minus = whole.starts_with('-');
  if (minus) whole.erase(0, 1);
  if (thousands) {
    for (int at = static_cast<int>(whole.size()) - 3; at > 0; at -= 3)
      whole.insert(static_cast<std::size_t>(at), 1, decimal == ',' ? '.' : ',');
  }
  std::string out = (minus ? "-" : "") + whole;
  if (point != std::string::npos) out += decimal + number.substr(point + 1);
  return out;
}

Made made_log(std::mt19937_64& random) {
  const auto one_of = [&](auto... choices) {
    const std::array all{choices...};
    return all[random() % all.size()];
  };
  Made out;
  const char separator = one_of(',', ';', '\t', '|', ' ');
  const char decimal = separator == ',' ? '.' : one_of('.', ',');
  const bool thousands = separator != ',' && separator != ' ' && random() % 4 == 0;
  const bool in_cells = separator != ' ' && random() % 4 == 0;
  const auto time = one_of(std::pair{"s", 1.0}, std::pair{"ms", 1e-3}, std::pair{"us", 1e-6});
  const auto current = one_of(std::pair{"A", 1.0}, std::pair{"mA", 1e-3}, std::pair{"uA", 1e-6});
  const int titles = in_cells ? static_cast<int>(random() % 2) : 1 + static_cast<int>(random() % 4);
  const std::string end = one_of("\n", "\r\n");
  const std::string between = separator == ' ' ? "  " : std::string(1, separator);
  if (random() % 4 == 0) out.text += "# made by a grammar" + end + "# board: 7" + end;
  if (random() % 4 == 0 && separator != ' ')
    out.text += std::string("Model") + separator + "Logger 3" + end + end;
  const auto line = [&](const std::string& a, const std::string& b) {
    out.text += a + between + b + end;
  };
  const std::string t = time.first, i = current.first;
  if (titles == 1 && in_cells) line(one_of("Zeit", "Time", "t"), one_of("Strom", "Current", "I"));
  if (titles == 1 && !in_cells) line("t[" + t + "]", "I[" + i + "]");
  if (titles == 2) line("time_" + t, "I_" + i);
  if (titles == 3) {
    line("Time", "Current");
    line(t, i);
  }
  if (titles == 4) line("\"Zeit(" + t + ")\"", "\"Strom(" + i + ")\"");
  const int rows = 3 + static_cast<int>(random() % 60);
  // Steps and levels with digits that say which mark is which.
  const double step = one_of(0.5, 0.25, 12.5, 1250.5), level = one_of(0.5, 2.25, 1200.75);
  std::vector<double> times, values;
  for (int k = 0; k < rows; ++k) {
    times.push_back(k * step);
    values.push_back(static_cast<double>(static_cast<int>(random() % 200) - 20) * level);
    std::string a = with_marks(fmt::format("{}", times.back()), decimal, thousands);
    std::string b = with_marks(fmt::format("{}", values.back()), decimal, thousands);
    if (in_cells) {
      a += one_of("", " ") + t;
      b += one_of("", " ") + i;
    }
    line(a, b);
  }
  for (int k = 1; k < rows; ++k) {
    const auto n = static_cast<std::size_t>(k);
    out.charge += (values[n - 1] + values[n]) / 2 * (times[n] - times[n - 1]);
  }
  out.charge *= time.second * current.second;
  out.rows = rows;
  return out;
}

}  // namespace

TEST_CASE("a log written in any dialect is read as it was written") {
  const char* asked = std::getenv("KUVIO_DIALECTS");
  const int count = asked ? std::atoi(asked) : 400;
  const std::uint64_t seed = asked ? std::random_device{}() : 20261130;
  std::mt19937_64 random(seed);
  const test::Folder folder;
  for (int n = 0; n < count; ++n) {
    const Made log = made_log(random);
    INFO("seed " << seed << ", log " << n << ":\n" << log.text.substr(0, 400));
    const Read read(folder.write("log.txt", log.text));
    const book::CaptureInfo info = read.book.capture(read.result.capture);
    REQUIRE(read.result.captures.size() == 1);
    REQUIRE(info.channels.size() == 1);
    REQUIRE(info.channels[0].samples == log.rows);
    REQUIRE(read.current().charge == Approx(log.charge).epsilon(1e-9).margin(1e-18));
  }
}
