// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/typical.h"

#include "core/quantiles.h"

#include <algorithm>
#include <cmath>

namespace kuvio {
namespace {

struct Found {
  const Trace* trace;
  const Visit* visit;
};

std::vector<Found> whole_visits(const std::vector<TypicalPart>& captures,
                                const std::string& state) {
  std::vector<Found> out;
  for (const TypicalPart& part : captures) {
    for (const Visit& v : *part.visits) {
      if (v.state == state && v.whole) out.push_back({part.trace, &v});
    }
  }
  return out;
}

}  // namespace

double typical_step(const std::vector<TypicalPart>& captures, const std::string& state,
                    double sample_s, int steps) {
  std::vector<double> lengths;
  for (const Found& f : whole_visits(captures, state)) lengths.push_back(f.visit->length_s());
  if (lengths.empty()) return 0;
  return std::max({sample_s, quantile(lengths, 0.95) / std::max(1, steps), 1e-12});
}

TypicalVisit typical_visit(const std::vector<TypicalPart>& captures, const std::string& state,
                           double step_s, std::size_t at_most,
                           const std::function<bool()>& give_up) {
  TypicalVisit out;
  out.state = state;
  out.step_s = step_s;
  const std::vector<Found> all = whole_visits(captures, state);
  out.whole_visits = all.size();
  out.visits = std::min(at_most, all.size());
  if (out.visits == 0 || !(step_s > 0)) return out;
  std::vector<std::vector<double>> values;
  std::vector<double> lengths;
  for (std::size_t i = 0; i < out.visits; ++i) {
    if (give_up && give_up()) return {};
    const Found& f = all[i * all.size() / out.visits];
    lengths.push_back(f.visit->length_s());
    // Visits a little longer than the step's grid end in a part of a step.
    for (std::size_t k = 0;; ++k) {
      const double a = f.visit->from_s + static_cast<double>(k) * step_s;
      if (a + step_s / 2 > f.visit->to_s || k >= 4096) break;
      const auto mean = measure(*f.trace, a, std::min(a + step_s, f.visit->to_s)).mean();
      if (k >= values.size()) values.emplace_back();
      if (mean) values[k].push_back(*mean);
    }
  }
  out.median_s = quantile(lengths, 0.5);
  for (auto& step : values) {
    // Of a few visits every one counts; of many the last tenth would draw a ragged end.
    if (step.empty() || static_cast<double>(step.size()) < 0.1 * static_cast<double>(out.visits))
      break;
    TypicalStep s;
    s.visits = step.size();
    for (const double v : step) s.mean += v / static_cast<double>(step.size());
    s.low = quantile(step, 0.1);
    s.high = quantile(step, 0.9);
    out.steps.push_back(s);
  }
  return out;
}

}  // namespace kuvio
