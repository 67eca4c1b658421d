// SPDX-License-Identifier: GPL-3.0-or-later
// How a log was read, kept as a file for the next of its kind.

#include "cli/process.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <iterator>

using namespace kuvio;
using test::cli;

namespace {

std::string text_of(const std::string& path) {
  std::ifstream in(path);
  return {std::istreambuf_iterator<char>(in), {}};
}

double mean(const std::string& book, const std::string& capture) {
  return cli({"span", book, capture, "--json"}).json()["mean_a"].get<double>();
}

}  // namespace

TEST_CASE("a layout that was written reads the next log of its kind the same, without being told") {
  const test::Folder folder;
  const std::string book = folder / "b.kuvio", layout = folder / "bench.layout.toml";
  // "1,234" alone could be either, the load's unit stands nowhere, and two columns are alike.
  const std::string first = folder.write(
      "first.txt", "t;load;load;note\n0;1,234;9;a\n1;1,234;9;b\n2;1,234;9;c\n3;1,234;9;d\n");
  const std::string second =
      folder.write("second.txt", "t;load;load;note\n0;2,500;9;a\n1;2,500;9;b\n2;2,500;9;c\n");
  const test::Ran open = cli({"import", book, first});
  CHECK(open.status == 65);
  const test::Ran said = cli({"import", book, first, "--decimal", "comma", "--column", "1=time[ms]",
                              "--column", "2=current[mA]", "--column", "3=ignore", "--samples",
                              "averaged:end", "--write-layout", layout});
  INFO(said.err);
  REQUIRE(said.status == 0);
  CHECK(mean(book, "first") == Approx(1.234e-3));
  const std::string text = text_of(layout);
  CHECK_THAT(text, Catch::Contains("decimal = \"comma\"") &&
                       Catch::Contains("samples = \"averaged:end\"") &&
                       Catch::Contains("column = \"2\"") && Catch::Contains("unit = \"mA\""));
  const test::Ran next = cli({"import", book, second, "--layout", layout, "--json"});
  INFO(next.err);
  REQUIRE(next.status == 0);
  CHECK(mean(book, "second") == Approx(2.5e-3));
  const auto channel = next.json()["captures"][0]["channels"][0];
  CHECK(channel["from_s"].get<double>() == Approx(-1e-3));  // stamped at their ends
  CHECK(next.json()["captures"][0]["channels"].size() == 1);
  // What is said on the command line goes before it.
  REQUIRE(cli({"import", book, second, "--layout", layout, "--name", "in A", "--column",
               "2=current[A]"})
              .status == 0);
  CHECK(mean(book, "in A") == Approx(2.5));
  // And what it writes is what it read.
  REQUIRE(cli({"import", book, second, "--layout", layout, "--name", "again", "--write-layout",
               folder / "again.layout.toml"})
              .status == 0);
  CHECK(text_of(folder / "again.layout.toml") == text);
}

TEST_CASE("a layout with a mistake is said with its line, and nothing is imported") {
  const test::Folder folder;
  const std::string log = folder.write("log.csv", "time (s),I (mA)\n0,1\n1,1\n2,1\n");
  const auto refused = [&](const std::string& text, const char* why) {
    const std::string layout = folder.write("l.layout.toml", text);
    const test::Ran ran = cli({"import", folder / "b.kuvio", log, "--layout", layout});
    CAPTURE(text, ran.err);
    CHECK(ran.status == 65);
    CHECK_THAT(ran.err, Catch::Contains(why));
  };
  refused("kuvio = \"recipe/1\"\n", "layout");
  refused("kuvio = \"layout/1\"\ndecimal = \"dot\"\n", "l.layout.toml:2");
  refused("kuvio = \"layout/1\"\nsamples = \"mean\"\n", "instant");
  refused("kuvio = \"layout/1\"\nrate = \"0 Hz\"\n", "l.layout.toml:2");
  refused("kuvio = \"layout/1\"\nshunt = 1\n", "l.layout.toml:2");
  refused("kuvio = \"layout/1\"\nspeed = \"1 kHz\"\n", "speed");
  refused("kuvio = \"layout/1\"\n[[column]]\nrole = \"current\"\n", "column");
  CHECK(cli({"import", folder / "b.kuvio", log, "--layout", folder / "gone.layout.toml"}).status ==
        66);
  const std::string other = folder.write(
      "o.layout.toml", "kuvio = \"layout/1\"\n[[column]]\ncolumn = \"U\"\nrole = \"voltage\"\n");
  const test::Ran ran = cli({"import", folder / "b.kuvio", log, "--layout", other});
  CHECK(ran.status == 64);
  CHECK_THAT(ran.err, Catch::Contains("no such column"));
}
