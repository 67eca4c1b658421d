// SPDX-License-Identifier: GPL-3.0-or-later
// Figures that a release is staked on, from a text log to the exit status: clipped peaks, edges,
// gaps, few visits, chance. Truths are arithmetic on the signal that was made.

#include "cli/tried_logs.h"

using namespace kuvio;
using nlohmann::json;
using test::cli;
using test::kRecipe;
using test::Log;
using test::Tried;

namespace {

/// Visits of `samples` ms at 60 mA between sleeps of a second.
Log bursts(int n, int samples = 100) {
  Log log;
  log.stay(3e-6, 500);
  for (int i = 0; i < n; ++i) log.stay(60e-3, samples).stay(3e-6, 1000);
  return log;
}

}  // namespace

TEST_CASE("a clipped state is bounded in every figure and never within") {
  for (const bool below : {false, true}) {
    Tried t;
    Log log;
    log.stay(3e-6, 500);
    for (int i = 0; i < 6; ++i)
      log.stay(60e-3, 20).sample(below ? "-9.9E37" : "9.9E37", 5).stay(60e-3, 20).stay(3e-6, 500);
    t.import(log, "clipped");
    const json uplink = t.row("clipped", "Uplink");
    CHECK(uplink["lower_bound"] == !below);
    CHECK(uplink["upper_bound"] == below);
    CHECK(uplink["visits"] == 6);  // each is one, cut
    CHECK(uplink["whole_visits"] == 0);
    CHECK(t.row("clipped", "Sleep")["lower_bound"] == false);
    const auto [document, status] = t.check("clipped",
                                            "[[limit]]\nstate = \"Uplink\"\n"
                                            "mean_current = { max = \"100 mA\" }\n"
                                            "peak_current = { max = \"260 mA\" }\n"
                                            "charge_per_visit = { max = \"100 mC\" }\n"
                                            "[[limit]]\nstate = \"Sleep\"\n"
                                            "mean_current = { max = \"4 uA\" }\n");
    CHECK(status == 2);
    for (const json& l : document["limits"]) {
      if (l["state"] == "Sleep") {
        CHECK(l["verdict"] == "within");
        continue;
      }
      CHECK(l["lower_bound"] == !below);  // what has no data too
      CHECK(l["upper_bound"] == below);
      if (!below) CHECK(l["verdict"] != "within");
    }
    const json span = cli({"span", t.book, "clipped", "--json"}).json();
    CHECK(span["flagged"][below ? "below_range" : "over_range"] == 30);
    CHECK(span["lower_bound"] == !below);
    const auto table = cli({"ledger", t.book, "clipped"});
    CHECK_THAT(table.out, Catch::Contains(below ? "≤ 60" : "≥ 60"));
  }
}

TEST_CASE("work that a short spike interrupts is one visit, and lifts no sleep") {
  Tried t;
  t.import(Log().stay(3e-6, 1000).stay(5e-3, 80).stay(60e-3, 2).stay(5e-3, 80).stay(3e-6, 1000),
           "a");
  const json work = t.row("a", "Work"), sleep = t.row("a", "Sleep");
  CHECK(work["visits"] == 1);
  CHECK(work["visit_s"].get<double>() == Approx(0.162));
  CHECK(sleep["mean_a"].get<double>() == Approx(3e-6));
  CHECK(sleep["peak_a"].get<double>() == Approx(3e-6));
}

TEST_CASE("instants, which text logs are by default, charge no rising edge to the quiet state") {
  Tried t;
  t.import(bursts(12), "i", "instant");
  const json sleep = t.row("i", "Sleep"), uplink = t.row("i", "Uplink");
  CHECK(sleep["mean_a"].get<double>() == Approx(3e-6).epsilon(1e-6));
  CHECK(sleep["peak_a"].get<double>() == Approx(3e-6));
  CHECK(uplink["mean_a"].get<double>() == Approx(60e-3).epsilon(1e-6));
  CHECK(uplink["visit_s"].get<double>() == Approx(0.1));
  const auto [document, status] =
      t.check("i",
              "[[limit]]\nstate = \"Sleep\"\nmean_current = { max = \"4 uA\" }\n"
              "peak_current = { max = \"10 uA\" }\n");
  CHECK(status == 0);
  // The ledger closes on the trace's own integral.
  const json ledger = t.ledger("i");
  double charge = 0;
  for (const json& r : ledger["rows"]) charge += r["charge_c"].get<double>();
  CHECK(
      charge ==
      Approx(cli({"span", t.book, "i", "--json"}).json()["charge_c"].get<double>()).epsilon(1e-12));
}

TEST_CASE("a mixed sample goes to neither state whole") {
  Tried t;
  Log log;
  log.stay(3e-6, 500);
  for (int i = 0; i < 10; ++i)
    log.stay(0.3 * 60e-3, 1).stay(60e-3, 99).stay(0.8 * 60e-3, 1).stay(3e-6, 500);
  t.import(log, "m");
  CHECK(t.row("m", "Uplink")["visit_s"].get<double>() == Approx(0.1001).epsilon(1e-4));
  CHECK(t.row("m", "Sleep")["mean_a"].get<double>() == Approx(3e-6).epsilon(1e-3));
  CHECK(t.row("m", "Sleep")["peak_a"].get<double>() == Approx(3e-6));
  // A span at a visit's own edges says by how much the ledger may differ.
  const json visits = cli({"states", t.book, "m", "--recipe", t.recipe, "--json"}).json()["visits"];
  const json& v = visits[1];
  const json span =
      cli({"span", t.book, "m", "--json", "--from", fmt::format("{}", v["from_s"].get<double>()),
           "--to", fmt::format("{}", v["to_s"].get<double>())})
          .json();
  const double off = std::fabs(span["charge_c"].get<double>() - v["charge_c"].get<double>());
  CHECK(off > 1e-6);
  CHECK(off <= span["ledger_may_differ_c"].get<double>());
}

TEST_CASE("a gap is no part of a mean over whole cycles, nor of the life it gives") {
  Tried t;
  Log log;
  const auto cycles = [&] {
    for (int i = 0; i < 11; ++i) log.stay(10e-6, 900).stay(5e-3, 100);
  };
  cycles();
  log.gap(100'000);
  cycles();
  t.import(log, "g");
  const json life = cli({"lifetime", t.book, "g", "--capacity-mah", "1000", "--json"}).json();
  CHECK(life["mean_a"].get<double>() == Approx(0.9 * 10e-6 + 0.1 * 5e-3));
  CHECK(life["life_s"].get<double>() == Approx(3600 / (0.9 * 10e-6 + 0.1 * 5e-3)));
  // Both ends on entries into Sleep: three cycles, not two.
  const json span =
      cli({"span", t.book, "g", "--whole-cycles", "--from", "1", "--to", "4", "--json"}).json();
  CHECK(span["from_s"].get<double>() == Approx(1));
  CHECK(span["to_s"].get<double>() == Approx(4));
}

TEST_CASE("a visit cut at the end makes no difference between builds") {
  Tried t;
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  for (const bool cut : {true, false}) {
    Log log;
    log.stay(3e-6, 500);
    for (int i = 0; i < 5; ++i) log.stay(68e-3 * (1 + 0.002 * normal(random)), 200).stay(3e-6, 600);
    if (cut) log.stay(50e-3, 40);
    t.import(log, cut ? "old" : "new");
  }
  const auto compared =
      cli({"compare", t.book, "--reference", "old", "--candidate", "new", "--json"});
  CHECK(compared.status == 0);
  const json rows = compared.json()["rows"];
  for (const json& r : rows) {
    if (r["state"] == "Uplink") CHECK(r["shown"] == "none");
  }
}

TEST_CASE(
    "a new state that the duty plan does not name keeps a comparison and a budget from passing") {
  Tried t;
  const std::string duty = t.folder.write("d.duty.toml",
                                          "kuvio = \"duty/1\"\nrest = \"Sleep\"\n[[activity]]\n"
                                          "every = \"60 s\"\nstates = [\"Work\"]\n");
  Log a, b;
  a.stay(5e-6, 1000);
  b.stay(5e-6, 1000);
  for (int i = 0; i < 10; ++i) {
    a.stay(1e-3, 50).stay(5e-6, 1000);
    b.stay(1e-3, 50).stay(5e-6, 500).stay(20e-3, 60).stay(5e-6, 500);
  }
  t.import(a, "a");
  t.import(b, "b");
  const auto compared =
      cli({"compare", t.book, "--reference", "a", "--candidate", "b", "--duty", duty, "--json"});
  CHECK(compared.status == 2);
  REQUIRE(compared.json()["unnamed"].size() == 1);
  CHECK(compared.json()["unnamed"][0]["side"] == "b");
  CHECK(compared.json()["unnamed"][0]["state"] == "Unassigned");
  CHECK(compared.json()["unnamed"][0]["charge_share"].get<double>() > 0.9);
  // A state that one side alone was in stands in the table too.
  const auto table = cli({"compare", t.book, "--reference", "a", "--candidate", "b"});
  CHECK_THAT(table.out, Catch::Matches("[^]*Unassigned +– +20.00\u2009mA[^]*"
                                       "candidate only[^]*"));
  const std::string limit =
      "[[limit]]\nfield = true\nduty = \"d.duty.toml\"\n"
      "mean_current = { max = \"1 mA\" }\n";
  CHECK(t.check("a", limit).second == 0);
  const auto [document, status] = t.check("b", limit);
  CHECK(status == 2);
  CHECK(document["limits"][0]["verdict"] == "too close");
  CHECK(document["unnamed"][0]["state"] == "Unassigned");
  const auto life = cli({"lifetime", t.book, "b", "--duty", duty, "--capacity-mah", "1000",
                         "--want", "1 d", "--json"});
  CHECK(life.status == 2);
  CHECK(cli({"lifetime", t.book, "a", "--duty", duty, "--capacity-mah", "1000", "--want", "1 d"})
            .status == 0);
}

TEST_CASE("captures of a build are pooled each by its own accuracy, in whatever order") {
  std::vector<double> u;
  for (const bool swapped : {false, true}) {
    Tried t;
    for (const bool first : {true, false}) {
      const bool fine = first != swapped;
      t.import(bursts(4), fine ? "fine" : "coarse", "averaged",
               fine ? "0.01 % + 1 nA" : "0.01 % + 3000 nA", "build");
    }
    const auto [document, status] =
        t.check("build", "[[limit]]\nstate = \"Sleep\"\nmean_current = { max = \"4 uA\" }\n");
    CHECK(document["limits"][0]["verdict"] == "too close");
    u.push_back(document["limits"][0]["uncertainty"].get<double>());
  }
  CHECK(u[0] == Approx(u[1]));
}

TEST_CASE("a 95th percentile from three visits is not within, and says how many it needs") {
  Tried t;
  t.import(bursts(4), "p");
  const auto [document, status] = t.check(
      "p", "[[limit]]\nstate = \"Uplink\"\nvisit_length = { max = \"1 s\", of = \"p95\" }\n");
  CHECK(status == 2);
  CHECK(document["limits"][0]["verdict"] == "too close");
  CHECK(document["limits"][0]["needed"]["visits"] == 59);
}

TEST_CASE("an accuracy that is not stated is said beside every verdict that rests on it") {
  Tried t;
  t.import(bursts(4), "n", "averaged", "");
  const auto [document, status] =
      t.check("n", "[[limit]]\nstate = \"Sleep\"\nmean_current = { max = \"4 uA\" }\n");
  CHECK(document["limits"][0]["accuracy_stated"] == false);
  CHECK_THAT(document["limits"][0]["note"].get<std::string>(),
             Catch::Contains("accuracy not stated"));
}

TEST_CASE("the uncertainty budget of each result stands beside it where it is asked for") {
  Tried t;
  t.import(bursts(5), "e");
  for (const auto& call :
       std::vector<std::vector<std::string>>{{"--json", "--explain", "ledger", t.book, "e"},
                                             {"ledger", t.book, "e", "--explain", "--json"}}) {
    const json document = cli(call).json();
    const json& budget = document["rows"][0]["budget"]["mean_a"];
    REQUIRE(budget.size() >= 2);
    double shares = 0;
    for (const json& c : budget) shares += c["share"].get<double>();
    CHECK(shares == Approx(1));
  }
  CHECK_FALSE(t.ledger("e")["rows"][0].contains("budget"));
  const json life =
      cli({"lifetime", t.book, "e", "--capacity-mah", "1000", "--json", "--explain"}).json();
  CHECK(life["budget"]["mean_a"].size() >= 2);
}
