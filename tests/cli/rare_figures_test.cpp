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
