// SPDX-License-Identifier: GPL-3.0-or-later
// Figures that a release is staked on, from a text log to the exit status: clipped peaks, edges,
// gaps, few visits, chance. Truths are arithmetic on the signal that was made.

#include "cli/process.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace kuvio;
using nlohmann::json;
using test::cli;

namespace {

const char* kRecipe = R"(kuvio = "recipe/1"
name = "three"
[[state]]
name = "Sleep"
level = { below = "100 uA" }
shortest = "20 ms"
[[state]]
name = "Work"
level = { above = "100 uA", below = "10 mA" }
shortest = "10 ms"
[[state]]
name = "Uplink"
level = { above = "40 mA" }
shortest = "5 ms"
)";

/// A log of 1 kS/s, written stay by stay, in a book of its own.
class Log {
public:
  Log& stay(double level, int samples) {
    for (int i = 0; i < samples; ++i) sample(fmt::format("{:.9g}", level));
    return *this;
  }
  Log& sample(const std::string& cell, int times = 1) {
    for (int i = 0; i < times; ++i, ++at_)
      text_ += fmt::format("{:.3f},{}\n", static_cast<double>(at_) / 1000, cell);
    return *this;
  }
  /// One sample at a time of its own (s).
  Log& at(double time_s, double level) {
    text_ += fmt::format("{:.6f},{:.9g}\n", time_s, level);
    return *this;
  }
  Log& gap(int samples) {
    at_ += samples;
    return *this;
  }
  const std::string& text() const { return text_; }

private:
  std::string text_ = "time (s),I (A)\n";
  std::int64_t at_ = 0;
};

struct Tried {
  test::Folder folder;
  std::string book = folder / "b.kuvio";
  std::string recipe = folder.write("r.recipe.toml", kRecipe);

  void import(const Log& log, const std::string& name, const std::string& kind = "averaged",
              const std::string& accuracy = "0.08 % + 40 nA", const std::string& build = "") {
    const std::string csv = folder.write(name + ".csv", log.text());
    std::vector<std::string> call{
        "import",    book, csv, "--name", name, "--build", build.empty() ? name : build,
        "--samples", kind};
    if (!accuracy.empty()) call.insert(call.end(), {"--accuracy", accuracy});
    const auto done = cli(call);
    INFO(done.err);
    REQUIRE(done.status == 0);
    REQUIRE(cli({"states", book, name, "--recipe", recipe}).status == 0);
  }
  json ledger(const std::string& name) { return cli({"ledger", book, name, "--json"}).json(); }
  json row(const std::string& name, const std::string& state) {
    const json document = ledger(name);
    for (const json& r : document["rows"]) {
      if (r["state"] == state) return r;
    }
    return {};
  }
  /// A budget's document and exit status.
  std::pair<json, int> check(const std::string& build, const std::string& limits) {
    const std::string budget =
        folder.write("b.budget.toml",
                     "kuvio = \"budget/1\"\nname = \"b\"\nrecipe = \"r.recipe.toml\"\n" + limits);
    const auto ran = cli({"check", book, "--budget", budget, "--build", build, "--json"});
    INFO(ran.err);
    return {ran.json(), ran.status};
  }
};

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

TEST_CASE("a life of a capture that is not split, and one left to chance") {
  Tried t;
  const std::string csv = t.folder.write("u.csv", Log().stay(1e-3, 2000).text());
  REQUIRE(cli({"import", t.book, csv, "--name", "u", "--samples", "averaged"}).status == 0);
  const auto life = cli({"lifetime", t.book, "u", "--capacity-mah", "1000", "--json"});
  CHECK(life.status == 0);
  CHECK(life.json()["mean_a"].get<double>() == Approx(1e-3));
  CHECK_THAT(life.json()["of"].get<std::string>(), Catch::Contains("not split"));
  CHECK(life.json()["by_chance"].is_null());

  Log rare;
  rare.stay(3e-6, 1000).stay(5e-3, 50);
  for (int i = 0; i < 40; ++i) {
    rare.stay(3e-6, 1000);
    if (i % 13 == 6) {
      rare.stay(60e-3, 800 + 20 * i);
    } else {
      rare.stay(5e-3, 50);
    }
  }
  rare.stay(3e-6, 500);
  t.import(rare, "rare");
  const std::vector<std::string> call{"lifetime",       t.book, "rare",
                                      "--capacity-mah", "1000", "--json"};
  const json given = cli(call).json();
  CHECK(given["counts"] == "given");
  CHECK(given["unlimited"] == false);
  CHECK_THAT(given["decided_by"].get<std::string>(), Catch::StartsWith("3 rounds of Uplink"));
  CHECK(given["by_chance"]["life_low_s"] < given["life_low_s"]);
  CHECK(given["by_chance"]["life_high_s"] > given["life_high_s"]);
  // A request between the two ends is met by one reading and too close by the other.
  const double request =
      (given["by_chance"]["life_low_s"].get<double>() + given["life_low_s"].get<double>()) / 2;
  auto requested = call;
  requested.insert(requested.end(), {"--want", fmt::format("{} s", request)});
  CHECK(cli(requested).status == 0);
  requested.insert(requested.end(), {"--counts", "chance"});
  CHECK(cli(requested).status == 2);
  requested.back() = "weather";
  CHECK(cli(requested).status == 64);
}

TEST_CASE("a low threshold lengthens no visit") {
  // At 5 % of the step, as logarithmic thresholds are; edges anywhere inside samples.
  Tried t;
  t.recipe = t.folder.write("r.recipe.toml",
                            "kuvio = \"recipe/1\"\nname = \"low\"\n"
                            "[[state]]\nname = \"Sleep\"\nlevel = { below = \"3 mA\" }\n"
                            "[[state]]\nname = \"Uplink\"\nlevel = { above = \"3 mA\" }\n");
  std::mt19937_64 random(4);
  std::uniform_real_distribution<double> unit(0, 1);
  Log log;
  log.stay(3e-6, 500);
  double truth = 0;
  constexpr int kVisits = 20;
  for (int i = 0; i < kVisits; ++i) {
    const double before = unit(random), after = unit(random);
    log.stay(before * 60e-3 + (1 - before) * 3e-6, 1).stay(60e-3, 99);
    log.stay(after * 60e-3 + (1 - after) * 3e-6, 1).stay(3e-6, 500);
    truth += (99 + before + after) * 1e-3 / kVisits;
  }
  t.import(log, "low");
  CHECK(t.row("low", "Uplink")["visit_s"].get<double>() == Approx(truth).epsilon(1e-5));
  CHECK(t.row("low", "Sleep")["mean_a"].get<double>() == Approx(3e-6).epsilon(1e-3));
}

TEST_CASE("below range bounds from above: at most this, and the mean may be within after all") {
  Tried t;
  Log log;
  for (int i = 0; i < 6; ++i)
    log.stay(3e-6, 500).stay(60e-3, 40).sample("-9.9E37", 5).stay(60e-3, 40);
  log.stay(3e-6, 500);
  t.import(log, "n");
  const json row = t.row("n", "Uplink");
  CHECK(row["upper_bound"] == true);
  CHECK(row["lower_bound"] == false);
  const auto [document, status] =
      t.check("n",
              "[[limit]]\nstate = \"Uplink\"\npeak_current = { max = \"260 mA\" }\n"
              "[[limit]]\nstate = \"Uplink\"\nmean_current = { max = \"50 mA\" }\n");
  CHECK(document["limits"][0]["verdict"] == "within");
  CHECK(document["limits"][1]["verdict"] == "too close");
  CHECK(status == 2);
  CHECK_THAT(cli({"ledger", t.book, "n"}).out, Catch::Contains("\u2264 "));
}

TEST_CASE("a rest that varies from visit to visit makes no build worse") {
  Tried t;
  std::mt19937_64 random(11);
  std::normal_distribution<double> normal;
  int worse = 0;
  constexpr int kPairs = 6;
  for (int k = 0; k < kPairs; ++k) {
    for (const char* side : {"a", "b"}) {
      Log log;
      for (int i = 0; i < 12; ++i) log.stay(50e-6 * (1 + 0.1 * normal(random)), 300).stay(5e-3, 30);
      t.import(log, side + std::to_string(k));
    }
    const std::string n = std::to_string(k);
    worse += cli({"compare", t.book, "--reference", "a" + n, "--candidate", "b" + n}).status == 1;
  }
  CHECK(worse == 0);
}

TEST_CASE("a cut sleep that wanders says so though no stay of it is whole") {
  Tried t;
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  Log log;
  double wander = 0, sum = 0;
  for (int i = 0; i < 3000; ++i) {
    if (i == 1500) log.stay(5e-3, 50);
    wander = 0.99 * wander + 0.02 * normal(random);
    log.stay(20e-6 * (1 + wander), 1);
    sum += 20e-6 * (1 + wander) / 3000;
  }
  t.import(log, "c");
  const json row = t.row("c", "Sleep");
  CHECK(row["whole_visits"] == 0);
  CHECK(row["mean_a"].get<double>() == Approx(sum).epsilon(1e-3));
  // Its own mean lies this far from 20 uA, which the interval has to reach.
  CHECK(row["mean_u_a"].get<double>() > std::fabs(sum - 20e-6));
  CHECK(row["spread_of"] == "batches");
}

TEST_CASE("a mean of peaks has the peaks' spread") {
  Tried t;
  Log log;
  log.stay(3e-6, 500);
  for (const double peak : {100e-3, 200e-3, 300e-3}) log.stay(peak, 100).stay(3e-6, 500);
  t.import(log, "p");
  const auto [document, status] = t.check("p",
                                          "[[limit]]\nstate = \"Uplink\"\n"
                                          "peak_current = { max = \"201 mA\", of = \"mean\" }\n");
  CHECK(document["limits"][0]["verdict"] == "too close");
  // t(2) 100 mA / sqrt(3)
  CHECK(document["limits"][0]["uncertainty"].get<double>() == Approx(0.2484).epsilon(1e-3));
  CHECK(status == 2);
}

TEST_CASE("uneven periods of a steady current leave a captured mean sharp") {
  Tried t;
  std::mt19937_64 random(1);
  std::uniform_int_distribution<int> period(200, 4000);
  Log log;
  log.stay(50e-6, 500);
  for (int i = 0; i < 20; ++i) log.stay(200e-6, 20).stay(50e-6, period(random));
  log.stay(200e-6, 20);
  t.import(log, "u");
  const json life = cli({"lifetime", t.book, "u", "--capacity-mah", "1000", "--json"}).json();
  CHECK(life["mean_u_a"].get<double>() < 0.02 * life["mean_a"].get<double>());
}

TEST_CASE("equal within a margin goes before higher, and above it does not") {
  Tried t;
  std::mt19937_64 random(2);
  std::normal_distribution<double> normal;
  for (const double k : {1.0, 1.003, 1.05}) {
    Log log;
    log.stay(3e-6, 500);
    for (int i = 0; i < 20; ++i)
      log.stay(60e-3 * k * (1 + 1e-4 * normal(random)), 100).stay(3e-6, 500);
    t.import(log, fmt::format("k{}", k));
  }
  const auto against = [&](const char* candidate, bool margin) {
    std::vector<std::string> call{"compare",     t.book,    "--reference", "k1",
                                  "--candidate", candidate, "--json"};
    if (margin) call.insert(call.end(), {"--equal-within", "2 %"});
    const auto ran = cli(call);
    std::string shown;
    const json rows = ran.json()["rows"];
    for (const json& r : rows) {
      if (r["state"] == "Uplink") shown = r["shown"];
    }
    return std::pair{shown, ran.status};
  };
  CHECK(against("k1.003", false) == std::pair<std::string, int>("higher", 1));
  CHECK(against("k1.003", true) == std::pair<std::string, int>("equal", 0));
  CHECK(against("k1.05", true) == std::pair<std::string, int>("higher", 1));
}

TEST_CASE("of an event log the spacing at each edge counts, not the capture's") {
  Tried t;
  Log log;
  double at = 0;
  const auto stay = [&](double level, int n, double step) {
    for (int i = 0; i < n; ++i, at += step) log.at(at, level);
  };
  stay(3e-6, 20, 1.0);
  at -= 0.999;  // the logger wakes with the device
  stay(5e-3, 35, 1e-3);
  stay(3e-6, 20, 1.0);
  t.import(log, "e", "instant");
  const json row = t.row("e", "Work");
  CHECK(row["visit_s"].get<double>() == Approx(35e-3).epsilon(1e-6));
  // Each edge anywhere in a millisecond.
  CHECK(row["visit_u_s"].get<double>() == Approx(1.96e-3 * std::sqrt(2.0 / 12)).epsilon(0.02));
}

TEST_CASE("a split of an older Kuvio says that its edges stand on samples, until it is made anew") {
  const test::Folder folder;
  const std::string path = folder / "old.kuvio";
  std::filesystem::copy_file(KUVIO_SOURCE "/tests/fixtures/book-v4.kuvio", path);
  const json captures = cli({"list", path, "--json"}).json()["captures"];
  const std::string name = captures[0]["name"];
  for (const auto& call : {std::vector<std::string>{"ledger", path, name},
                           {"lifetime", path, name, "--capacity-mah", "1000"},
                           {"compare", path, "--reference", name, "--candidate", name}}) {
    const auto said = cli(call);
    INFO(call.front());
    CHECK_THAT(said.err, Catch::Contains("its edges on samples"));
  }
  const std::string recipe = folder.write("r.recipe.toml", kRecipe);
  REQUIRE(cli({"states", path, name, "--recipe", recipe}).status == 0);
  CHECK(cli({"ledger", path, name}).err.find("edges on samples") == std::string::npos);
}
