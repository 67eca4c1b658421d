// SPDX-License-Identifier: GPL-3.0-or-later
// What commands have in common: options as they are typed, tables, signals, the bench they start.

#include "book/make.h"
#include "cli/command.h"
#include "cli/record_here.h"
#include "cli/simulated_bench.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <functional>
#include <thread>

using namespace kuvio;
using namespace kuvio::cli;

namespace {

std::string refused(const std::function<void()>& what) {
  try {
    what();
  } catch (const Error& e) {
    CHECK(e.failure() == Failure::usage);
    return e.what();
  }
  return "";
}

/// What is printed while `what` runs.
std::string printed(const std::function<void()>& what) {
  std::fflush(stdout);
  const test::Folder folder;
  const std::string path = folder / "out";
  const int kept = ::dup(1), file = ::creat(path.c_str(), 0600);
  ::dup2(file, 1);
  what();
  std::fflush(stdout);
  ::dup2(kept, 1);
  ::close(file);
  ::close(kept);
  std::ifstream in(path);
  return {std::istreambuf_iterator<char>(in), {}};
}

}  // namespace

TEST_CASE("a quantity is a number in the SI unit, or one with a unit of its kind; nothing else") {
  CHECK(option_quantity("--seconds", "2.5", Dimension::time) == 2.5);
  CHECK(option_quantity("--seconds", "250 ms", Dimension::time) == Approx(0.25));
  CHECK(option_quantity("--limit", "-3 mA", Dimension::current) == Approx(-3e-3));
  for (const char* text : {"", "3 V", "five", "1e999", "inf", "nan", "-inf", "2,5", "3 "}) {
    INFO(text);
    const std::string why = refused([&] { option_quantity("--seconds", text, Dimension::time); });
    CHECK_THAT(why, Catch::Contains("--seconds"));
  }
}

TEST_CASE("a line to be sent later is a time, a colon and a line that may hold colons") {
  const auto sent = parse_send("10 min: set level: 3");
  CHECK(sent.at_s == Approx(600));
  CHECK(sent.text == "set level: 3");
  CHECK(parse_send("0:x").text == "x");
  CHECK_THAT(refused([] { parse_send("uplink"); }), Catch::Contains("TIME: LINE"));
  CHECK_THAT(refused([] { parse_send("3 s:   "); }), Catch::Contains("no line"));
  CHECK_THAT(refused([] { parse_send("soon: x"); }), Catch::Contains("--send"));
}

TEST_CASE("conditions are KEY=VALUE, whatever the value holds") {
  const Conditions c = option_conditions({"board=7", "note=a=b, c", "empty="});
  CHECK(c.at("board") == "7");
  CHECK(c.at("note") == "a=b, c");
  CHECK(c.at("empty").empty());
  CHECK_FALSE(refused([] { option_conditions({"board"}); }).empty());
  CHECK_FALSE(refused([] { option_conditions({"=7"}); }).empty());
  CHECK(option_accuracy("0.1 % + 20 nA") == "0.1 % + 20 nA");
  CHECK(option_accuracy("").empty());
  CHECK_FALSE(refused([] { option_accuracy("0.1 % + 20 nV"); }).empty());
}

TEST_CASE("a table's columns are as wide as what people see, not as its bytes") {
  const std::string out = printed([] {
    print_table({{"state", "mean"}, {"Sleep", "3.1 µA"}, {"Übertragung", "60.0 mA"}});
  });
  std::vector<std::string> lines;
  for (std::size_t at = 0; at < out.size();) {
    const auto end = out.find('\n', at);
    lines.push_back(out.substr(at, end - at));
    at = end + 1;
  }
  REQUIRE(lines.size() == 3);
  const auto seen = [](const std::string& s) {
    return std::count_if(s.begin(), s.end(), [](char c) { return (c & 0xc0) != 0x80; });
  };
  CHECK(seen(lines[1]) == seen(lines[2]));  // the last column stands to the right
  CHECK(seen(lines[0]) == seen(lines[2]));
}

TEST_CASE("a name is a build's or a capture's, and one that is none says what there is") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  for (const char* name : {"first", "second"}) {
    book::CaptureWriter writer(book, {name, "1.0", {}, false}, {test::current_channel()});
    writer.append(0, 0, 1, std::vector<double>(10, 1e-3));
    writer.finish("complete", false);
  }
  CHECK(captures_of(book, "1.0").size() == 2);
  REQUIRE(captures_of(book, "second").size() == 1);
  CHECK(captures_of(book, "second").front().id == 2);
  CHECK_THROWS_WITH(captures_of(book, "third"), Catch::Contains("third"));
}

TEST_CASE("a stop by signal is heard, and the signal is again what it was afterwards") {
  struct sigaction before {};
  REQUIRE(::sigaction(SIGTERM, nullptr, &before) == 0);  // the test's own
  {
    const StopOnSignal signals;
    CHECK_FALSE(signals.token().stop_requested());
    ::raise(SIGTERM);
    for (int i = 0; i < 200 && !signals.token().stop_requested(); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    CHECK(signals.token().stop_requested());
  }
  struct sigaction now {};
  REQUIRE(::sigaction(SIGTERM, nullptr, &now) == 0);
  CHECK(now.sa_handler == before.sa_handler);
}

TEST_CASE("the simulated bench is there while it is held, and gone afterwards") {
  CHECK_FALSE(own_folder().empty());
  std::string address;
  {
    const SimulatedBench bench({"--seed", "3"});
    address = bench.scpi();
    CHECK_THAT(address, Catch::StartsWith("scpi"));
    CHECK_FALSE(bench.log().empty());
  }
  int status = 0;
  CHECK(::waitpid(-1, &status, WNOHANG) <= 0);  // it was waited for
  try {
    const SimulatedBench never({"--no-such-option"});
    FAIL("it came up");
  } catch (const Error& e) {
    CHECK(e.failure() == Failure::unavailable);
  }
}
