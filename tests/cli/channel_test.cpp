// SPDX-License-Identifier: GPL-3.0-or-later
// Channels put right and derived by command line: figures worked out by hand, before and after.

#include "cli/process.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <cmath>
#include <fstream>

using namespace kuvio;
using nlohmann::json;
using test::cli;

namespace {

/// Sleep at 10 uA, Busy at 10 mA, each a second, ten times, behind half a minute in which nothing
/// flows; all of it read 3 uA too high.
std::string with_zero(const test::Folder& folder) {
  const std::string path = folder / "log.csv";
  std::ofstream out(path);
  out << "time (s),current (uA)\n";
  int i = 0;
  const auto stay = [&](double micro, int samples) {
    for (int k = 0; k < samples; ++k, ++i)
      out << fmt::format("{:.3f},{:.3f}\n", i * 1e-3, micro + 3 + 0.1 * ((i * 7) % 11 - 5));
  };
  stay(0, 30'000);
  for (int n = 0; n < 10; ++n) {
    stay(10, 1000);
    stay(10'000, 1000);
  }
  stay(10, 1000);
  return path;
}

const char* kLevels =
    "kuvio = \"recipe/1\"\nname = \"levels\"\n"
    "[[state]]\nname = \"Nothing\"\nlevel = { below = \"2 uA\" }\n"
    "[[state]]\nname = \"Sleep\"\nlevel = { below = \"100 uA\" }\n"
    "[[state]]\nname = \"Busy\"\nlevel = { above = \"100 uA\" }\n";

json row(const json& ledger, const std::string& state) {
  for (const json& r : ledger["rows"]) {
    if (r["state"] == state) return r;
  }
  return {};
}

}  // namespace

TEST_CASE("a zero found after the capture changes every figure, with its uncertainty") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio", recipe = folder / "r.recipe.toml";
  std::ofstream(recipe) << kLevels;
  REQUIRE(cli({"import", book, with_zero(folder), "--samples", "averaged", "--accuracy",
               "0.1 % + 5 uA"})
              .status == 0);
  REQUIRE(cli({"states", book, "1", "--recipe", recipe}).status == 0);
  const json before = cli({"ledger", book, "1", "--json"}).json();
  // Read 3 uA too high, half a minute of nothing is Sleep.
  CHECK(row(before, "Sleep")["mean_a"].get<double>() ==
        Approx((30 * 3 + 11 * 13) / 41.0 * 1e-6).epsilon(0.001));
  CHECK(row(before, "Sleep")["mean_u_a"].get<double>() > 4e-6);
  const test::Ran ran = cli({"channel", book, "1", "current", "--zero-from", "1..29", "--json"});
  REQUIRE(ran.status == 0);
  CHECK_THAT(ran.err, Catch::Contains("split again"));
  const json zero = ran.json()["calibration"]["zero"];
  CHECK(zero["mean"].get<double>() == Approx(3e-6).epsilon(0.001));
  CHECK(ran.json()["count_a"].get<double>() == Approx(0.1e-6));
  const json after = cli({"ledger", book, "1", "--json"}).json();
  // Found anew by the recipe, nothing is nothing.
  CHECK(row(after, "Nothing")["time_s"].get<double>() == Approx(30).margin(0.01));
  const json sleep = row(after, "Sleep");
  CHECK(sleep["mean_a"].get<double>() == Approx(10e-6).epsilon(0.001));
  CHECK(sleep["mean_u_a"].get<double>() < 0.1e-6);
  CHECK(std::fabs(sleep["mean_a"].get<double>() - 10e-6) < sleep["mean_u_a"].get<double>());
  CHECK(after["total"]["charge_c"].get<double>() == Approx(10 * 10e-3 + 11 * 10e-6).epsilon(1e-5));
  CHECK(before["total"]["charge_c"].get<double>() - after["total"]["charge_c"].get<double>() ==
        Approx(51 * 3e-6).epsilon(1e-3));
  CHECK(cli({"verify", book}).status == 0);
  // And back.
  REQUIRE(cli({"channel", book, "1", "current", "--reset"}).status == 0);
  CHECK(cli({"ledger", book, "1", "--json"}).json()["total"]["charge_c"] ==
        before["total"]["charge_c"]);
}

TEST_CASE("a zero from other captures, before and after, is shared out half-way") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio";
  for (const auto& [name, level] : {std::pair{"before", 2.0}, {"run", 1000.0}, {"after", 4.0}}) {
    const std::string path = folder / (std::string(name) + ".csv");
    std::ofstream out(path);
    out << "time (s),I (uA)\n";
    for (int i = 0; i < 1000; ++i)
      out << fmt::format("{:.3f},{:.4f}\n", i * 1e-3, level + 0.01 * (i % 3 - 1));
    out.close();
    REQUIRE(cli({"import", book, path, "--accuracy", "0.1 % + 1 uA"}).status == 0);
  }
  const json out =
      cli({"channel", book, "run", "I", "--zero-from", "before", "--zero-from", "after", "--json"})
          .json();
  CHECK(out["calibration"]["zero"]["mean"].get<double>() == Approx(3e-6).epsilon(0.001));
  CHECK(out["calibration"]["zero"]["drift"].get<double>() == Approx(2e-6).epsilon(0.001));
  const json span = cli({"span", book, "run", "--json"}).json();
  CHECK(span["mean_a"].get<double>() == Approx(997e-6).epsilon(1e-5));
  // 0.1 % of it as a bound, and half of 2 uA as a bound: sqrt of squares at k = 2 of what is known.
  const double u = std::sqrt(std::pow(0.997e-6, 2) / 3 + std::pow(1e-6, 2) / 3);
  CHECK(span["mean_u_a"].get<double>() == Approx(1.96 * u).epsilon(0.02));
}

TEST_CASE("a zero of two spans takes a drift off along the capture") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio", path = folder / "log.csv";
  {
    std::ofstream out(path);
    out << "time (s),I (uA)\n";
    // Nothing flows in the first and last 20 s; the zero goes from 2 to 12 uA over 100 s.
    for (int i = 0; i <= 1000; ++i) {
      const double t = i * 0.1, flows = t >= 20 && t < 80 ? 50 : 0;
      out << fmt::format("{:.1f},{:.5f}\n", t, flows + 2 + t / 10 + 0.001 * (i % 3 - 1));
    }
  }
  REQUIRE(cli({"import", book, path, "--accuracy", "0.1 % + 1 uA"}).status == 0);
  const json out =
      cli({"channel", book, "1", "I", "--zero-from", "1..19", "--zero-from", "81..99", "--json"})
          .json();
  CHECK(out["calibration"]["zero"]["along"] == true);
  for (const char* from : {"22", "70"}) {  // early and late: a constant would be off by 2.4 uA
    const json span = cli({"span", book, "1", "--from", from, "--to",
                           std::to_string(std::stoi(from) + 8), "--json"})
                          .json();
    CHECK(span["mean_a"].get<double>() == Approx(50e-6).epsilon(2e-4));
    CHECK(span["mean_u_a"].get<double>() < 0.1e-6);
  }
}

TEST_CASE("two voltages behind unmatched dividers become a current, with a warning in amperes") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio", path = folder / "two.csv";
  {
    std::ofstream out(path);
    out << "time (s),before (V),behind (V)\n";
    for (int i = 0; i <= 2000; ++i) {
      const double amperes = i >= 1000 ? 0.15 : 0.05;
      out << fmt::format("{:.2f},{:.7f},{:.7f}\n", i * 0.01, 3.6 / 4, (3.6 - 0.1 * amperes) / 4);
    }
  }
  REQUIRE(cli({"import", book, path}).status == 0);
  const test::Ran ran = cli({"channel", book, "1", "I", "--difference", "before,behind",
                             "--divider", "before=30k/10k 1 %", "--divider", "behind=30k/10k 1 %",
                             "--shunt", "0.1 Ohm", "--shunt-rating", "1 mW", "--json"});
  REQUIRE(ran.status == 0);
  const json out = ran.json();
  CHECK(out["quantity"] == "current");
  REQUIRE(out["warnings"].size() == 2);
  // Four resistors, each good for 0.75 % of 3.6 V as a bound: 61 mV at 95 %, 611 mA at 0.1 Ohm.
  const double U = 1.96 * std::sqrt(4 * std::pow(0.0075 * 3.6, 2) / 3) / 0.1;
  CHECK(U == Approx(0.611).epsilon(0.002));
  CHECK_THAT(out["warnings"].dump(), Catch::Contains("610") && Catch::Contains("mA"));
  CHECK_THAT(out["warnings"].dump(), Catch::Contains("rated at 1.00"));
  CHECK(out["burden"]["peak_v"].get<double>() == Approx(0.015).epsilon(1e-4));
  const json span = cli({"span", book, "1", "--from", "12", "--to", "18", "--json"}).json();
  CHECK(span["mean_a"].get<double>() == Approx(0.15).epsilon(1e-5));  // the only current
  // Power by the voltage behind it; energy of the whole.
  REQUIRE(cli({"channel", book, "1", "P", "--product", "behind,I"}).status == 0);
  REQUIRE(cli({"channel", book, "1", "E", "--running", "P"}).status == 0);
  const json power =
      cli({"span", book, "1", "--channel", "P", "--from", "12", "--to", "18", "--json"}).json();
  CHECK(power["mean_w"].get<double>() == Approx((3.6 - 0.015) * 0.15).epsilon(1e-4));
  // A shunt that is put right afterwards goes through to what is made of it.
  REQUIRE(cli({"channel", book, "1", "I", "--shunt", "0.2 Ohm"}).status == 0);
  const json half =
      cli({"span", book, "1", "--channel", "P", "--from", "12", "--to", "18", "--json"}).json();
  CHECK(half["mean_w"].get<double>() == Approx((3.6 - 0.015) * 0.075).epsilon(1e-4));
}

TEST_CASE("a derived current leaves the recorded one the only one, and states what they rest on") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio", recipe = folder / "r.recipe.toml";
  std::ofstream(recipe) << kLevels;  // names no channel
  REQUIRE(cli({"import", book, with_zero(folder), "--samples", "averaged"}).status == 0);
  REQUIRE(cli({"states", book, "1", "--recipe", recipe}).status == 0);
  const json before = cli({"ledger", book, "1", "--json"}).json();
  const test::Ran slow = cli({"channel", book, "1", "slow", "--rolling-mean", "current 100 ms"});
  INFO(slow.err);
  REQUIRE(slow.status == 0);
  CHECK(cli({"ledger", book, "1", "--json"}).json()["rows"] == before["rows"]);
  CHECK(cli({"span", book, "1", "--json"}).json()["channel"] == "current");
  // Split by what was derived: it cannot be taken away from under its states.
  const std::string on_slow = folder / "slow.recipe.toml";
  std::ofstream(on_slow) << std::string(kLevels).insert(19, "channel = \"slow\"\n");
  REQUIRE(cli({"states", book, "1", "--recipe", on_slow}).status == 0);
  const test::Ran removed = cli({"channel", book, "1", "slow", "--remove"});
  CHECK(removed.status == 64);
  CHECK_THAT(removed.err, Catch::Contains("states rest on"));
  CHECK(cli({"ledger", book, "1"}).status == 0);
  // They go on resting on it when it is made again.
  REQUIRE(cli({"channel", book, "1", "current", "--gain", "2"}).status == 0);
  CHECK(row(cli({"ledger", book, "1", "--json"}).json(), "Busy")["mean_a"].get<double>() ==
        Approx(20e-3).epsilon(0.1));
  REQUIRE(cli({"states", book, "1", "--recipe", recipe}).status == 0);
  CHECK(cli({"channel", book, "1", "slow", "--remove"}).status == 0);
  CHECK(cli({"ledger", book, "1"}).status == 0);
}

TEST_CASE("states of a current do not stay when it is a voltage again") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio", recipe = folder / "r.recipe.toml";
  std::ofstream(recipe) << kLevels;
  std::string log = "time (s),drop (mV)\n";
  for (int i = 0; i < 100; ++i) log += fmt::format("{:.2f},{}\n", i * 0.01, i < 50 ? 0.001 : 1);
  REQUIRE(cli({"import", book, folder.write("d.csv", log)}).status == 0);
  REQUIRE(cli({"channel", book, "1", "drop", "--shunt", "0.1 Ohm"}).status == 0);
  REQUIRE(cli({"states", book, "1", "--recipe", recipe}).status == 0);
  const test::Ran reset = cli({"channel", book, "1", "drop", "--reset"});
  CHECK(reset.status == 0);
  CHECK_THAT(reset.err, Catch::Contains("split it again"));
  const test::Ran ledger = cli({"ledger", book, "1"});
  CHECK(ledger.status == 65);
  CHECK_THAT(ledger.err, Catch::Contains("not split"));
  REQUIRE(cli({"channel", book, "1", "drop", "--shunt", "0.1 Ohm"}).status == 0);
  REQUIRE(cli({"states", book, "1", "--recipe", recipe}).status == 0);
  CHECK(cli({"ledger", book, "1"}).status == 0);
}

TEST_CASE("what cannot be done to a channel is said, and changes nothing") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio", path = folder / "one.csv";
  {
    std::ofstream out(path);
    out << "time (s),I (mA)\n";
    for (int i = 0; i < 100; ++i) out << i * 0.01 << ",1\n";
  }
  REQUIRE(cli({"import", book, path}).status == 0);
  const auto refused = [&](std::vector<std::string> words, int status, const char* why) {
    std::vector<std::string> all{"channel", book, "1"};
    all.insert(all.end(), words.begin(), words.end());
    const test::Ran ran = cli(all);
    CAPTURE(words, ran.err);
    CHECK(ran.status == status);
    CHECK_THAT(ran.err, Catch::Contains(why));
  };
  refused({"X", "--gain", "2"}, 64, "it has I");
  refused({"I", "--gain", "0"}, 64, "not zero");
  refused({"I", "--shunt", "1 Ohm"}, 64, "voltage");
  refused({"I", "--shunt", "1 V"}, 64, "resistance");
  refused({"I", "--divider", "90k/10k"}, 64, "NAME=R1/R2");
  refused({"I", "--divider", "X=90k/10k"}, 64, "it has I");
  refused({"I", "--zero-from", "0..0.1"}, 65, "40 samples");
  refused({"I", "--zero-from", "gone"}, 65, "gone");
  refused({"I", "--product", "I,I"}, 64, "already");
  refused({"P", "--product", "I"}, 65, "two channels");
  refused({"P", "--product", "P,I"}, 64, "of itself");
  refused({"P", "--product", "I,I", "--sum", "I,I"}, 64, "one way");
  refused({"P", "--rolling-mean", "I"}, 64, "100 ms");
  refused({"I", "--remove"}, 64, "not derived");
  refused({"I", "--accuracy", "much"}, 64, "--accuracy");
  CHECK(cli({"span", book, "1", "--json"}).json()["mean_a"].get<double>() == Approx(1e-3));
  CHECK(cli({"list", book, "--json"}).json()["captures"][0]["channels"].size() == 1);
}
