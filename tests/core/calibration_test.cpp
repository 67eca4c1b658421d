// SPDX-License-Identifier: GPL-3.0-or-later
// From what a channel read to what flowed: arithmetic by hand, and intervals by Monte Carlo.

#include "core/calibration.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <random>

using namespace kuvio;

TEST_CASE("resistors and dividers are read as people write them") {
  CHECK(parse_resistor("0.1 Ohm 1 %") == Toleranced{0.1, 0.01});
  CHECK(parse_resistor("10 mOhm") == Toleranced{0.01, 0});
  CHECK(parse_resistor("90k") == Toleranced{90e3, 0});
  CHECK(parse_resistor("4.7 kOhm ±0.1 %") == Toleranced{4700, 0.001});
  CHECK(parse_resistor("10") == Toleranced{10, 0});
  CHECK(parse_resistor("22m 5%") == Toleranced{0.022, 0.05});
  const Divider d = parse_divider("90k/10k 1 %");
  CHECK(d.upper == Toleranced{90e3, 0.01});
  CHECK(d.lower == Toleranced{10e3, 0.01});
  CHECK(d.ratio() == 10);
  const Divider mixed = parse_divider("90 kOhm 1 %/10 kOhm 0.1 %");
  CHECK(mixed.upper.tolerance == 0.01);
  CHECK(mixed.lower.tolerance == 0.001);
  CHECK(parse_divider(to_string(mixed)) == mixed);
  CHECK(parse_resistor(to_string(Toleranced{0.33, 0.02})) == Toleranced{0.33, 0.02});
  for (const char* bad : {"", "x", "0 Ohm", "-1 Ohm", "5 V", "1 Ohm 120 %", "%"})
    CHECK_THROWS_AS(parse_resistor(bad), std::invalid_argument);
  CHECK_THROWS_AS(parse_divider("90k"), std::invalid_argument);
  CHECK_THROWS_AS(parse_divider("90k/"), std::invalid_argument);
}

TEST_CASE("gain, divider, shunt, zero and what the logger draws act as worked out by hand") {
  ChannelCalibration c;
  CHECK(c.identity());
  c.gain = 1.02;
  c.divider = parse_divider("20k/10k");
  c.shunt = Toleranced{0.5, 0};
  c.offset = 1e-3;
  c.subtract = 5e-3;
  CalibratedChannel out = calibrated(c, Quantity::voltage, {});
  CHECK(out.quantity == Quantity::current);
  CHECK(out.gain == Approx(1.02 * 3 / 0.5));
  CHECK(out.offset == Approx(1e-3 - 5e-3));
  CHECK_FALSE(out.accuracy.stated());
  // A zero of 2 mV at the input takes what it is worth off, and any offset with it.
  c.zero = ZeroLevel{2e-3, 0.1e-3, 0, "before"};
  out = calibrated(c, Quantity::voltage, {});
  CHECK(out.offset == Approx(-1.02 * 3 / 0.5 * 2e-3 - 5e-3));
  CHECK(out.accuracy.expanded);
  CHECK(out.accuracy.offset == Approx(1.02 * 3 / 0.5 * 0.1e-3));
  CHECK_THROWS_AS(calibrated(c, Quantity::current, {}), std::invalid_argument);
  c.gain = 0;
  CHECK_THROWS_AS(calibrated(c, Quantity::voltage, {}), std::invalid_argument);
}

TEST_CASE("a statement goes with its channel: scaled, and joined by tolerances") {
  ChannelCalibration c;
  c.gain = -2;
  const Accuracy bound{0.001, 4e-6, false};
  CalibratedChannel out = calibrated(c, Quantity::current, bound);
  CHECK(out.accuracy == Accuracy{0.001, 8e-6, false});  // one bound stays one
  c = {};
  c.shunt = Toleranced{0.1, 0.01};
  out = calibrated(c, Quantity::voltage, bound);
  CHECK(out.accuracy.expanded);
  CHECK(out.accuracy.gain == Approx(2 * std::sqrt((1e-6 + 1e-4) / 3)));
  CHECK(out.accuracy.offset == Approx(2 * 40e-6 / std::sqrt(3.0)));
  // In the unit that results it is taken as it stands, in the recorded one through the shunt.
  c.shunt->tolerance = 0;
  c.accuracy = "0.1 % + 40 uA";
  CHECK(calibrated(c, Quantity::voltage, {}).accuracy.offset == Approx(40e-6));
  c.accuracy = "0.1 % + 40 uV";
  CHECK(calibrated(c, Quantity::voltage, {}).accuracy.offset == Approx(400e-6));
  // A zero takes the place of the offset, and half the way between two of them is a bound.
  c.zero = ZeroLevel{1e-6, 0.2e-6, 0.4e-6, "two"};
  out = calibrated(c, Quantity::voltage, {});
  CHECK(out.accuracy.offset ==
        Approx(2 * std::sqrt(std::pow(2e-6 / 2, 2) + std::pow(2e-6, 2) / 3)));
}

TEST_CASE("what unmatched resistors can do is covered by the accuracy that results") {
  // Resistors uniform within their tolerance, an input's gain and offset uniform within its bounds.
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  std::uniform_real_distribution<double> within(-1, 1);
  ChannelCalibration c;
  c.divider = parse_divider("30k 1 %/10k 1 %");
  c.shunt = Toleranced{0.1, 0.01};
  const Accuracy input{0.002, 50e-6, false};
  const CalibratedChannel out = calibrated(c, Quantity::voltage, input);
  const double truth = 0.5;  // A
  int covered = 0;
  constexpr int kRounds = 20'000;
  double square = 0;
  for (int i = 0; i < kRounds; ++i) {
    const double upper = 30e3 * (1 + 0.01 * within(random)),
                 lower = 10e3 * (1 + 0.01 * within(random));
    const double volts = truth * 0.1 * (1 + 0.01 * within(random)) * lower / (upper + lower);
    const double read = volts * (1 + 0.002 * within(random)) + 50e-6 * within(random);
    const double amperes = out.gain * read + out.offset;
    const double U = expand(accuracy_components(out.accuracy, amperes)).U;
    covered += std::fabs(amperes - truth) <= U;
    square += std::pow(amperes - truth, 2);
  }
  const double share = static_cast<double>(covered) / kRounds;
  CHECK(share > 0.94);
  CHECK(share < 0.985);
  const double u = expand(accuracy_components(out.accuracy, truth)).u;
  CHECK(u == Approx(std::sqrt(square / kRounds)).epsilon(0.03));
}

TEST_CASE("a zero's interval covers what it was, noise white or slow") {
  std::mt19937_64 random(Catch::rngSeed());
  CAPTURE(Catch::rngSeed());
  std::normal_distribution<double> normal;
  for (const double keeps : {0.0, 0.98}) {
    CAPTURE(keeps);
    int covered = 0;
    constexpr int kRounds = 600;
    for (int i = 0; i < kRounds; ++i) {
      MemoryTrace trace(SampleKind::averaged, {1, 1000});
      std::vector<double> values;
      double slow = normal(random) / std::sqrt(1 - keeps * keeps);
      for (int k = 0; k < 4000; ++k) {
        slow = keeps * slow + normal(random);
        values.push_back(120e-9 + 5e-9 * slow);
      }
      trace.append(0, 1, values);
      const ZeroLevel zero = zero_level(trace, 0, 4);
      covered += std::fabs(zero.mean - 120e-9) <= zero.U;
    }
    CHECK(static_cast<double>(covered) / kRounds > 0.92);
  }
}

TEST_CASE("a zero of too little, over a gap or a flag is refused") {
  const MemoryTrace few = test::trace_of({{1e-6, 39}});
  CHECK_THROWS_AS(zero_level(few, 0, 0.039), std::invalid_argument);
  MemoryTrace gap(SampleKind::averaged, {1, 1000});
  gap.append(0, 1, std::vector<double>(100, 1e-6));
  gap.append(200, 1, std::vector<double>(100, 1e-6));
  CHECK_THROWS_AS(zero_level(gap, 0, 0.3), std::invalid_argument);
  CHECK(zero_level(gap, 0, 0.1).mean == Approx(1e-6));
  gap.flag({Flag::over_range, 0.05, 0.06, 10});
  CHECK_THROWS_AS(zero_level(gap, 0, 0.1), std::invalid_argument);
}

TEST_CASE(
    "two zeros are shared out along the capture, or half-way where their times are not known") {
  ZeroLevel a{1e-6, 3e-8, 0, "a", 10, 10}, b{3e-6, 4e-8, 0, "b", 110, 110};
  for (const ZeroLevel& line : {between(a, b), between(b, a)}) {
    CHECK(line.along());
    CHECK(line.mean == 1e-6);
    CHECK(line.slope() == Approx(2e-8));
    CHECK(line.U == 4e-8);
    ChannelCalibration c;
    c.zero = line;
    c.gain = 2;
    const CalibratedChannel out = calibrated(c, Quantity::current, {});
    // x reads 5 uA at 60 s, where the zero is 2 uA.
    CHECK(out.gain * 5e-6 + out.offset + out.slope * 60 == Approx(2 * 3e-6));
    CHECK(out.accuracy.offset == Approx(2 * 4e-8));  // no bound for a drift that is known
  }
  const ZeroLevel out = between({1e-6, 3e-8, 0, "a"}, {3e-6, 4e-8, 0, "b"});
  CHECK(out.mean == Approx(2e-6));
  CHECK(out.drift == Approx(2e-6));
  CHECK(out.U == Approx(2.5e-8));
}

TEST_CASE("what a shunt drops and heats with") {
  // 10 mA for nine tenths, 200 mA for a tenth, at 2 Ohm.
  const MemoryTrace trace = test::trace_of({{10e-3, 900}, {200e-3, 100}});
  const ShuntLoad load = shunt_load(trace, 2);
  CHECK(load.peak_v == Approx(0.4));
  CHECK(load.mean_v == Approx(2 * 0.029));
  CHECK(load.peak_w == Approx(0.08));
  CHECK(load.mean_w == Approx(2 * (0.9 * 1e-4 + 0.1 * 0.04)));
}

TEST_CASE("a temperature coefficient is a bound of its own beside the tolerance") {
  const Toleranced r = parse_resistor("0.1 Ohm 1 % 50 ppm/K 30 K");
  CHECK(r.value == 0.1);
  CHECK(r.tolerance == Approx(0.01));
  CHECK(r.thermal() == Approx(1.5e-3));
  CHECK(parse_resistor(to_string(r)) == r);
  CHECK(parse_resistor("10k 25 ppm/K 10 K").thermal() == Approx(2.5e-4));
  for (const char* wrong : {"0.1 Ohm 1 % 30 K", "0.1 Ohm 1 % 50 ppm/K", "0.1 Ohm x ppm/K 30 K",
                            "0.1 Ohm -5 ppm/K 30 K"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_resistor(wrong), std::invalid_argument);
  }
  ChannelCalibration c;
  c.shunt = r;
  CHECK(calibrated(c, Quantity::voltage, {}).accuracy.gain ==
        Approx(2 * std::sqrt((1e-4 + 1.5e-3 * 1.5e-3) / 3)));
  c.shunt.reset();
  c.divider = Divider{parse_resistor("90k 1 % 100 ppm/K 20 K"), parse_resistor("10k")};
  CHECK(c.divider->bounds().size() == 3);
  CHECK(c.divider->bounds()[1] == Approx(0.9 * 2e-3));
}

TEST_CASE("finer ranges of a statement go through a shunt") {
  ChannelCalibration c;
  c.shunt = Toleranced{0.1, 0};
  const CalibratedChannel out =
      calibrated(c, Quantity::voltage,
                 parse_accuracy("0.1 % + 50 uV; up to 1 mV: 0.1 % + 1 uV", Dimension::voltage));
  REQUIRE(out.accuracy.finer.size() == 1);
  CHECK(out.accuracy.finer[0].up_to == Approx(10e-3));
  CHECK(out.accuracy.at(1e-3).offset == Approx(2 * 10e-6 / std::sqrt(3.0)).epsilon(0.7));
  CHECK(out.accuracy.at(1).offset > 10 * out.accuracy.at(1e-3).offset);
}
