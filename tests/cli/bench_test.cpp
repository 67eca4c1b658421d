// SPDX-License-Identifier: GPL-3.0-or-later
// From the bench to the verdict over real wires: kuvio-sim in a process of its own, kuvio-cli as
// people call it.

#include "book/book.h"
#include "cli/process.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <csignal>
#include <map>
#include <random>
#include <thread>

using namespace kuvio;
using test::Bench;
using test::cli;

namespace {

const std::string kDemo = std::string(KUVIO_SOURCE) + "/examples/";

void pause_ms(int ms) { std::this_thread::sleep_for(std::chrono::milliseconds(ms)); }

std::vector<std::string> capture_call(const std::string& book, const Bench& bench,
                                      const std::string& seconds, const std::string& scale,
                                      const std::string& build = "2.3.0") {
  return {"capture",    book,        "--input",      bench.scpi(), "--input",        bench.log(),
          "--seconds",  seconds,     "--time-scale", scale,        "--build",        build,
          "--power-on", "--voltage", "3.6",          "--accuracy", "0.08 % + 40 nA", "--json"};
}

std::int64_t samples_in(const std::string& path) {
  try {
    const book::Book book = book::Book::open(path, book::Book::Mode::read);
    const auto captures = book.captures();
    return captures.empty() ? 0 : captures[0].channels[0].samples;
  } catch (const Error&) {
    return 0;  // not there yet
  }
}

template <typename Done>
bool wait_for(Done done, int ms = 40000) {
  for (int i = 0; i < ms / 20; ++i) {
    if (done()) return true;
    pause_ms(20);
  }
  return done();
}

}  // namespace

TEST_CASE("ledgers agree with what really happened, for a random seed") {
  const test::Folder folder;
  const std::string seed = std::to_string(std::random_device{}());
  INFO("seed " << seed);
  const std::string truth_file = folder / "truth.json", path = folder / "b.kuvio";
  Bench bench({"--build", "2.4.0-rc1", "--seed", seed, "--speed", "300", "--truth", truth_file});
  auto call = capture_call(path, bench, "900", "300", "2.4.0-rc1");
  for (const char* send : {"150 s: uplink", "500 s: uplink"})
    call.insert(call.end(), {"--send", send});
  const auto recorded = cli(call);
  INFO(recorded.err);
  REQUIRE(recorded.status == 0);
  const auto channel = recorded.json()["captures"][0]["channels"][0];
  CHECK(channel["samples"] == 900'000);
  CHECK(channel["gaps"] == 0);
  CHECK(recorded.json()["captures"][0]["log_lines"] > 60);
  bench.process.signal(SIGTERM);
  bench.process.wait();

  REQUIRE(cli({"states", path, "1", "--recipe", kDemo + "satchel.recipe.toml"}).status == 0);
  const auto ledger = cli({"ledger", path, "1", "--json"}).json();
  const auto truth = nlohmann::json::parse(std::ifstream(truth_file));
  std::map<std::string, double> charge, time;
  std::map<std::string, int> visits;
  for (const auto& v : truth["visits"]) {
    const double a = v["from_s"], b = std::min(v["to_s"].get<double>(), 900.0);
    if (a >= 900) continue;
    const double whole = v["to_s"].get<double>() - a;
    charge[v["state"]] += v["charge_c"].get<double>() * (b - a) / whole;
    time[v["state"]] += b - a;
    ++visits[v["state"]];
  }
  double total = 0, rows = 0;
  for (const auto& [state, q] : charge) total += q;
  for (const auto& row : ledger["rows"]) {
    const std::string state = row["state"];
    rows += row["charge_c"].get<double>();
    if (state == "Unassigned" || state == "Missing") {
      CHECK(row["visits"] == 0);
      continue;
    }
    INFO(state);
    CHECK(row["visits"] == visits[state]);
    // An edge is known to a sample, at the level of the state or of its neighbour.
    CHECK(row["time_s"].get<double>() == Approx(time[state]).margin(0.0021 * visits[state]));
    const double level = std::max(charge[state] / time[state], 4e-3);
    CHECK(row["charge_c"].get<double>() == Approx(charge[state])
                                               .margin(0.001 * charge[state] + 60e-9 * time[state] +
                                                       level * 0.0021 * visits[state]));
  }
  CHECK(ledger["total"]["charge_c"].get<double>() == Approx(total).epsilon(0.0015));
  CHECK(rows == Approx(ledger["total"]["charge_c"].get<double>()).epsilon(1e-9));
}

TEST_CASE("another process sees a capture grow, log lines lie where the current changes") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--speed", "20", "--seed", "3"});
  test::Process recorder("kuvio-cli", capture_call(path, bench, "100", "20"));
  REQUIRE(wait_for([&] { return samples_in(path) > 20'000; }));
  CHECK(cli({"list", path, "--json"}).json()["captures"][0]["recording"] == true);
  const auto before = samples_in(path);
  REQUIRE(before < 100'000);
  // On a machine that stood still meanwhile it may be nearly at its end.
  CHECK(
      wait_for([&] { return samples_in(path) >= std::min(before + 10'000, before / 2 + 50'000); }));
  CHECK(recorder.wait() == 0);
  CHECK(samples_in(path) == 100'000);
  REQUIRE(cli({"states", path, "1", "--recipe", kDemo + "satchel.recipe.toml"}).status == 0);
  const book::Book book = book::Book::open(path, book::Book::Mode::read);
  const auto split = book.split(1);
  int near = 0, wakes = 0;
  for (const book::LogLine& line : book.log(1)) {
    if (line.text.rfind("wake", 0) != 0) continue;
    ++wakes;
    for (const Visit& v : split->visits)
      near += v.state == "Wake" && std::fabs(v.from_s - line.time_s) < 0.003;
  }
  CHECK(wakes >= 2);
  CHECK(near == wakes);
}

TEST_CASE("kill -9 of the recorder costs at most a second, at any moment and with any input") {
  const test::Folder folder;
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937 random(seed);
  const std::string path = folder / "b.kuvio";  // all of them go into one book
  Bench bench({"--speed", "1", "--seed", "4", "--power-on", "--stream", "tcp", "--stream-rate",
               "50000", "--lines", "serial", "--lines-rate", "200"});
  const std::string stream = bench.endpoints["stream"];
  // Its header line is long gone when the second one comes to read.
  const std::string lines =
      bench.endpoints["lines"].get<std::string>() + "?columns=t%20[ms],I%20[mA],U%20[V]";
  std::string why;  // of a book that did not open
  const auto samples = [&](std::int64_t id) {
    std::vector<std::int64_t> out;
    try {
      const book::Book book = book::Book::open(path, book::Book::Mode::read);
      for (const auto& c : book.captures()) {
        if (c.id != id) continue;
        for (const auto& channel : c.channels) out.push_back(channel.samples);
      }
    } catch (const Error& error) {  // not there yet, or so it should be
      why = error.what();
    }
    return out;
  };
  for (int round = 0; round < 20; ++round) {
    std::vector<std::string> call{"capture", path};
    std::vector<double> rates;
    const auto add = [&](const std::string& uri, std::vector<double> more) {
      call.insert(call.end(), {"--input", uri});
      rates.insert(rates.end(), more.begin(), more.end());
    };
    if (round % 4 == 0 || round % 4 == 3) add(bench.scpi(), {1000});
    if (round % 4 == 1 || round % 4 == 3) add(stream, {50000, 50000});
    if (round % 4 == 2 || round % 4 == 3) add(lines, {200, 200});
    if (round % 2) add(bench.log(), {});
    call.insert(call.end(), {"--build", "2.3.0"});
    const std::int64_t id = round + 1;
    test::Process recorder("kuvio-cli", call);
    REQUIRE(wait_for([&] {
      const auto now = samples(id);
      return now.size() == rates.size() && now.front() > 0;
    }));
    const auto at_first = samples(id);
    const auto began = std::chrono::steady_clock::now();
    pause_ms(static_cast<int>(random() % 1500));
    recorder.signal(SIGKILL);
    const double ran_s =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    CHECK(recorder.wait() == 128 + SIGKILL);
    why.clear();
    const auto kept = samples(id);
    INFO("round " << round << ", killed after " << ran_s << " s; " << why);
    REQUIRE(kept.size() == rates.size());
    for (std::size_t c = 0; c < rates.size(); ++c) {
      // What is left to the first flush is the others' own latency.
      const auto before = std::max(at_first[c], std::int64_t{1});
      CHECK(static_cast<double>(kept[c] - before) >= (ran_s - 1.0) * rates[c]);
    }
    CHECK(cli({"verify", path}).status == 0);
    const auto listed = cli({"list", path, "--json"}).json()["captures"];
    REQUIRE(listed.size() == static_cast<std::size_t>(id));
    CHECK(listed.back()["interrupted"] == true);
  }
  // A capture like any other, and the book takes more.
  CHECK(cli({"states", path, "1", "--recipe", kDemo + "satchel.recipe.toml"}).status == 0);
  CHECK(cli({"list", path, "--json"}).json()["captures"][0]["end_reason"] ==
        "the recorder exited unexpectedly");
  CHECK(cli(capture_call(path, bench, "0.5", "1")).status == 0);
}

TEST_CASE("a bench that hangs up, dies or stalls ends the capture, saved and marked") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  SECTION("hangs up") {
    Bench bench({"--speed", "10", "--fault", "hang-up@20"});
    const auto ran = cli(capture_call(path, bench, "100", "10"));
    CHECK(ran.status == 69);
    CHECK_THAT(ran.err,
               Catch::Contains("closed the connection") && Catch::Contains("may still be on"));
    CHECK(samples_in(path) >= 10'000);
    CHECK(samples_in(path) <= 20'100);
  }
  SECTION("is killed") {
    Bench bench({"--speed", "10"});
    test::Process recorder("kuvio-cli", capture_call(path, bench, "1000", "10"));
    REQUIRE(wait_for([&] { return samples_in(path) > 10'000; }));
    bench.process.signal(SIGKILL);
    CHECK(recorder.wait() == 69);
    CHECK(samples_in(path) >= 10'000);
  }
  SECTION("stalls") {
    Bench bench({"--speed", "10", "--fault", "stall@10"});
    const auto ran = cli(capture_call(path, bench, "100", "10"));
    CHECK(ran.status == 69);
    CHECK_THAT(ran.err, Catch::Contains("stopped answering"));
  }
  const auto listed = cli({"list", path, "--json"}).json()["captures"][0];
  CHECK(listed["interrupted"] == true);
  CHECK_FALSE(listed["end_reason"].get<std::string>().empty());
  CHECK(cli({"verify", path}).status == 0);
}

TEST_CASE("lost, over-range and odd samples are marked where they are") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench({"--speed", "20", "--fault", "lost@10:2", "--fault", "over-range@30:0.5", "--fault",
               "nan@40:0.25"});
  const auto ran = cli(capture_call(path, bench, "50", "20"));
  REQUIRE(ran.status == 0);
  const auto channel = ran.json()["captures"][0]["channels"][0];
  CHECK(channel["gaps"].get<int>() == 3);
  const auto over = cli({"span", path, "1", "--from", "29", "--to", "31", "--json"}).json();
  CHECK(over["flagged"]["over_range"] == 500);
  CHECK(over["lower_bound"] == true);
  CHECK(over["missing_s"].get<double>() == Approx(0.5));
  const auto odd = cli({"span", path, "1", "--from", "39", "--to", "41", "--json"}).json();
  CHECK(odd["flagged"]["not_a_number"] == 250);
  CHECK(odd["lower_bound"] == false);
  const auto lost = cli({"span", path, "1", "--from", "8", "--to", "14", "--json"}).json();
  CHECK(lost["flagged"]["dropped"].get<int>() > 0);
  CHECK(lost["flagged"]["dropped"].get<double>() / 1000 ==
        Approx(lost["missing_s"].get<double>()).epsilon(0.01));
}

TEST_CASE("Kuvio tells of an output it finds on, and switches none on by itself") {
  const test::Folder folder;
  Bench bench({"--speed", "20"});
  const auto off = cli({"capture", folder / "a.kuvio", "--input", bench.scpi(), "--seconds", "5"});
  REQUIRE(off.status == 0);
  CHECK(cli({"span", folder / "a.kuvio", "1", "--json"}).json()["max_a"].get<double>() < 1e-6);
  const std::string path = folder / "b.kuvio";
  REQUIRE(cli(capture_call(path, bench, "5", "20")).status == 0);
  const auto again = cli(capture_call(path, bench, "5", "20"));
  CHECK_THAT(again.err, Catch::Contains("already on"));
  CHECK(book::Book::open(path, book::Book::Mode::read).events(2).front().kind ==
        EventKind::output_found_on);
}

TEST_CASE("the demo comes to its verdicts") {
  const test::Folder folder;
  const std::string path = folder / "Satchel.kuvio", budget = kDemo + "satchel.budget.toml",
                    duty = kDemo + "satchel.duty.toml";
  const auto made = cli({"demo", path, "--json"});
  INFO(made.err);
  REQUIRE(made.status == 0);
  CHECK(made.json()["captures"].size() == 3);
  CHECK(cli({"check", path, "--budget", budget, "--build", "2.3.0"}).status == 0);
  CHECK(cli({"check", path, "--budget", budget, "--build", "2.4.0-rc2"}).status == 0);
  const auto rc1 = cli({"check", path, "--budget", budget, "--build", "2.4.0-rc1", "--json",
                        "--junit", folder / "junit.xml"});
  CHECK(rc1.status == 1);
  const auto rc1_document = rc1.json(), rc2_document = cli({"compare", path, "--reference", "2.3.0",
                                                            "--candidate", "2.4.0-rc2", "--json"})
                                                           .json();
  for (const auto& limit : rc1_document["limits"]) {
    if (limit["name"] == "Hibernate: mean current") CHECK(limit["verdict"] == "outside");
  }
  CHECK(std::filesystem::exists(folder / "junit.xml"));
  const int rc2_status =
      cli({"compare", path, "--reference", "2.3.0", "--candidate", "2.4.0-rc2"}).status;
  bool higher = false;  // false once in forty runs or so: the statistics say how often

  double bridge = 0;
  for (const auto& row : rc2_document["rows"]) {
    bridge += row["bridge_a"].get<double>();
    higher |= row["shown"] == "higher";
    if (row["state"] == "Linger") CHECK(row["shown"] == "lower");
  }
  const auto total = rc2_document["total"];
  // Its sign hangs on which rounds this hour's captures met, and on how late each was powered on.
  CHECK(total["difference_low_a"] < total["difference_a"]);
  CHECK(total["difference_a"] < total["difference_high_a"]);
  CHECK(rc2_status == (higher || total["shown"] == "higher" ? 1 : 0));
  CHECK(bridge == Approx(total["difference_a"].get<double>()).epsilon(1e-9));
  CHECK(cli({"compare", path, "--reference", "2.3.0", "--candidate", "2.4.0-rc1", "--duty", duty})
            .status == 1);
  constexpr double kYear = 365.25 * 86400;
  for (const auto& [build, low, high, status] :
       {std::tuple{"2.3.0", 2.4, 3.2, 0}, std::tuple{"2.4.0-rc1", 1.3, 1.9, 1},
        std::tuple{"2.4.0-rc2", 2.4, 3.2, 0}}) {
    const auto life = cli({"lifetime", path, build, "--battery", kDemo + "satchel.battery.toml",
                           "--duty", duty, "--want", "2 y", "--json"});
    CHECK(life.status == status);
    CHECK(life.json()["life_s"].get<double>() > low * kYear);
    CHECK(life.json()["life_s"].get<double>() < high * kYear);
    double shares = 0;
    const auto document = life.json();
    for (const auto& s : document["shares"]) shares += s["share"].get<double>();
    CHECK(shares == Approx(1).epsilon(1e-9));
  }
  const auto report = cli({"report", path, "--out", folder / "r.html", "--budget", budget, "--duty",
                           duty, "--battery", kDemo + "satchel.battery.toml"});
  CHECK(report.status == 0);
  std::ifstream page(folder / "r.html");
  const std::string text((std::istreambuf_iterator<char>(page)), {});
  CHECK_THAT(text,
             Catch::Contains("<svg") && Catch::Contains("✗ outside") && Catch::Contains("Linger"));
  CHECK(cli({"verify", path}).status == 0);
}
