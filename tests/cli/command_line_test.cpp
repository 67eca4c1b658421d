// SPDX-License-Identifier: GPL-3.0-or-later
// What goes wrong: exit statuses and one clear line each, and nothing left half-written.

#include "book/book.h"
#include "book/sqlite.h"
#include "cli/process.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::cli;

namespace {

void refuses(const std::vector<std::string>& call, int status, const std::string& told) {
  const test::Ran ran = cli(call);
  INFO("kuvio-cli " << call.front() << ": " << ran.err);
  CHECK(ran.status == status);
  CHECK_THAT(ran.err, Catch::StartsWith("kuvio-cli: ") && Catch::Contains(told));
  CHECK(std::count(ran.err.begin(), ran.err.end(), '\n') == 1);
  CHECK(ran.out.empty());
}

std::string ramp() {
  std::string text = "time (s),current (mA)\n";
  for (int i = 0; i <= 100; ++i) text += std::to_string(i) + "," + std::to_string(i) + "\n";
  return text;
}

}  // namespace

TEST_CASE("wrong calls are told") {
  refuses({"frobnicate"}, 64, "command line");
  refuses({"list"}, 64, "BOOK");
  refuses({"capture", "/tmp/never.kuvio"}, 64, "--input");
  refuses({"capture", "/tmp/never.kuvio", "--input", "smoke://signals"}, 64, "smoke://signals");
  refuses({"capture", "/tmp/never.kuvio", "--input", "scpi+tcp://127.0.0.1:1"}, 69,
          "cannot reach input");
  refuses(
      {"capture", "/tmp/never.kuvio", "--input", "scpi+tcp://127.0.0.1:1", "--voltage", "3.6 mA"},
      64, "voltage");
  CHECK_FALSE(std::filesystem::exists("/tmp/never.kuvio"));
}

TEST_CASE("books that are missing, empty, junk or locked away are told") {
  const test::Folder folder;
  const std::string none = folder / "none.kuvio",
                    junk = folder.write("junk.kuvio", "not a book, " + std::string(2000, '?'));
  const std::string empty = folder.write("empty.kuvio", "");
  for (const std::string command : {"list", "verify"}) {
    refuses({command, none}, 66, "no such book");
    refuses({command, junk}, 65, "not a Kuvio book");
    refuses({command, empty}, 65, "it is empty");
  }
  const std::string csv = folder.write("a.csv", ramp());
  refuses({"import", folder / "no/folder/b.kuvio", csv}, 73, "cannot create");
  refuses({"import", csv + "/b.kuvio", csv}, 73, "");
  refuses({"import", junk, csv}, 65, "not a Kuvio book");
}

TEST_CASE("an import is all or nothing") {
  const test::Folder folder;
  const std::string good = folder.write("good.csv", ramp()),
                    bad = folder.write("bad.csv", "time (s),current (mA)\n0,1\n1,x\n"),
                    path = folder / "b.kuvio";
  refuses({"import", path, good, bad}, 65, "bad.csv:3");
  refuses({"import", path, folder / "none.csv"}, 66, "no such file");
  CHECK(folder.files().size() == 2);  // no book, no part of one
  const auto ran = cli({"import", path, good, "--build", "1", "--samples", "instant", "--json"});
  REQUIRE(ran.status == 0);
  CHECK(ran.json()["captures"][0]["channels"][0]["samples"] == 101);
  refuses({"import", path, bad}, 65, "bad.csv:3");
  CHECK(cli({"list", path, "--json"}).json()["captures"].size() == 1);
  CHECK(cli({"verify", path}).status == 0);
}

TEST_CASE("spans of an imported ramp are exact, and wrong ones told") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  REQUIRE(cli({"import", path, folder.write("r.csv", ramp()), "--voltage", "3.6 V", "--accuracy",
               "0.1 %"})
              .status == 0);
  const auto s = cli({"span", path, "r", "--from", "10.25", "--to", "90.5", "--json"}).json();
  CHECK(s["charge_c"].get<double>() ==
        Approx(0.5e-3 * (90.5 * 90.5 - 10.25 * 10.25)).epsilon(1e-12));
  CHECK(s["energy_j"].get<double>() == Approx(3.6 * s["charge_c"].get<double>()));
  CHECK(s["mean_u_a"].get<double>() > 0);
  refuses({"span", path, "r", "--from", "9", "--to", "8"}, 64, "after");
  refuses({"span", path, "r", "--from", "900", "--to", "901"}, 65, "outside");
  refuses({"span", path, "q"}, 65, "no such capture");
  refuses({"span", path, "r", "--channel", "Z"}, 64, "no channel");
  refuses({"ledger", path, "r"}, 65, "not split");
  refuses({"span", path, "r", "--whole-cycles"}, 65, "not split");
}

TEST_CASE("several currents are asked about by name, several captures of one name by id") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio",
                    csv = folder.write("two.csv", "t (s),a (mA),b (mA)\n0,1,2\n1,1,2\n2,1,2\n");
  REQUIRE(cli({"import", path, csv}).status == 0);
  refuses({"span", path, "two"}, 64, "a, b");
  CHECK(cli({"span", path, "two", "--channel", "b", "--json"}).json()["mean_a"].get<double>() ==
        Approx(2e-3));
  REQUIRE(cli({"import", path, csv}).status == 0);
  refuses({"span", path, "two"}, 64, "1, 2");
}

TEST_CASE("volts are never accounted for as amperes") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio",
                    csv = folder.write("u.csv", "t (s),U (V)\n0,3\n1,3\n2,1\n3,1\n4,3\n5,3\n"),
                    recipe = folder.write("r.toml",
                                          "kuvio = \"recipe/1\"\nname = \"x\"\n[[state]]\nname = "
                                          "\"Full\"\nlevel = { above = \"2 A\" }\n"),
                    battery = folder.write("b.toml",
                                           "kuvio = \"battery/1\"\nname = \"b\"\n"
                                           "capacity = \"1 Ah\"\nvoltage = \"3 V\"\n");
  REQUIRE(cli({"import", path, csv, "--build", "1", "--samples", "averaged"}).status == 0);
  CHECK(cli({"span", path, "u", "--json"}).json()["mean_v"].get<double>() == Approx(14.0 / 6));
  refuses({"states", path, "u", "--find"}, 65, "no channel of current");
  refuses({"states", path, "u", "--find", "--channel", "U"}, 65, "a current");
  refuses({"states", path, "u", "--recipe", recipe}, 65, "no channel of current");
  const std::string named = folder.write(
      "n.toml",
      "kuvio = \"recipe/1\"\nname = \"x\"\nchannel = \"U\"\n[[state]]\nname = \"Full\"\n"
      "level = { above = \"2 A\" }\n");
  refuses({"states", path, "u", "--recipe", named}, 65, "cannot rest on U, in V");
  refuses({"lifetime", path, "u", "--battery", battery}, 65, "no channel of current");
  CHECK_FALSE(cli({"list", path, "--json"}).json()["captures"][0]["split"].get<bool>());
  // A shunt makes it a current, and without it what was split is so no more.
  REQUIRE(cli({"channel", path, "u", "U", "--shunt", "1 Ohm"}).status == 0);
  REQUIRE(cli({"states", path, "u", "--recipe", recipe}).status == 0);
  CHECK(cli({"ledger", path, "u", "--json"}).json()["total"]["charge_c"].get<double>() ==
        Approx(14));
  REQUIRE(cli({"channel", path, "u", "U", "--reset"}).status == 0);
  refuses({"ledger", path, "u"}, 65, "not split");
}

TEST_CASE("bad recipes, budgets and batteries are told with their line") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  REQUIRE(cli({"import", path, folder.write("r.csv", ramp()), "--build", "1"}).status == 0);
  const std::string recipe = folder.write("r.toml",
                                          "kuvio = \"recipe/1\"\nname = \"x\"\n[[state]]\nname = "
                                          "\"A\"\nlevel = { below = \"40 mA\" }\n");
  const std::string budget =
      "kuvio = \"budget/1\"\nname = \"x\"\nrecipe = \"r.toml\"\n[[limit]]\nstate = \"A\"\n";
  refuses({"states", path, "r", "--recipe", folder / "none.toml"}, 66, "no such file");
  refuses(
      {"states", path, "r", "--recipe", folder.write("s.toml", "kuvio = \"recipe/1\"\nname = \n")},
      65, "s.toml:2");
  refuses({"check", path, "--budget",
           folder.write("u.toml", budget + "mean_current = { max = \"4 V\" }\n"), "--build", "1"},
          65, "u.toml:6");
  refuses({"check", path, "--budget",
           folder.write("k.toml", budget + "mean_curent = { max = \"4 A\" }\n"), "--build", "1"},
          65, "k.toml:6");
  const std::string good = folder.write("g.toml", budget + "mean_current = { max = \"4 A\" }\n");
  refuses({"check", path, "--budget", good, "--build", "9"}, 65, "no such build");
  refuses({"check", path, "--budget", good, "--build", "1", "--junit", folder / "no/j.xml"}, 73,
          "cannot write");
  CHECK(cli({"check", path, "--budget", good, "--build", "1"}).status == 0);
  CHECK_FALSE(
      book::Book::open(path, book::Book::Mode::read).split(1));  // check writes nothing to the book
  const std::string nowhere =
      folder.write("n.toml",
                   "kuvio = \"budget/1\"\nname = \"x\"\nrecipe = \"r.toml\"\n[[limit]]\nstate = "
                   "\"Z\"\nmean_current = { max = \"4 A\" }\n");
  CHECK(cli({"check", path, "--budget", nowhere, "--build", "1"}).status == 2);
  REQUIRE(cli({"states", path, "r", "--recipe", recipe}).status == 0);
  refuses({"lifetime", path, "r", "--battery",
           folder.write("b.toml", "kuvio = \"battery/1\"\ncapacity = \"3 V\"\n")},
          65, "b.toml:2");
  refuses({"lifetime", path, "r"}, 64, "--battery");
  CHECK(
      cli({"lifetime", path, "r", "--capacity-mah", "1200", "--self-discharge", "1 %/y"}).status ==
      0);
  refuses({"report", path, "--out", folder / "no/r.html"}, 73, "cannot write");
}

TEST_CASE("a damaged book is found by verify with status 65") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  REQUIRE(cli({"import", path, folder.write("r.csv", ramp())}).status == 0);
  {
    book::Database(path, book::Database::Access::write)
        .execute("UPDATE chunk_samples SET data=zeroblob(length(data))");
  }
  const auto ran = cli({"verify", path, "--json"});
  CHECK(ran.status == 65);
  CHECK(ran.json()["ok"] == false);
  CHECK(ran.json()["problems"][0]["capture"] == "r");
}

TEST_CASE("every command of the contract is there") {
  for (const char* command : {"import", "capture", "list", "span", "states", "ledger", "compare",
                              "check", "lifetime", "demo", "report", "verify"}) {
    CHECK(cli({command, "--help"}).status == 0);
  }
}
