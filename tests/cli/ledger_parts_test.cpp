// SPDX-License-Identifier: GPL-3.0-or-later
// What a ledger says beside its rows, by command line: of captures whose every visit is known.

#include "cli/process.h"

#include "made_rounds.h"
#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using nlohmann::json;
using test::cli;
using test::kRounds;

namespace {

struct Made {
  test::Folder folder;
  std::string path = folder / "b.kuvio";
  Made() {
    {
      book::Book book = book::Book::open(path, book::Book::Mode::create);
      test::add_rounds(book, "old", false);
      test::add_rounds(book, "new", true);
    }
    const std::string recipe = folder.write("r.recipe.toml", test::kRoundsRecipe);
    for (const char* build : {"old", "new"})
      REQUIRE(cli({"states", path, build, "--recipe", recipe}).status == 0);
  }
  json ledger(std::vector<std::string> more, const char* build = "old") const {
    std::vector<std::string> call{"ledger", path, build, "--json"};
    call.insert(call.end(), more.begin(), more.end());
    const test::Ran ran = cli(call);
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    return ran.json();
  }
};

json row(const json& ledger, const std::string& state) {
  for (const json& r : ledger["rows"]) {
    if (r["state"] == state) return r;
  }
  return {};
}

}  // namespace

TEST_CASE("a ledger tells visits, costs, latencies and ways as they were made") {
  const Made made;

  SECTION("of another channel in the same visits") {
    const json all = made.ledger({}), radio = made.ledger({"--channel", "I_radio"});
    CHECK(all["channel"] == "I");
    CHECK(radio["channel"] == "I_radio");
    CHECK(row(radio, "Work")["visits"] == kRounds);
    CHECK(row(radio, "Work")["charge_of_all"].get<double>() == Approx(0.5));
    CHECK(row(radio, "Rest")["charge_c"].get<double>() ==
          Approx(1e-6 * (0.9 * kRounds + 0.5)).epsilon(1e-6));
    double sum = 0;
    for (const json& r : radio["rows"]) sum += r["charge_c"].get<double>();
    CHECK(sum == Approx(radio["total"]["charge_c"].get<double>()).epsilon(1e-12));
    CHECK(cli({"ledger", made.path, "old", "--channel", "I_motor"}).status == 64);
  }

  SECTION("the visit that is unlike the others") {
    const json visits = made.ledger({"--visits", "Rest"})["visits"];
    REQUIRE(visits["visits"].size() == kRounds + 1);
    for (std::size_t i = 0; i <= kRounds; ++i) {
      const json& v = visits["visits"][i];
      CHECK(v["whole"] == (i > 0 && i < kRounds));
      CHECK(v["odd"] == (i == 12 ? json{"charge", "mean", "peak"} : json::array()));
    }
    CHECK(visits["usual"]["charge"]["median_c"].get<double>() == Approx(9e-6));
    CHECK(visits["usual"]["charge"]["most_c"].get<double>() == Approx(27e-6));
    const test::Ran words = cli({"ledger", made.path, "old", "--visits", "Rest"});
    CHECK_THAT(words.out, Catch::Contains("charge unlike the others' 9"));
    CHECK(cli({"ledger", made.path, "old", "--visits", "Doze"}).status == 65);
  }

  SECTION("charge per byte, and per event") {
    const json per = made.ledger({"--per", R"(sent (\d+) B)"})["per"];
    CHECK(per["state"] == "Work");
    CHECK(per["visits"] == kRounds - 1);
    CHECK(per["visits_without"] == 1);
    CHECK(per["slope_c"].get<double>() == Approx(0.2e-6));
    CHECK(per["base_c"].get<double>() == Approx(40e-6));
    CHECK(per["slope_u_c"].get<double>() < 1e-9);
    CHECK(per["from"] == 64);
    CHECK(per["to"] == 256);
    // Each line counted as one: all but one have the same.
    const json lines = made.ledger({"--per", "sent", "--state", "Work"})["per"];
    CHECK(lines["visits"] == kRounds);
    CHECK(lines["from"] == 0);
    CHECK(cli({"ledger", made.path, "old", "--per", "sent ("}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--per", "(a)(b)"}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--per", "received (.*)"}).status == 65);
    CHECK(cli({"ledger", made.path, "old", "--state", "Work"}).status == 64);
  }

  SECTION("latency from a mark") {
    const json l = made.ledger({"--latency", "Work", "--after-mark", "^key"})["latency"];
    CHECK(l["count"] == kRounds);
    CHECK(l["missed"] == 1);
    CHECK(l["missed_s"][0].get<double>() == Approx(5.4));
    CHECK(l["median_s"].get<double>() == Approx(0.25));
    CHECK(l["longest_s"].get<double>() == Approx(0.25));
    const json after = made.ledger({"--latency", "Rest", "--after-log", "sent"})["latency"];
    CHECK(after["median_s"].get<double>() == Approx(-0.001));
    CHECK(cli({"ledger", made.path, "old", "--latency", "Work"}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--after-log", "x"}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--latency", "Work", "--after-log", "x("}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--latency", "Work", "--after-rise", "I"}).status == 65);
  }

  SECTION("what followed what, and what is new") {
    const json here = made.ledger({"--transitions", "--reference", "old"}, "new");
    const json& t = here["transitions"];
    REQUIRE(t.size() == 4);
    CHECK(t[0]["from"] == "Rest");
    CHECK(t[0]["count"] == kRounds);
    CHECK(t[1]["to"] == "Rest");
    CHECK(t[1]["count"] == 18);
    CHECK(t[2]["to"] == "Doze");
    CHECK(t[2]["share"].get<double>() == Approx(0.25));
    CHECK(t[2]["stay_median_s"].get<double>() == Approx(0.1));
    CHECK(here["ways"]["new_states"] == json{"Doze"});
    CHECK(here["ways"]["pairs"][0]["conclusion"] == "new");
    CHECK(here["ways"]["pairs"][0]["p"].get<double>() == Approx(0.02193633514761669));
    const test::Ran words = cli({"ledger", made.path, "new", "--reference", "old"});
    CHECK_THAT(words.out, Catch::Contains("Work to Doze: 6 of 24 exits, never in old (24 exits)"));
    const json same = made.ledger({"--reference", "old"});
    for (const json& p : same["ways"]["pairs"]) CHECK(p["conclusion"] == "alike");
    CHECK(cli({"ledger", made.path, "old", "--reference", "older"}).status == 65);
  }

  SECTION("after how many cycles the mean is known") {
    const json cycles = made.ledger({"--cycle", "Work"})["cycles"];
    CHECK(cycles["count"] == kRounds - 1);
    CHECK(cycles["convergence"]["steps"][0]["cycles"] == 2);
    CHECK(cycles["convergence"]["steps"].back()["cycles"] == kRounds - 1);
    const double mean = cycles["charge_c"].get<double>() / cycles["period_s"].get<double>();
    CHECK(cycles["convergence"]["steps"].back()["mean_a"].get<double>() == Approx(mean));
  }

  SECTION("what a budget expects and allows, beside each state") {
    const std::string budget = made.folder.write(
        "l.budget.toml",
        "kuvio = \"budget/1\"\nname = \"x\"\nrecipe = \"r.recipe.toml\"\n"
        "[[limit]]\nstate = \"Work\"\nmean_current = { expect = \"700 uA\", max = \"1 mA\" }\n"
        "peak_current = { max = \"2 mA\" }\n");
    const json work = row(made.ledger({"--budget", budget}), "Work")["limits"];
    REQUIRE(work.size() == 2);
    CHECK(work[0]["quantity"] == "mean_current");
    CHECK(work[0]["expected"].get<double>() == Approx(700e-6));
    CHECK(work[0]["max"].get<double>() == Approx(1e-3));
    CHECK(work[1]["expected"].is_null());
    CHECK(row(made.ledger({"--budget", budget}), "Rest")["limits"].empty());
    CHECK_FALSE(row(made.ledger({}), "Work").contains("limits"));
    const test::Ran words = cli({"ledger", made.path, "old", "--budget", budget});
    CHECK_THAT(words.out, Catch::Contains("expected") && Catch::Contains("mean current ≤ 1.000"));
    CHECK(cli({"ledger", made.path, "old", "--budget", "no.budget.toml"}).status == 66);
  }

  SECTION("troubles, by a limit that is named") {
    const json found = made.ledger({"--troubles", "--limit", "900 uA"})["troubles"];
    CHECK(found["limit_a"].get<double>() == Approx(900e-6));
    // Every fourth work, and that it falls to nothing after each: what a device does that cannot
    // start.
    REQUIRE(found["found"].size() == 2);
    const bool loop_first = found["found"][0]["kind"] == "reset_loop";
    const json loop = found["found"][loop_first ? 0 : 1], held = found["found"][loop_first ? 1 : 0];
    CHECK(loop["rounds"] == 6);
    CHECK(loop["period_s"].get<double>() == Approx(4));
    CHECK(held["kind"] == "limited");
    CHECK(held["state"] == "Work");
    CHECK(held["times"] == 6);
    CHECK(held["length_s"].get<double>() == Approx(0.6));
    CHECK(held["from_s"].get<double>() == Approx(3.9));
    CHECK(held["to_s"].get<double>() == Approx(kRounds));
    CHECK(found["usual_v"].is_null());
    const test::Ran words = cli({"ledger", made.path, "old", "--troubles"});
    CHECK_THAT(words.out, Catch::Contains("no trouble found"));
    CHECK_THAT(words.err, Catch::Contains("no limit of the supply is known") &&
                              Catch::Contains("no voltage was captured"));
    CHECK(cli({"ledger", made.path, "old", "--troubles", "--limit", "-1 mA"}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--troubles", "--dip", "120 %"}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--troubles", "--supply", "V"}).status == 64);
    CHECK(cli({"ledger", made.path, "old", "--limit", "1 A"}).status == 64);
  }
}
