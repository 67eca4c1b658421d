// SPDX-License-Identifier: GPL-3.0-or-later
// The third example from its file to its answer; truths are how its log was made: 0.18 A turning,
// 1.15 A stalled, a pack of 6.05 V behind 0.62 Ohm that feeds 45 mA besides.

#include "cli/process.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace kuvio;
using nlohmann::json;
using test::cli;

TEST_CASE("Mealbell: a jam, from its log to what a second of it costs") {
  const test::Folder folder;
  const std::string book = folder / "m.kuvio";
  const std::string examples = std::string(KUVIO_SOURCE) + "/examples/";
  const test::Ran imported = cli({"import", book, examples + "mealbell.log", "--json"});
  REQUIRE(imported.status == 0);
  const json captures = imported.json()["captures"];
  REQUIRE(captures.size() == 2);
  CHECK_THAT(imported.err, Catch::Contains("begins again at line 1237"));
  CHECK(captures[0]["channels"][0]["samples"] == 1234);
  CHECK(captures[1]["channels"][0]["samples"] == 630);
  for (const char* capture : {"1", "2"}) {
    REQUIRE(cli({"channel", book, capture, "drop", "--shunt", "0.22 Ohm 1 %", "--accuracy",
                 "0.5 % + 50 uV"})
                .status == 0);
    REQUIRE(cli({"states", book, capture, "--recipe", examples + "mealbell.recipe.toml"}).status ==
            0);
  }
  const auto span = [&](const char* channel, const char* from, const char* to) {
    return cli({"span", book, "1", "--channel", channel, "--from", from, "--to", to, "--json"})
        .json();
  };
  const json turning = span("drop", "12", "13"), stalled = span("drop", "59.5", "60.5");
  CHECK(turning["charge_c"].get<double>() == Approx(0.18).epsilon(0.002));
  CHECK(stalled["charge_c"].get<double>() == Approx(1.15).epsilon(0.002));
  // 1 % and 0.5 % as bounds in quadrature, and 50 uV over 0.22 Ohm.
  const double u =
      std::sqrt(std::pow(1.15, 2) * (1e-4 + 25e-6) / 3 + std::pow(50e-6 / 0.22, 2) / 3);
  CHECK(stalled["charge_u_c"].get<double>() == Approx(1.96 * u).epsilon(0.03));
  CHECK(span("pack", "0", "9")["mean_v"].get<double>() ==
        Approx(6.05 - 0.62 * 0.045).epsilon(1e-4));
  CHECK(span("pack", "59", "61.6")["mean_v"].get<double>() ==
        Approx(6.05 - 0.62 * 1.195).epsilon(5e-4));
  const json second = cli({"ledger", book, "2", "--json"}).json();
  for (const json& row : second["rows"]) {
    if (row["state"] != "Stalled") continue;
    CHECK(row["visits"] == 1);
    CHECK(row["time_s"].get<double>() == Approx(1).margin(0.002));
    CHECK(row["charge_c"].get<double>() == Approx(1.15).epsilon(0.003));
  }
  // The whole is 14 seconds and a half of turning with a tenth at 620 mA each, and 3.2 s of jam.
  CHECK(cli({"ledger", book, "1", "--json"}).json()["total"]["charge_c"].get<double>() ==
        Approx(14.2 * 0.18 + 0.3 * 0.62 + 3.175 * 1.15).epsilon(0.004));
}
