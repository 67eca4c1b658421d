// SPDX-License-Identifier: GPL-3.0-or-later
// Readings taken by eye: ledger, comparison, budget and life, by command line.

#include "cli/process.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::cli;

namespace {

struct Book {
  test::Folder folder;
  std::string path = folder / "b.kuvio";

  test::Ran add(std::vector<std::string> more) const {
    more.insert(more.begin(), {"add", path});
    more.emplace_back("--json");
    return cli(more);
  }
  nlohmann::json row(const std::string& capture, const std::string& state) const {
    const test::Ran ran = cli({"ledger", path, capture, "--json"});
    INFO(ran.err);
    REQUIRE(ran.status == 0);
    const nlohmann::json document = ran.json();
    for (const auto& row : document["rows"]) {
      if (row["state"] == state) return row;
    }
    return nullptr;
  }
};

}  // namespace

TEST_CASE("a reading taken by eye is in ledger, comparison, budget and life, marked as typed") {
  const Book book;
  const test::Ran first = book.add({"--state", "Sleep", "--mean", "3.1 uA", "--plus-minus",
                                    "0.1 uA", "--build", "A", "--condition", "board=7"});
  INFO(first.err);
  REQUIRE(first.status == 0);
  CHECK(first.json()["captures"][0]["typed"] == true);
  CHECK(first.json()["captures"][0]["name"] == "A typed");
  CHECK(first.json()["reading"]["mean_a"].get<double>() == Approx(3.1e-6));
  CHECK(first.json()["reading"]["mean_u_a"].get<double>() == Approx(0.95e-7).epsilon(1e-3));
  REQUIRE(book.add({"--state", "Uplink", "--mean", "46 to 48 mA", "--length", "1.8 s +- 0.05 s",
                    "--peak", "210 mA", "--build", "A", "--condition", "board=7"})
              .status == 0);
  REQUIRE(book.add({"--state", "Sleep", "--mean", "4.4 uA", "--plus-minus", "0.1 uA", "--build",
                    "B", "--condition", "board=7"})
              .status == 0);
  REQUIRE(book.add({"--state", "Uplink", "--mean", "46 to 48 mA", "--length", "1.8 s +- 0.05 s",
                    "--build", "B", "--condition", "board=7"})
              .status == 0);

  const auto list = cli({"list", book.path, "--json"}).json();
  CHECK(list["captures"].size() == 2);
  CHECK(list["builds"] == nlohmann::json::array({"A", "B"}));
  const auto uplink = book.row("A typed", "Uplink");
  CHECK(uplink["typed"] == 1);
  CHECK(uplink["charge_per_visit_c"].get<double>() == Approx(0.0846));
  CHECK(uplink["visit_s"].get<double>() == Approx(1.8));
  CHECK(uplink["peak_a"].get<double>() == Approx(0.21));
  CHECK(uplink["charge_c"].is_null());
  CHECK(uplink["time_s"].is_null());

  const test::Ran compared =
      cli({"compare", book.path, "--reference", "A", "--candidate", "B", "--json"});
  CHECK(compared.status == 1);  // higher
  CHECK(compared.json()["alike"] == true);
  const auto document = compared.json();
  for (const auto& row : document["rows"]) {
    if (row["state"] != "Sleep") continue;
    CHECK(row["difference_a"].get<double>() == Approx(1.3e-6));
    CHECK(row["shown"] == "higher");
  }

  const std::string recipe =
      book.folder.write("r.recipe.toml",
                        "kuvio = \"recipe/1\"\nname = \"r\"\n[[state]]\nname = \"Sleep\"\n"
                        "level = { below = \"1 mA\" }\n");
  const std::string duty = book.folder.write("d.duty.toml",
                                             "kuvio = \"duty/1\"\nrest = \"Sleep\"\n[[activity]]\n"
                                             "per = \"4 /d\"\nstates = [\"Uplink\"]\n");
  const std::string budget = book.folder.write(
      "x.budget.toml",
      "kuvio = \"budget/1\"\nname = \"x\"\nrecipe = \"r.recipe.toml\"\n[[limit]]\nstate = "
      "\"Sleep\"\nmean_current = { max = \"4 uA\" }\n[[limit]]\nfield = true\nduty = "
      "\"d.duty.toml\"\nmean_current = { max = \"60 uA\" }\n");
  const test::Ran within = cli({"check", book.path, "--budget", budget, "--build", "A", "--json"});
  INFO(within.err);
  CHECK(within.status == 0);
  CHECK(cli({"check", book.path, "--budget", budget, "--build", "B"}).status == 1);

  const test::Ran life =
      cli({"lifetime", book.path, "A typed", "--capacity-mah", "1000", "--duty", duty, "--json"});
  REQUIRE(life.status == 0);
  const double r = 4.0 / 86400, mean = r * 0.0846 + 3.1e-6 * (1 - r * 1.8);
  CHECK(life.json()["mean_a"].get<double>() == Approx(mean).epsilon(1e-6));
  CHECK(life.json()["life_s"].get<double>() == Approx(3600 / mean).epsilon(1e-6));
  // Without a plan nobody knows how often each state comes.
  CHECK(cli({"lifetime", book.path, "A typed", "--capacity-mah", "1000"}).status == 65);
  CHECK(cli({"report", book.path, "--out", book.folder / "r.html"}).status == 0);
  CHECK(cli({"verify", book.path}).status == 0);
}

TEST_CASE("readings of other conditions are a capture of their own, and can be replaced") {
  const Book book;
  const std::vector<std::string> one{"--state", "On", "--mean", "12 mA +- 1 mA", "--build", "A"};
  REQUIRE(book.add(one).status == 0);
  auto cold = one;
  cold.insert(cold.end(), {"--condition", "temperature=-20 degC"});
  CHECK(book.add(cold).json()["captures"][0]["id"] == 2);
  CHECK(book.add(one).json()["readings_of_state"] == 2);
  auto again = one;
  again.emplace_back("--replace");
  CHECK(book.add(again).json()["readings_of_state"] == 1);
  CHECK(book.row("1", "On")["typed"] == 1);
  // A single typed state is what the device draws.
  const auto life = cli({"lifetime", book.path, "1", "--capacity-mah", "1200", "--json"}).json();
  CHECK(life["life_s"].get<double>() == Approx(100 * 3600.0));
}

TEST_CASE("what is no reading is refused, and a book that was not there is not made") {
  const Book book;
  const std::vector<std::vector<std::string>> wrong{
      {"--state", "On"},
      {"--state", "On", "--mean", "12"},
      {"--state", "On", "--mean", "12 V"},
      {"--state", "Missing", "--mean", "12 mA"},
      {"--state", "On", "--mean", "12 to 11 mA"},
      {"--state", "On", "--mean", "12 mA +- 1 mA", "--plus-minus", "2 mA"},
      {"--state", "On", "--plus-minus", "2 mA"},
      {"--state", "On", "--mean", "12 mA", "--plus-minus", "2 V"},
      {"--state", "On", "--length", "0 s"},
      {"--state", "On", "--mean", "12 mA", "--peak", "11 mA"},
      {"--mean", "12 mA"}};
  for (const auto& arguments : wrong) {
    INFO(arguments.back());
    CHECK(book.add(arguments).status == 64);
  }
  CHECK(book.folder.files().empty());
}

TEST_CASE("what needs samples says so of typed readings") {
  const Book book;
  REQUIRE(book.add({"--state", "On", "--mean", "12 mA", "--name", "meter"}).status == 0);
  for (const std::vector<std::string>& command : std::vector<std::vector<std::string>>{
           {"span", book.path, "meter"},
           {"export", book.path, "meter", "--out", book.folder / "x.csv"},
           {"export", book.path, "meter", "--format", "hdf5", "--out", book.folder / "x.h5"},
           {"export", book.path, "meter", "--format", "vcd", "--out", book.folder / "x.vcd"}}) {
    const test::Ran ran = cli(command);
    INFO(command.front());
    CHECK(ran.status == 65);
    CHECK_THAT(ran.err, Catch::Contains("typed"));
  }
}
