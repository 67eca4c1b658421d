// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/log_names.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <random>
#include <string>

using namespace kuvio;

namespace {

/// Rounds of rest, waking, sensing and, every fourth time, sending; lines as a device writes them,
/// up to so late, with others between.
struct Day {
  Visits visits;
  std::vector<std::string> texts;
  std::vector<double> times;

  Day(std::mt19937_64& chance, double latest_s, int rounds = 20) {
    std::uniform_real_distribution<double> late(0, latest_s);
    double t = 0;
    const auto stay = [&](const char* state, double length) {
      Visit v;
      v.state = state;
      v.from_s = t;
      v.to_s = t += length;
      visits.push_back(v);
    };
    const auto say = [&](const std::string& text) {
      texts.push_back(text);
      times.push_back(t + late(chance));
    };
    for (int i = 0; i < rounds; ++i) {
      if (i > 0) say("hibernate");
      stay("At 3 uA", 50);
      say(i % 3 ? "wake: timer" : "wake: button");
      stay("At 4 mA", 0.035);
      say("sense n=" + std::to_string(100 + i) + " peak 0.5 g");
      stay("At 800 uA", 0.8);
      say("battery 3.6" + std::to_string(i) + " V");
      if (i % 4 == 3) {
        say("fix 7.5 s, 6 sats");
        say("uplink start");
        stay("At 70 mA", 1.5);
      }
    }
  }
  std::vector<LogName> names() const {
    std::vector<TimedLine> lines;
    for (std::size_t i = 0; i < texts.size(); ++i) lines.push_back({times[i], texts[i]});
    std::stable_sort(lines.begin(), lines.end(),
                     [](const TimedLine& a, const TimedLine& b) { return a.at_s < b.at_s; });
    return names_by_log(visits, lines, 0.05);
  }
};

std::string told(const std::vector<LogName>& names, const std::string& state) {
  for (const LogName& n : names) {
    if (n.state == state) return n.words;
  }
  return "";
}

}  // namespace

TEST_CASE("the words of a line come before its first number") {
  CHECK(words_of("uplink done 396 B") == "uplink done");
  CHECK(words_of("wake: timer") == "wake");
  CHECK(words_of("sense n=128 peak 0.5 g") == "sense");
  CHECK(words_of("  hibernate ") == "hibernate");
  CHECK(words_of("0x00 page").empty());
  CHECK(words_of("").empty());
  CHECK(words_of(": odd").empty());
}

TEST_CASE("lines that keep falling on a state's beginning name it") {
  const auto seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 chance(seed);
  for (const double late : {0.0, 0.002, 0.01}) {
    INFO("up to " << late << " s late");
    const auto names = Day(chance, late).names();
    CHECK(told(names, "At 3 uA") == "hibernate");
    CHECK(told(names, "At 4 mA") == "wake");
    CHECK(told(names, "At 800 uA") == "sense");
    if (late == 0) CHECK(told(names, "At 70 mA") == "uplink start");
    for (const LogName& n : names) {
      CHECK(n.met >= 4);
      CHECK(n.late_s >= 0);
      CHECK(n.late_s <= late);
      CHECK(n.words != "battery");
    }
  }
}

TEST_CASE("lines at any time, too few, or of every state name nothing") {
  std::mt19937_64 chance(5);
  Day day(chance, 0.0);
  std::uniform_real_distribution<double> any(0, day.visits.back().to_s);
  for (double& t : day.times) t = any(chance);
  for (const LogName& n : day.names()) CHECK(n.words.empty());
  CHECK(names_by_log(day.visits, {}, 0.05).empty());
  CHECK(names_by_log({}, {}, 0.05).empty());
  Day always(chance, 0.0);
  for (std::string& text : always.texts) text = "state 5";
  CHECK(always.names().empty());
  CHECK(Day(chance, 0.0, 1).names().empty());  // one entry of each is no habit
}
