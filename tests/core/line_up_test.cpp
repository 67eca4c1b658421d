// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/line_up.h"

#include "core/cycles.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

/// What a device did: sleep with bursts at odd moments, a level each. Of a moment, its current.
class Story {
public:
  Story(unsigned seed, double length_s) {
    std::mt19937_64 random(seed);
    std::exponential_distribution<double> pause(1 / 7.0);
    std::uniform_real_distribution<double> level(-3.5, -1.5), length(0.02, 1.5);
    double t = -20;
    while (t < length_s + 20) {
      t += 0.3 + pause(random);
      const double to = t + length(random);
      bursts_.push_back({t, to, std::pow(10, level(random))});
      t = to;
    }
  }
  double at(double t) const {
    const auto it = std::partition_point(bursts_.begin(), bursts_.end(),
                                         [&](const Burst& b) { return b.to <= t; });
    return it != bursts_.end() && t >= it->from ? it->level : 3e-6;
  }

private:
  struct Burst {
    double from, to, level;
  };
  std::vector<Burst> bursts_;
};

/// A story recorded from `begin` on: its times count from there.
MemoryTrace recorded(const Story& story, double begin, double length, std::int64_t rate,
                     double gain, double noise, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal(0, noise);
  MemoryTrace out(SampleKind::averaged, {1, rate});
  std::vector<double> v(static_cast<std::size_t>(length * static_cast<double>(rate)));
  for (std::size_t i = 0; i < v.size(); ++i)
    v[i] = gain * story.at(begin + (static_cast<double>(i) + 0.5) / static_cast<double>(rate)) +
           normal(random);
  out.append(0, 1, v);
  return out;
}

}  // namespace

TEST_CASE("shifted, noisy, rescaled copies are lined up within one sample") {
  const Story story(7, 400);
  const auto rate = GENERATE(std::int64_t{500}, std::int64_t{4000});
  std::mt19937_64 random(static_cast<std::uint64_t>(rate));
  for (int round = 0; round < 6; ++round) {
    std::uniform_real_distribution<double> any(0, 120), gains(0.3, 3);
    const double a = any(random), b = any(random), gain = gains(random);
    const double noise = round % 2 ? 2e-6 : 2e-5;
    const auto x = recorded(story, a, 150, rate, 1, noise, 1 + static_cast<unsigned>(round)),
               y = recorded(story, b, round < 4 ? 150 : 90, rate, gain, noise * gain, 77);
    const LineUp found = line_up(x, y);
    INFO(rate << " " << round << " r " << found.correlation << " next " << found.next_best << " "
              << found.why_not);
    REQUIRE(found.found());
    CHECK(std::fabs(found.offset_s - (b - a)) <= 1.0 / static_cast<double>(rate));
    CHECK(found.confidence > 0.3);
  }
}

TEST_CASE("captures of different rates are lined up within a sample of the coarser") {
  const Story story(9, 300);
  const auto x = recorded(story, 10, 120, 1000, 1, 1e-6, 1),
             y = recorded(story, 31.23456, 100, 333, 1, 1e-6, 2);
  const LineUp found = line_up(x, y);
  REQUIRE(found.found());
  CHECK(found.offset_s == Approx(21.23456).margin(1.0 / 333));
}

TEST_CASE("what has nothing to do with each other is not lined up") {
  int offered = 0;
  for (unsigned seed = 1; seed <= 30; ++seed) {
    const Story one(seed, 300), another(seed + 1000, 300);
    const LineUp found = line_up(recorded(one, 0, 200, 500, 1, 2e-6, seed),
                                 recorded(another, 0, 200, 500, 1, 2e-6, seed + 1));
    if (found.found()) ++offered;
    if (!found.found()) CHECK_FALSE(found.why_not.empty());
  }
  CHECK(offered == 0);
  // Neither is noise, nor a line without anything on it.
  std::mt19937_64 random(3);
  MemoryTrace flat(SampleKind::averaged, {1, 1000}), noisy(SampleKind::averaged, {1, 1000});
  std::normal_distribution<double> normal(1e-3, 1e-5);
  std::vector<double> v(20'000, 1e-3), w(20'000);
  for (double& x : w) x = normal(random);
  flat.append(0, 1, v);
  noisy.append(0, 1, w);
  CHECK_FALSE(line_up(flat, flat).found());
  CHECK_FALSE(line_up(flat, noisy).found());
  CHECK_FALSE(line_up(MemoryTrace(SampleKind::averaged, {1, 1000}), flat).found());
}

TEST_CASE("what repeats evenly fits at every cycle and is left to the user") {
  MemoryTrace x(SampleKind::averaged, {1, 1000}), y(SampleKind::averaged, {1, 1000});
  std::vector<double> v(60'000);
  for (std::size_t i = 0; i < v.size(); ++i) v[i] = i % 5000 < 300 ? 1e-2 : 2e-6;
  x.append(0, 1, v);
  std::rotate(v.begin(), v.begin() + 1234, v.end());
  y.append(0, 1, v);
  const LineUp found = line_up(x, y);
  CHECK_FALSE(found.found());
  CHECK(found.why_not == "another offset fits equally well");
  CHECK(found.correlation > 0.95);
}

TEST_CASE("the n-th entries are laid over each other, whole cycles found") {
  const Visits a{{"Rest", 0, 3, false}, {"Send", 3, 4, true},     {"Rest", 4, 9, true},
                 {"Send", 9, 10, true}, {"Rest", 10, 15.5, true}, {"Send", 15.5, 16, false}};
  const Visits b{{"Send", 0, 1, false},
                 {"Rest", 1, 2, true},
                 {"Send", 2, 3, true},
                 {kMissing, 3, 4, true},
                 {"Send", 4, 5, false}};
  CHECK(line_up_entries(a, b, "Send", 1) == 1.0);
  CHECK_FALSE(line_up_entries(a, b, "Send", 2));  // b's other one is cut by a gap
  CHECK_FALSE(line_up_entries(a, b, "Locate", 1));
  const auto one = whole_cycles(a, "Send", 4.5, 8);
  REQUIRE(one);
  CHECK(one->from_s == 3);
  CHECK(one->to_s == 9);
  CHECK(one->cycles == 1);
  const auto two = whole_cycles(a, "Send", 2.5, 14);
  REQUIRE(two);
  CHECK(two->cycles == 2);
  CHECK(two->to_s == 15.5);
  CHECK_FALSE(whole_cycles(b, "Rest", 0, 5));
  CHECK(cycle_state(a, 3.5) == "Send");
  CHECK(cycle_state(a, 0.5) == "Rest");
  CHECK(cycle_state(b, 1.5).empty());
}
