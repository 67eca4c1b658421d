// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/differences.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace kuvio;

namespace {

const Accuracy kStated{0.001, 1e-6, false};  // 0.1 % + 1 uA, bounds

double u_of(const std::vector<Component>& components) {
  double sum = 0;
  for (const Component& c : components) sum += c.u * c.u;
  return std::sqrt(sum);
}

Side side(const Conditions& conditions, const Accuracy& accuracy = kStated) {
  Side out;
  out.conditions = conditions;
  out.ledger.basis.accuracy = accuracy;
  return out;
}

}  // namespace

TEST_CASE("sides were taken with one instrument when input, range, zero and accuracy agree") {
  const Conditions bench{{"input", "A"}, {"range", "100 mA"}};
  CHECK(instruments_of(side(bench), side(bench)).same);
  CHECK_FALSE(instruments_of(side({}), side({})).same);  // not known which
  for (const char* key : {"input", "range", "zeroed"}) {
    Conditions other = bench;
    other[key] = "other";
    CHECK_FALSE(instruments_of(side(bench), side(other)).same);
  }
  CHECK_FALSE(instruments_of(side(bench), side(bench, {0.001, 2e-6, false})).same);
  Conditions automatic = bench;
  automatic["range"] = "automatic";
  CHECK(instruments_of(side(automatic), side(automatic)).automatic_range);
}

TEST_CASE("on one instrument the offset of two means cancels, and the gain is that of the step") {
  const Instruments same{true, false};
  const std::vector<ReadingPair> means{{10e-3, 1, 11e-3, 1, kStated, kStated}};
  CHECK(u_of(instrument_part(same, means)) == Approx(0.001 * 1e-3 / std::sqrt(3.0)));
  // A charge of 2 s against 3 s: the offset stands for a second.
  const std::vector<ReadingPair> charges{{10e-3, 2, 10e-3, 3, kStated, kStated}};
  CHECK(u_of(instrument_part(same, charges)) ==
        Approx(std::hypot(0.001 * 10e-3, 1e-6) / std::sqrt(3.0)));
}

TEST_CASE("on two instruments each errs for itself") {
  const std::vector<ReadingPair> means{{10e-3, 1, 11e-3, 1, kStated, kStated}};
  const double a = std::hypot(0.001 * 10e-3, 1e-6), b = std::hypot(0.001 * 11e-3, 1e-6);
  CHECK(u_of(instrument_part({false, false}, means)) == Approx(std::hypot(a, b) / std::sqrt(3.0)));
}

TEST_CASE("an instrument that changes range by itself cancels nothing between ranges") {
  const Instruments automatic{true, true};
  const std::vector<ReadingPair> far{{3e-6, 1, 40e-6, 1, kStated, kStated}};
  CHECK(u_of(instrument_part(automatic, far)) ==
        Approx(u_of(instrument_part({false, false}, far))));
  const std::vector<ReadingPair> near{{40e-6, 1, 41e-6, 1, kStated, kStated}};
  CHECK(u_of(instrument_part(automatic, near)) == Approx(0.001 * 1e-6 / std::sqrt(3.0)));
  // Two states that move against each other: in one range they cancel, in two they do not.
  const std::vector<ReadingPair> against{{40e-3, 1, 41e-3, 1, kStated, kStated},
                                         {40e-6, 1000, 39e-6, 1000, kStated, kStated}};
  CHECK(u_of(instrument_part(automatic, against)) > u_of(instrument_part({true, false}, against)));
}

TEST_CASE("a difference is open where either side is") {
  const Bounds none, lower{true, false}, upper{false, true};
  CHECK(bounds_of_difference(none, lower) == Bounds{true, false});
  CHECK(bounds_of_difference(lower, none) == Bounds{false, true});
  CHECK(bounds_of_difference(lower, lower) == Bounds{true, true});
  CHECK(bounds_of_difference(upper, none) == Bounds{true, false});
  CHECK_FALSE(bounds_of_difference(none, none).any());
}

TEST_CASE("equality within a margin is shown by the 90 % interval, never of a clipped figure") {
  Difference d;
  d.value = 1e-6;
  set_interval(d, {{"spread", 1e-6, {}, Origin::normal}});
  CHECK(d.high == Approx(1e-6 + 1.96e-6).epsilon(1e-3));
  CHECK(d.p == Approx(0.3173).epsilon(1e-3));  // a standard deviation off
  const double reach = 1e-6 + 1.6449e-6;
  CHECK(within_margin(d, 1.001 * reach));
  CHECK_FALSE(within_margin(d, 0.999 * reach));
  d.bounds.lower = true;
  CHECK_FALSE(within_margin(d, 2 * reach));
}

TEST_CASE(
    "one instrument in two of its ranges: the difference covers whatever each range errs by") {
  const Accuracy a = parse_accuracy("0.2 % + 1 uA; up to 1 mA: 0.1 % + 10 nA");
  const auto pair = [&](double x, double y, double wx, double wy) {
    return ReadingPair{x, wx, y, wy, a.at(x), a.at(y)};
  };
  const std::vector<ReadingPair> readings{pair(3e-6, 4e-6, 0.9, 0.8), pair(50e-3, 52e-3, 0.1, 0.2),
                                          pair(0.9e-3, 1.1e-3, 0.1, 0.1)};
  const double U = expand(instrument_part({true, false}, readings)).U;
  std::mt19937_64 random(std::random_device{}());
  std::uniform_real_distribution<double> unit(-1, 1);
  int inside = 0;
  constexpr int kRuns = 20000;
  for (int k = 0; k < kRuns; ++k) {
    // Each range has its own gain and offset, the same on both sides.
    const double fine_gain = 0.001 * unit(random), fine_offset = 10e-9 * unit(random),
                 coarse_gain = 0.002 * unit(random), coarse_offset = 1e-6 * unit(random);
    const auto error = [&](double x) {
      return x <= 1e-3 ? fine_gain * x + fine_offset : coarse_gain * x + coarse_offset;
    };
    double off = 0;
    for (const ReadingPair& r : readings)
      off += error(r.candidate) * r.candidate_weight - error(r.reference) * r.reference_weight;
    inside += std::fabs(off) <= U;
  }
  CHECK(inside / static_cast<double>(kRuns) >= 0.945);
}
