// SPDX-License-Identifier: GPL-3.0-or-later
#include "studies/edges.h"

#include "core/edge.h"
#include "core/measure.h"
#include "core/state_split.h"
#include "core/visit_figures.h"

#include <algorithm>
#include <cmath>
#include <random>
#include <vector>

namespace kuvio::test {
namespace {

/// A signal of two levels with known edges (in samples), and its samples.
struct Made {
  std::vector<double> edges;  ///< up, down, up, down …
  MemoryTrace trace{SampleKind::averaged, {1, 1000}};
};

double level_at(const EdgesCase& c, const std::vector<double>& edges, double t) {
  const auto passed = std::upper_bound(edges.begin(), edges.end(), t) - edges.begin();
  return passed % 2 == 0 ? c.low : c.high;
}

/// Mean of the signal over [a, b].
double mean_over(const EdgesCase& c, const std::vector<double>& edges, double a, double b) {
  double sum = 0, at = a;
  auto next = std::upper_bound(edges.begin(), edges.end(), a);
  while (at < b) {
    const double to = next == edges.end() ? b : std::min(b, *next);
    sum += level_at(c, edges, (at + to) / 2) * (to - at);
    at = to;
    if (next != edges.end() && *next <= at) ++next;
  }
  return sum / (b - a);
}

constexpr double kTick = 1000;  // ticks in a sample

Made make(const EdgesCase& c) {
  Made out;
  std::mt19937_64 random(c.seed);
  std::uniform_real_distribution<double> unit(0, 1);
  std::normal_distribution<double> normal;
  double at = 30 + unit(random);
  for (std::size_t i = 0; i < c.visits; ++i) {
    out.edges.push_back(at);
    at += c.samples - 0.5 + unit(random);
    out.edges.push_back(at);
    at += 40 + unit(random);
  }
  const auto n = static_cast<std::size_t>(at) + 30;
  std::vector<std::int64_t> times(n + 1);
  for (std::size_t i = 0; i <= n; ++i) {
    const double off = c.uneven ? 0.4 * (unit(random) - 0.5) : 0;
    times[i] = std::llround((static_cast<double>(i) + off) * kTick);
  }
  times[0] = 0;
  std::vector<double> values(n);
  for (std::size_t i = 0; i < n; ++i) {
    const double a = static_cast<double>(times[i]) / kTick,
                 b = static_cast<double>(times[i + 1]) / kTick;
    double clean = 0, sigma = 0;
    if (c.kind == SampleKind::averaged) {
      clean = mean_over(c, out.edges, a, b);
    } else {
      clean = level_at(c, out.edges, a);
    }
    sigma = c.noise * clean;
    values[i] = clean + sigma * normal(random);
  }
  out.trace = MemoryTrace(c.kind, {1, 1'000'000});
  if (c.uneven) {
    times.resize(n);
    out.trace.append(times, values, static_cast<std::int64_t>(n) * 1000);
  } else {
    out.trace.append(0, 1000, values);
  }
  return out;
}

}  // namespace

EdgesResult study_edges(const EdgesCase& c) {
  const Made made = make(c);
  const double threshold = c.low + c.threshold * (c.high - c.low);
  Recipe recipe{"study", "", {}};
  recipe.states.push_back({"High", {threshold, INFINITY, threshold, INFINITY}, 3e-3, 0});
  recipe.states.push_back({"Low", {-INFINITY, threshold, -INFINITY, threshold}, 3e-3, 0});
  const std::vector<VisitFigures> figures = measure_visits(made.trace, split(made.trace, recipe));

  EdgesResult out;
  out.high_least = c.high;
  double sum = 0, squares = 0, edge_squares = 0, quiet_charge = 0, quiet_time = 0, charges = 0,
         levels = 0, total = 0, stated = 0;
  std::size_t edges = 0, true_visit = 0;
  for (const VisitFigures& f : figures) {
    total += f.charge;
    if (f.visit.state == "Low") {
      if (f.peak) out.low_peak = std::max(out.low_peak, *f.peak);
      if (!f.visit.whole) continue;
      quiet_charge += f.charge;
      quiet_time += f.visit.length_s();
      continue;
    }
    if (!f.visit.whole) continue;
    if (f.least) out.high_least = std::min(out.high_least, *f.least);
    // The true visit that it overlaps.
    const double from = f.visit.from_s * 1000, to = f.visit.to_s * 1000;
    while (true_visit < c.visits && made.edges[2 * true_visit + 1] < from) ++true_visit;
    if (true_visit >= c.visits) break;
    const double up = made.edges[2 * true_visit], down = made.edges[2 * true_visit + 1];
    if (std::fabs(up - from) > 2 || std::fabs(down - to) > 2) continue;
    ++out.found;
    const double error = (to - from) - (down - up);
    sum += error;
    squares += error * error;
    edge_squares += (from - up) * (from - up) + (to - down) * (to - down);
    stated += f.length_u_s * f.length_u_s * 1e6;
    edges += 2;
    const double truth = c.high * (down - up) * 1e-3;
    const double relative = f.charge / truth - 1;
    charges += relative;
    out.charge_worst = std::max(out.charge_worst, std::fabs(relative));
    levels += f.charge / f.visit.length_s() / c.high - 1;
  }
  const auto n = static_cast<double>(std::max<std::size_t>(1, out.found));
  out.length_mean_error = sum / n;
  out.length_sd = std::sqrt(squares / n);
  out.edge_sd = std::sqrt(edge_squares / static_cast<double>(std::max<std::size_t>(1, edges)));
  out.charge_mean_error = charges / n;
  out.level_mean_error = levels / n;
  out.edge_u_ratio = std::sqrt(stated / std::max(1e-30, squares));
  if (quiet_time > 0) out.quiet_mean_error = quiet_charge / quiet_time / c.low - 1;
  const double whole = measure(made.trace).charge;
  out.closure = std::fabs(total - whole) / std::fabs(whole);
  return out;
}

}  // namespace kuvio::test
