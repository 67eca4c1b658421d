// SPDX-License-Identifier: GPL-3.0-or-later
// Recipes whose rules read several channels, on captures with known moments.

#include "book/analysis.h"
#include "book/capture_writer.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::book;

namespace {

Band below(double high) { return {-INFINITY, high, -INFINITY, high}; }
Band above(double low) { return {low, INFINITY, low, INFINITY}; }

StateRule of_level(const char* name, Band level) {
  StateRule out;
  out.name = name;
  out.level = level;
  return out;
}

StateRule of_volts(const char* name, Band level) {
  StateRule out = of_level(name, level);
  out.channel = "V";
  out.dimension = Dimension::voltage;
  return out;
}

StateRule of_line(const char* name, bool high) {
  StateRule out;
  out.name = name;
  out.channel = "radio_on";
  out.line_high = high;
  return out;
}

/// 20 s: the current is 10 mA from 4 to 6 s and from 14 to 16 s, 10 uA else; the voltage 3.0 V from
/// 5 to 8 s (a sample each 4 ms), 3.6 V else; the line is high from 9 to 10 s, from 15 to 15.5 s
/// and from 19 s on.
struct Made {
  test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  CaptureInfo capture;

  Made() {
    ChannelInfo i, v, line;
    i.name = "I";
    i.time_base = {1, 1000};
    v = i;
    v.name = "V";
    v.quantity = Quantity::voltage;
    v.unit = "V";
    line = i;
    line.name = "radio_on";
    line.quantity = Quantity::logic;
    line.unit = "";
    line.kind = SampleKind::instant;
    CaptureWriter writer(book, {"c", "1", {}, false}, {i, v, line});
    std::vector<double> current, volts, high;
    for (int ms = 0; ms < 20000; ++ms) {
      const double t = ms * 1e-3;
      current.push_back((t >= 4 && t < 6) || (t >= 14 && t < 16) ? 10e-3 : 10e-6);
      if (ms % 4 == 0) volts.push_back(t >= 5 && t < 8 ? 3.0 : 3.6);
      high.push_back((t >= 9 && t < 10) || (t >= 15 && t < 15.5) || t >= 19 ? 1 : 0);
    }
    writer.append(0, 0, 1, current);
    writer.append(1, 0, 4, volts);
    writer.append(2, 0, 1, high);
    writer.finish("made", false);
    capture = book.capture(writer.id());
  }
  /// "Rest 4 | Send 5 ! | ..." : states, where they end, and ! where whole.
  std::string split(std::vector<StateRule> states) {
    Recipe recipe{"r", "I", std::move(states)};
    std::string out;
    told = told_split(book, capture, recipe, "");
    for (const Visit& v : told.split.visits) {
      char text[64];
      std::snprintf(text, sizeof text, "%s %.3f%s ", v.state.c_str(), v.to_s, v.whole ? "!" : "");
      out += text;
    }
    return out;
  }
  ToldSplit told;
};

}  // namespace

TEST_CASE("rules of several channels make one split, the first in the file first") {
  Made made;
  CHECK(made.split({of_level("Rest", below(1e-3)), of_level("Send", above(1e-3))}) ==
        "Rest 4.000 Send 6.000! Rest 14.000! Send 16.000! Rest 20.000 ");
  CHECK(made.split({of_volts("Sagging", below(3.3)), of_level("Rest", below(1e-3)),
                    of_level("Send", above(1e-3))}) ==
        "Rest 4.000 Send 5.000! Sagging 8.000! Rest 14.000! Send 16.000! Rest 20.000 ");
  CHECK(made.split({of_level("Send", above(1e-3)), of_volts("Sagging", below(3.3)),
                    of_level("Rest", below(1e-3))}) ==
        "Rest 4.000 Send 6.000! Sagging 8.000! Rest 14.000! Send 16.000! Rest 20.000 ");
  CHECK(made.split({of_line("Radio", true), of_level("Send", above(1e-3)),
                    of_level("Rest", below(1e-3))}) ==
        "Rest 4.000 Send 6.000! Rest 9.000! Radio 10.000! Rest 14.000! Send 15.000! Radio 15.500! "
        "Send 16.000! Rest 19.000! Radio 20.000 ");
  // None of the recipe's own channel at all.
  CHECK(made.split({of_line("On", true), of_line("Not", false)}) ==
        "Not 9.000 On 10.000! Not 15.000! On 15.500! Not 19.000! On 20.000 ");
}

TEST_CASE("rules of another channel are held to their lengths and what they must contain") {
  Made made;
  StateRule radio = of_line("Radio", true);
  radio.must.longer_s = 0.8;
  CHECK(made.split({radio, of_level("Any", below(1))}) ==
        "Any 9.000 Radio 10.000! Any 19.000! Radio 20.000 ");
  REQUIRE(made.told.rejected.size() == 1);
  CHECK(made.told.rejected[0].rule == 0);
  CHECK(made.told.rejected[0].stretches == 1);
  REQUIRE(made.told.remarks.size() == 1);
  CHECK_THAT(made.told.remarks[0], Catch::Contains("of Radio but lasted less than 800"));
  radio.must = {};
  radio.shortest_s = 0.8;
  CHECK(made.split({radio, of_level("Any", below(1))}) ==
        "Any 9.000 Radio 10.000! Any 19.000! Radio 20.000 ");
  radio.join_gaps_s = 6;
  CHECK(made.split({radio, of_level("Any", below(1))}) == "Any 9.000 Radio 20.000 ");
  StateRule low = of_volts("Low", below(3.3));
  low.must.mean_below = 2.5;
  CHECK(made.split({low, of_level("Any", below(1))}) == "Any 20.000 ");
  CHECK_THAT(made.told.remarks[0], Catch::Contains("2.50") && Catch::Contains("V at least"));
}

TEST_CASE("a rule that does not fit the capture's channels says so") {
  Made made;
  StateRule other = of_volts("Low", below(3.3));
  other.channel = "U";
  CHECK_THROWS_WITH(made.split({other}), Catch::Contains("no channel \"U\""));
  other.channel = "radio_on";
  CHECK_THROWS_WITH(made.split({other}), Catch::Contains("is a logic line"));
  other.channel = "I_2";
  CHECK_THROWS_AS(made.split({other}), Error);
  StateRule line = of_line("On", true);
  line.channel = "V";
  CHECK_THROWS_WITH(made.split({line}), Catch::Contains("give it a band"));
  StateRule amperes = of_level("Low", below(3.3));
  amperes.channel = "V";
  CHECK_THROWS_WITH(made.split({amperes}), Catch::Contains("another quantity"));
}

TEST_CASE("the ledger of a split by several channels closes") {
  Made made;
  made.split({of_line("Radio", true), of_volts("Sagging", below(3.3)),
              of_level("Send", above(1e-3)), of_level("Rest", below(1e-3))});
  const SplitCapture split = load_split(made.book, made.capture, made.told.split);
  const Ledger ledger = make_ledger({split.account()});
  double sum = 0;
  for (const LedgerRow& r : ledger.rows) sum += r.charge;
  CHECK(sum == Approx(4 * 10e-3 + 16 * 10e-6).epsilon(1e-6));
  CHECK(ledger.charge == Approx(sum).epsilon(1e-12));
  CHECK(ledger.find("Radio")->charge == Approx(0.5 * 10e-3 + 2 * 10e-6).epsilon(1e-6));
  CHECK(ledger.find("Sagging")->charge == Approx(1 * 10e-3 + 2 * 10e-6).epsilon(1e-6));
}
