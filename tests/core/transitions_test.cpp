// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/transitions.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <random>

using namespace kuvio;

namespace {

/// Visits of a second each, by the first letters of states: "HWSH" (. Missing, 0 Off, ?
/// Unassigned).
Visits visits_of(const std::string& letters) {
  Visits out;
  for (std::size_t i = 0; i < letters.size(); ++i) {
    Visit v;
    v.state = letters[i] == '.'   ? kMissing
              : letters[i] == '0' ? kOff
              : letters[i] == '?' ? kUnassigned
                                  : std::string(1, letters[i]);
    v.from_s = static_cast<double>(i);
    v.to_s = v.from_s + 1;
    out.push_back(v);
  }
  return out;
}

std::string told(const Transitions& ways) {
  std::string out;
  for (const Transition& t : ways.all) out += t.from + t.to + std::to_string(t.count) + " ";
  return out;
}

Transitions ways(const Visits& visits) { return transitions_of({&visits}); }

/// A chain that leaves A for B or C, and goes back to it.
Visits chain(std::mt19937_64& chance, std::size_t exits, double to_c) {
  std::bernoulli_distribution c(to_c);
  std::string letters;
  for (std::size_t i = 0; i < exits; ++i) letters += c(chance) ? "AC" : "AB";
  return visits_of(letters + "A");
}

}  // namespace

TEST_CASE("what followed what is counted, with the lengths of the stays before") {
  const Transitions t = ways(visits_of("HWSHWSHWLH"));
  CHECK(told(t) == "HW3 WS2 WL1 SH2 LH1 ");
  CHECK(t.exits("W") == 3);
  REQUIRE(t.find("W", "L"));
  CHECK(t.find("W", "L")->share == Approx(1.0 / 3));
  CHECK(t.find("W", "L")->first_s == 8);
  CHECK(t.find("W", "L")->entered == std::vector<std::size_t>{8});
  CHECK(t.find("H", "W")->entered == std::vector<std::size_t>{1, 4, 7});
  CHECK(t.find("H", "S") == nullptr);

  Visits uneven = visits_of("HWHWHWHW");
  for (std::size_t i = 0; i < uneven.size(); ++i)
    uneven[i].to_s += i == 2 ? 0.5 : i == 4 ? 0.25 : 0;
  uneven[3].from_s += 0.5;
  uneven[5].from_s += 0.25;
  const Transitions all = ways(uneven);
  const Transition* left = all.find("H", "W");
  REQUIRE(left);
  CHECK(left->count == 4);  // of these the first began before the capture did
  CHECK(left->shortest_s == Approx(1));
  CHECK(left->median_s == Approx(1.25));
  CHECK(left->longest_s == Approx(1.5));
}

TEST_CASE("nothing leads into a gap or out of it, and Off is left but not entered") {
  CHECK(told(ways(visits_of("HW.SH"))) == "HW1 SH1 ");
  CHECK(told(ways(visits_of("0BH0BH"))) == "OffB2 BH2 ");
  CHECK(told(ways(visits_of("H.H"))).empty());
  CHECK(told(ways(visits_of(""))).empty());
  const Visits a = visits_of("HW"), b = visits_of("SH");
  CHECK(told(transitions_of({&a, &b})) == "HW1 SH1 ");  // never from one capture into the next
}

TEST_CASE("a stay out of range within, a sliver and a hand's cut are no exits") {
  Visits clipped = visits_of("HW.WH");
  clipped[3].continues = true;
  CHECK(told(ways(clipped)) == "HW1 WH1 ");
  CHECK(ways(clipped).find("W", "H")->median_s == Approx(3));
  Visits sliver = visits_of("H?WH");
  CHECK(told(ways(sliver)) == "HUnassigned1 UnassignedW1 WH1 ");
  sliver[1].narrow = true;
  CHECK(told(ways(sliver)) == "HW1 WH1 ");
  CHECK(told(ways(visits_of("HHWW"))) == "HW1 ");
}

TEST_CASE("Fisher's exact test is that of scipy") {
  CHECK(fisher_exact(3, 60, 0, 60) == Approx(0.2436974789915967).epsilon(1e-9));
  CHECK(fisher_exact(5, 60, 0, 60) == Approx(0.057315233785822026).epsilon(1e-9));
  CHECK(fisher_exact(9, 60, 0, 60) == Approx(0.0028275257775291726).epsilon(1e-9));
  CHECK(fisher_exact(2, 3, 0, 60) == Approx(0.001536098310291859).epsilon(1e-9));
  CHECK(fisher_exact(10, 64, 30, 70) == Approx(0.0006495192752946515).epsilon(1e-9));
  CHECK(fisher_exact(0, 5, 1, 40) == Approx(1));
  CHECK(fisher_exact(300, 5000, 200, 5000) == Approx(5.212629694743848e-06).epsilon(1e-6));
  // A test on the trace's page is asked while somebody looks: of many exits, too.
  CHECK(fisher_exact(5000, 10000, 5033, 10000) == Approx(0.6508733109579613).epsilon(1e-8));
  CHECK(fisher_exact(25000, 50000, 25400, 50000) == Approx(0.011616344654588235).epsilon(1e-7));
  CHECK(fisher_exact(150000, 300000, 151000, 300000) == Approx(0.009896544334884013).epsilon(1e-7));
  CHECK(fisher_exact(1, 300000, 9, 200000) == Approx(0.0016775658903795609).epsilon(1e-7));
  CHECK(fisher_exact(10, 1000, 900, 1000) < 1e-300);
  CHECK(fisher_exact(0, 0, 3, 5) == 1);
  CHECK(fisher_exact(4, 4, 9, 9) == Approx(1));
}

TEST_CASE(
    "what is new beside the reference is told from what the reference had no chance to show") {
  const auto of = [](const WayComparison& c, const char* from, const char* to) {
    for (const WayDifference& d : c.pairs) {
      if (d.from == from && d.to == to) return d;
    }
    FAIL("no such pair");
    return WayDifference{};
  };
  std::string often, seldom, wrong;
  for (int i = 0; i < 60; ++i) often += "HW";
  for (int i = 0; i < 3; ++i) seldom += "HW";
  for (int i = 0; i < 60; ++i) wrong += i % 5 == 0 ? "HD" : "HW";
  const WayComparison plain = compare_ways(ways(visits_of(wrong)), ways(visits_of(often)));
  CHECK(of(plain, "H", "D").way == Way::fresh);
  CHECK(of(plain, "H", "D").count == 12);
  CHECK(of(plain, "H", "D").first_s == 1);
  CHECK(of(plain, "H", "W").way == Way::less);
  CHECK(plain.new_states == std::vector<std::string>{"D"});
  CHECK(of(plain, "D", "H").way == Way::unsure);  // the reference never was there
  CHECK(plain.pairs.front().way == Way::fresh);

  const WayComparison few = compare_ways(ways(visits_of(wrong)), ways(visits_of(seldom)));
  CHECK(of(few, "H", "D").way == Way::unsure);
  const WayComparison other = compare_ways(ways(visits_of(often)), ways(visits_of(wrong)));
  CHECK(of(other, "H", "D").way == Way::gone);
  CHECK(other.lost_states == std::vector<std::string>{"D"});
  CHECK(compare_ways({}, {}).pairs.empty());
}

TEST_CASE("builds that behave alike are called different no more than one time in twenty") {
  const auto seed = std::random_device{}();
  std::mt19937_64 chance(seed);
  std::size_t false_ones = 0, found = 0;
  constexpr std::size_t kRuns = 400;
  const auto differs = [](const WayComparison& c) {
    return std::any_of(c.pairs.begin(), c.pairs.end(), [](const WayDifference& d) {
      return d.way != Way::alike && d.way != Way::unsure;
    });
  };
  for (std::size_t i = 0; i < kRuns; ++i) {
    const double share = std::uniform_real_distribution(0.01, 0.5)(chance);
    const std::size_t n = std::uniform_int_distribution<std::size_t>(2, 80)(chance);
    const std::size_t m = std::uniform_int_distribution<std::size_t>(2, 80)(chance);
    false_ones +=
        differs(compare_ways(ways(chain(chance, n, share)), ways(chain(chance, m, share))));
    found += differs(compare_ways(ways(chain(chance, 80, 0.4)), ways(chain(chance, 80, 0.05))));
  }
  INFO("seed " << seed << ": " << false_ones << " of " << kRuns << " false, " << found << " found");
  CHECK(false_ones <= 32);  // 20 are expected at most; 5.8 % would be three deviations above
  CHECK(found >= kRuns * 95 / 100);
}
