// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/charge_flow.h"

#include "core/measure.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>
#include <random>

using namespace kuvio;

TEST_CASE("charge out and in of averaged samples are sums by sign, partial samples included") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  trace.append(0, 1, std::vector<double>{2, -1, 3, -4, 0});
  auto flow = charge_flow(trace, 0, 0.005);
  CHECK(flow.out == Approx(5e-3));
  CHECK(flow.in == Approx(5e-3));
  flow = charge_flow(trace, 0.0005, 0.0035);  // half of the first, half of the fourth
  CHECK(flow.out == Approx(1e-3 + 3e-3));
  CHECK(flow.in == Approx(1e-3 + 2e-3));
  flow = charge_flow(trace, 0.00125, 0.00175);  // inside one
  CHECK(flow.out == 0);
  CHECK(flow.in == Approx(0.5e-3));
  CHECK(charge_flow(trace, 0.002, 0.002).out == 0);
  CHECK(charge_flow(trace, 7, 9).in == 0);
}

TEST_CASE("a line between two instants is parted where it crosses zero") {
  MemoryTrace trace(SampleKind::instant, {1, 1});
  trace.append(0, 1, std::vector<double>{1, -3, -1, 2});
  // Triangles: 1 × 1/4 / 2; 3 × 3/4 / 2, a trapezium of 2, 1 × 1/3 / 2; 2 × 2/3 / 2.
  const auto flow = charge_flow(trace, 0, 3);
  CHECK(flow.out == Approx(0.125 + 2.0 / 3));
  CHECK(flow.in == Approx(1.125 + 2 + 1.0 / 6));
  const auto part = charge_flow(trace, 0.125, 0.5);  // from 0.5 to -1
  CHECK(part.out == Approx(0.5 * 0.125 / 2));
  CHECK(part.in == Approx(0.25 / 2));
}

TEST_CASE("flows close with the charge, over blocks, gaps, signs and any span") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> noise(0, 1e-3);
  for (const SampleKind kind : {SampleKind::averaged, SampleKind::instant}) {
    MemoryTrace trace(kind, {1, 1000});
    std::vector<double> values(200'000);
    double out = 0, in = 0;
    for (std::size_t i = 0; i < values.size(); ++i) {
      const double level = i < 70'000 ? 5e-3 : i < 140'000 ? 0 : -5e-3;
      values[i] = level + (i % 3000 < 40 ? noise(random) : level == 0 ? noise(random) : 0);
      if (kind == SampleKind::averaged) (values[i] > 0 ? out : in) += std::fabs(values[i]) * 1e-3;
    }
    trace.append(0, 1, std::span(values).first(100'000));
    trace.append(150'000, 1, std::span(values).subspan(100'000));
    if (kind == SampleKind::averaged) {
      const auto all = charge_flow(trace, trace.from_s(), trace.to_s());
      CHECK(all.out == Approx(out));
      CHECK(all.in == Approx(in));
    }
    std::uniform_real_distribution<double> moment(-1, 252);
    for (int i = 0; i < 200; ++i) {
      double a = moment(random), b = moment(random);
      if (a > b) std::swap(a, b);
      const auto flow = charge_flow(trace, a, b);
      const double charge = measure(trace, a, b).charge;
      CHECK(flow.out >= 0);
      CHECK(flow.in >= 0);
      CHECK(flow.out - flow.in == Approx(charge).margin(1e-12));
    }
  }
}

TEST_CASE("samples with times of their own, and a sine whose halves are known") {
  MemoryTrace trace(SampleKind::instant, {1, 1'000'000});
  std::vector<std::int64_t> times;
  std::vector<double> values;
  std::mt19937_64 random(8);
  for (std::int64_t t = 0; t <= 2'000'000; t += 200 + static_cast<std::int64_t>(random() % 300)) {
    times.push_back(t);
    values.push_back(std::sin(2 * std::numbers::pi * static_cast<double>(t) * 1e-6));
  }
  trace.append(times, values);
  const auto flow = charge_flow(trace, 0, trace.to_s());
  CHECK(flow.out == Approx(2 / std::numbers::pi).epsilon(1e-4));
  CHECK(flow.in == Approx(2 / std::numbers::pi).epsilon(1e-3));
}

TEST_CASE("each state has its own flows, which close with its charge") {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values(1000, 1e-3);
  values.insert(values.end(), 500, -2e-3);
  values.insert(values.end(), 1000, 1e-3);
  trace.append(0, 1, values);
  const auto visits =
      measure_visits(trace, {{"Watch", 0, 1}, {"Harvest", 1, 1.5}, {"Watch", 1.5, 2.5}});
  const auto flows = charge_flow_by_state(trace, visits);
  CHECK(flows.at("Watch").out == Approx(2e-3));
  CHECK(flows.at("Watch").in == 0);
  CHECK(flows.at("Harvest").in == Approx(1e-3));
  CHECK(flows.at("Harvest").out == Approx(0).margin(1e-15));
}
