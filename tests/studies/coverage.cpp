// SPDX-License-Identifier: GPL-3.0-or-later
#include "studies/coverage.h"

#include "core/budget.h"
#include "core/compare.h"
#include "core/duty.h"
#include "core/lifetime.h"
#include "core/quantiles.h"
#include "core/state_split.h"

#include "studies/made_ledger.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace kuvio::test {
namespace {

using Random = std::mt19937_64;

double normal(Random& random) { return std::normal_distribution<double>()(random); }
double flat(Random& random) { return std::uniform_real_distribution<double>(-1, 1)(random); }

/// Log-normal with mean 1 and this coefficient of variation.
double uneven(Random& random, double variation) {
  const double s = std::sqrt(std::log1p(variation * variation));
  return std::exp(s * normal(random) - s * s / 2);
}

// --- means of visits -----------------------------------------------------------------------------

CoverageCase few_visits(int n, double ratio) {
  return {"few visits with an accuracy bound", fmt::format("n = {}, u_A/u_B = {}", n, ratio), 0.93,
          0.995, [n, ratio](Random& random) {
            const double bound = 1 / (ratio * std::sqrt(static_cast<double>(n)) / std::sqrt(3.0));
            std::vector<double> v(static_cast<std::size_t>(n));
            const double error = bound * flat(random);
            for (double& x : v) x = 5 + normal(random) + error;
            const Repeatability r = repeatability(v);
            std::vector<Component> c = accuracy_components({0, bound, false}, 5);
            c.push_back(*r.component("visits"));
            return std::fabs(r.mean - 5) <= expand(c).U;
          }};
}

CoverageCase bound_alone(double rest) {
  return {"a bound with other stated terms beside it", fmt::format("rest/bound = {}", rest), 0.94,
          0.965, [rest](Random& random) {
            const double error = std::sqrt(3.0) * flat(random) + rest * normal(random);
            const std::vector<Component> c{{"bound", 1, {}, Origin::bound},
                                           {"rest", rest, {}, Origin::normal}};
            return std::fabs(error) <= expand(c).U;
          }};
}

CoverageCase correlated(int n, double phi, double least) {
  return {"correlated neighbours", fmt::format("phi = {}, n = {}", phi, n), least, 0.995,
          [n, phi](Random& random) {
            std::vector<double> v(static_cast<std::size_t>(n));
            double x = normal(random);
            for (double& y : v) {
              y = x;
              x = phi * x + std::sqrt(1 - phi * phi) * normal(random);
            }
            const Repeatability r = repeatability(v);
            return std::fabs(r.mean) <= expand(std::vector{*r.component("visits")}).U;
          }};
}

CoverageCase uneven_lengths(int n) {
  return {"ratio of sums, lengths spread 100 %", fmt::format("n = {}", n), 0.93, 0.995,
          [n](Random& random) {
            std::vector<double> y, x;
            for (int i = 0; i < n; ++i) {
              x.push_back(uneven(random, 1));
              y.push_back(x.back() * (5 + 0.5 * normal(random)));
            }
            const Repeatability r = ratio_of_sums(y, x);
            return std::fabs(r.mean - 5) <= expand(std::vector{*r.component("visits")}).U;
          }};
}

/// One visit to a busy state and one to a quiet one, each between two edges; of instants each edge
/// is uniform in its cell, of averaged samples known from the mixed one.
CoverageCase single_visit(SampleKind kind, const std::string& state, bool charge) {
  const bool line = kind == SampleKind::instant;
  return {"a single visit",
          fmt::format("{}, {} of the {} state", line ? "instants" : "averaged",
                      charge ? "charge" : "length", state),
          // The sum of two uniform errors: 1.90 u would do, 1.96 u is taken.
          0.92, 0.999, [line, kind, state, charge](Random& random) {
            const double edges[] = {30 + (flat(random) + 1) / 2, 90 + (flat(random) + 1) / 2,
                                    150 + (flat(random) + 1) / 2};
            const double busy = 1e-3, quiet = 1e-6;
            const auto level = [&](double t) {
              return t < edges[0] ? quiet : t < edges[1] ? busy : t < edges[2] ? quiet : busy;
            };
            MemoryTrace trace(kind, {1, 1000});
            std::vector<double> v;
            for (int i = 0; i < 200; ++i) {
              double x = level(i);
              for (const double e : edges) {
                if (!line && e > i && e < i + 1)
                  x = level(i) * (e - i) + level(i + 1) * (i + 1 - e);
              }
              v.push_back(x * (1 + 0.001 * normal(random)));
            }
            trace.append(0, 1, v);
            Recipe recipe{"r", "", {}};
            recipe.states.push_back({"busy", {5e-4, INFINITY, 5e-4, INFINITY}, 0, 0});
            recipe.states.push_back({"quiet", {-INFINITY, 5e-4, -INFINITY, 5e-4}, 0, 0});
            const auto figures = measure_visits(trace, split(trace, recipe));
            const VisitFigures& f = figures[state == "busy" ? 1 : 2];
            const double length =
                (state == "busy" ? edges[1] - edges[0] : edges[2] - edges[1]) / 1e3;
            if (!charge) {
              const std::vector<Component> c{{"edges", f.length_u_s, {}, Origin::normal}};
              return std::fabs(f.visit.length_s() - length) <= expand(c).U;
            }
            // Beside the edges the noise of its own samples counts.
            const double truth = (state == "busy" ? busy : quiet) * length;
            const std::vector<Component> c{
                {"edges", f.charge_u, {}, Origin::normal},
                {"noise", truth * 0.001 / std::sqrt(60.0), {}, Origin::normal}};
            return std::fabs(f.charge - truth) <= expand(c).U;
          }};
}

/// Sleep seen as cut, `whole` whole visits, cut; its noise goes together over `tau` samples.
CoverageCase cut_sleeps(int whole, double phi) {
  return {"sleeps cut by the capture's ends", fmt::format("{} whole, phi = {}", whole, phi), 0.93,
          0.995, [whole, phi](Random& random) {
            MemoryTrace trace(SampleKind::averaged, {1, 1000});
            std::vector<double> v;
            Visits visits;
            double x = normal(random);
            const auto stay = [&](const char* state, int n, bool is_whole) {
              const double from = static_cast<double>(v.size()) / 1000;
              for (int i = 0; i < n; ++i) {
                v.push_back(state[0] == 'S' ? 3e-6 * (1 + 0.2 * x) : 5e-3);
                x = phi * x + std::sqrt(1 - phi * phi) * normal(random);
              }
              visits.push_back({state, from, static_cast<double>(v.size()) / 1000, is_whole});
            };
            stay("Sleep", 800, false);
            for (int i = 0; i < whole; ++i) {
              stay("Work", 30, true);
              stay("Sleep", 1000, true);
            }
            stay("Work", 30, true);
            stay("Sleep", 700, false);
            trace.append(0, 1, v);
            const Ledger l = make_ledger({{&trace, measure_visits(trace, visits), {}}});
            const LedgerRow& row = *l.find("Sleep");
            return std::fabs(*row.tested_mean() - 3e-6) <= row.mean_u.U;
          }};
}

/// Captures whose own means differ, each with n visits.
CoverageCase pooled(int captures, int n) {
  return {"captures that differ by as much as their visits",
          fmt::format("{} captures of {} visits", captures, n), 0.93, 0.995,
          [captures, n](Random& random) {
            std::vector<MadeCapture> all(static_cast<std::size_t>(captures));
            for (MadeCapture& c : all) {
              const double own = 5e-3 * (1 + 0.005 * normal(random));
              c.visit("Rest", 1e-5, 1, false);
              for (int i = 0; i < n; ++i) {
                c.visit("Work", own * (1 + 0.005 * normal(random)), 0.5);
                c.visit("Rest", 1e-5, 1, i + 1 < n);
              }
            }
            const LedgerRow row = *ledger_of(all).find("Work");
            return std::fabs(row.level.mean - 5e-3) <= row.mean_u.U;
          }};
}

// --- field means and lives -----------------------------------------------------------------------

/// Rounds of Work, Send between rests; lengths vary together where `together`.
CoverageCase field(double rest, double work, bool together) {
  return {"mean in the field",
          fmt::format("rest {} A, round {} A{}", rest, work, together ? ", states together" : ""),
          0.93, 0.995, [rest, work, together](Random& random) {
            MadeCapture c;
            c.visit("Rest", rest, 10, false);
            for (int i = 0; i < 12; ++i) {
              const double longer = normal(random);
              c.visit("Work", work * (1 + 0.01 * normal(random)), 1 + 0.2 * longer);
              c.visit("Send", 2 * work * (1 + 0.01 * normal(random)),
                      1 + 0.2 * (together ? longer : normal(random)));
              c.visit("Rest", rest * (1 + 0.002 * normal(random)), 10, i < 11);
            }
            DutyPlan plan{"Rest", {{0.02, {"Work", "Send"}}}, {}};
            const FieldMean mean = field_mean(plan, ledger_of(c));
            const double truth = 0.02 * 3 * work + rest * (1 - 0.04);
            return std::fabs(mean.mean - truth) <= mean.mean_u.U;
          }};
}

/// An hour of sixty small rounds and some large ones; `chance`: how many is chance.
CoverageCase rare_rounds(int rare, bool chance) {
  return {chance ? "lives, rounds at random" : "lives, as many rounds as were captured",
          fmt::format("60 small rounds, {} large ones", rare), 0.93, chance ? 0.999 : 0.995,
          [rare, chance](Random& random) {
            const int n = chance ? std::max(1, std::poisson_distribution<int>(rare)(random)) : rare;
            MadeCapture c;
            c.visit("Rest", 3e-6, 30, false);
            std::vector<int> kinds(60, 0);
            kinds.insert(kinds.end(), static_cast<std::size_t>(n), 1);
            std::shuffle(kinds.begin(), kinds.end(), random);
            c.visit("Work", 2e-3, 1);
            for (std::size_t i = 0; i < kinds.size(); ++i) {
              c.visit("Rest", 3e-6, 55 + flat(random));
              c.visit(kinds[i] ? "Send" : "Work", kinds[i] ? 50e-3 : 2e-3,
                      kinds[i] ? 6 + 0.8 * normal(random) : 1 + 0.01 * normal(random));
            }
            c.visit("Rest", 3e-6, 20, false);
            const Ledger ledger = ledger_of(c);
            const FieldMean mean = captured_mean(ledger);
            // What such hours draw in the mean: a round is 55 s of rest and its own part.
            const double count = chance ? rare : n;
            const double time = 60 * 56 + count * 61;
            const double truth = ((60 + count) * 55 * 3e-6 + 60 * 2e-3 + count * 50e-3 * 6) / time;
            Battery cell;
            cell.capacity_c = 4320;
            const LifeInterval life = life_interval(mean, cell);
            const double true_life = 4320 / truth;
            const auto low = chance ? life.chance_low : life.low;
            const auto high = chance ? life.chance_high : life.high;
            return low && *low <= true_life && (!high || true_life <= *high);
          }};
}

// --- comparisons ---------------------------------------------------------------------------------

struct Weather {
  double level = 0.005, length = 0.1, rest = 0.02, captures = 0;  // relative spreads
  int visits = 8, sides = 1;
  double rest_phi = 0;
};

Side side(Random& random, const Weather& w, double length = 1, const std::string& name = "x") {
  std::vector<MadeCapture> all;
  for (int k = 0; k < w.sides; ++k) {
    MadeCapture c({{0.0008, 40e-9, false}, 3.6, 1e-3});
    const double own = 1 + w.captures * normal(random);
    double drift = normal(random);
    const auto rest = [&](bool whole) {
      drift = w.rest_phi * drift + std::sqrt(1 - w.rest_phi * w.rest_phi) * normal(random);
      c.visit("Rest", 5e-5 * own * (1 + w.rest * drift), 20 * uneven(random, 0.1), whole);
    };
    rest(false);
    for (int i = 0; i < w.visits; ++i) {
      c.visit("Work", 5e-3 * own * (1 + w.level * normal(random)), 0.5);
      c.visit("Locate", 28e-3 * own * (1 + w.level * normal(random)),
              length * std::max(0.1, 5 * (1 + w.length * normal(random))));
      rest(i + 1 < w.visits);
    }
    all.push_back(std::move(c));
  }
  return {name, ledger_of(all), {{"input", "A"}, {"range", "1 A"}}};
}

CoverageCase no_false_difference(const std::string& name, const Weather& w, bool plan) {
  return {"identical builds, nothing shown", name + (plan ? ", by a plan" : ", as captured"), 0.944,
          1.0, [w, plan](Random& random) {
            CompareSettings settings;
            if (plan) settings.duty = DutyPlan{"Rest", {{0.001, {"Work", "Locate"}}}, {}};
            const Comparison c = compare(side(random, w), side(random, w, 1, "y"), settings);
            const auto claimed = [](Conclusion s) {
              return s == Conclusion::higher || s == Conclusion::lower;
            };
            bool any =
                claimed(c.total_conclusion) || (c.same_use && claimed(c.same_use->conclusion));
            for (const CompareRow& r : c.rows) any |= claimed(r.conclusion);
            return !any;
          }};
}

/// The same use together with what could hide in the lengths covers a change of a length.
CoverageCase hidden_length(double change) {
  return {"same use with what could hide, a build changes a length",
          fmt::format("Locate × {}", change), 0.93, 1.0, [change](Random& random) {
            Weather w;
            w.visits = 3;
            w.length = 0.25;
            CompareSettings settings;
            settings.duty = DutyPlan{"Rest", {{4 / 86400.0, {"Work", "Locate"}}}, {}};
            const Comparison c = compare(side(random, w), side(random, w, change, "y"), settings);
            if (!c.same_use) return false;
            const double truth = 4 / 86400.0 * (28e-3 - 5e-5) * 5 * (change - 1);
            const double U = std::hypot(c.same_use->difference.U(), c.same_use->could_hide);
            return std::fabs(c.same_use->difference.value - truth) <= U;
          }};
}

CoverageCase interval_of_difference(int a, int b, double ratio) {
  return {"interval of a difference of means",
          fmt::format("{} against {} visits, spreads {}:1", a, b, ratio), 0.93,
          // Two pairs, each expanded by its own t(1): wide, but nothing narrower holds for both.
          a + b < 5 ? 0.999 : 0.995, [a, b, ratio](Random& random) {
            const auto made = [&](int n, double spread) {
              MadeCapture c;
              c.visit("Rest", 1e-5, 10, false);
              for (int i = 0; i < n; ++i) {
                c.visit("Work", 5e-3 * (1 + spread * normal(random)), 0.5);
                c.visit("Rest", 1e-5, 10, i + 1 < n);
              }
              return Side{"s", ledger_of(c), {{"input", "A"}, {"range", "1 A"}}};
            };
            const Comparison c = compare(made(a, 0.01 * ratio), made(b, 0.01));
            for (const CompareRow& r : c.rows) {
              if (r.state == "Work") return r.mean.low <= 0 && r.mean.high >= 0;
            }
            return false;
          }};
}

// --- limits --------------------------------------------------------------------------------------

/// A 95th percentile just over its limit must not be within.
CoverageCase p95_not_within(int n) {
  return {"95th percentile just over the limit, not within", fmt::format("n = {}", n), 0.945, 1.0,
          [n](Random& random) {
            MadeCapture c;
            c.visit("Rest", 1e-6, 1, false);
            for (int i = 0; i < n; ++i) {
              c.visit("Send", 1, 1 + 0.1 * normal(random));
              c.visit("Rest", 1e-6, 1, i + 1 < n);
            }
            Budget budget;
            Limit limit;
            limit.scope = Scope::state;
            limit.state = "Send";
            limit.quantity = LimitQuantity::visit_length;
            limit.statistic = Statistic::p95;
            limit.max = 1 + 0.1 * 1.6448 - 1e-6;
            budget.limits = {limit};
            return check(budget, ledger_of(c)).limits.front().verdict != Verdict::within;
          }};
}

CoverageCase p95_found_outside() {
  return {"95th percentile far over the limit, outside", "n = 100", 0.93, 1.0, [](Random& random) {
            std::vector<double> v(100);
            for (double& x : v) x = 1 + 0.1 * normal(random);
            const auto bounds = p95_bounds(v);
            return bounds.low && *bounds.low <= 1 + 0.1 * 1.6449;
          }};
}

}  // namespace

std::vector<CoverageCase> coverage_cases() {
  std::vector<CoverageCase> out;
  for (const int n : {2, 3, 5})
    for (const double ratio : {0.3, 0.5, 1.0, 2.0, 5.0}) out.push_back(few_visits(n, ratio));
  for (const double rest : {0.0, 0.1, 0.3, 0.5, 1.0, 3.0}) out.push_back(bound_alone(rest));
  for (const int n : {4, 9, 10}) {  // too few to tell: listed as found
    for (const double phi : {0.3, 0.5, 0.7}) out.push_back(correlated(n, phi, 0.80));
  }
  for (const int n : {20, 50, 100})
    for (const double phi : {0.0, 0.3, 0.5, 0.7}) out.push_back(correlated(n, phi, 0.93));
  for (const int n : {3, 5, 10, 20}) out.push_back(uneven_lengths(n));
  for (const SampleKind kind : {SampleKind::averaged, SampleKind::instant}) {
    for (const char* state : {"busy", "quiet"})
      for (const bool charge : {false, true}) out.push_back(single_visit(kind, state, charge));
  }
  for (const int whole : {0, 1, 2})
    for (const double phi : {0.0, 0.9}) out.push_back(cut_sleeps(whole, phi));
  for (const int captures : {3, 6}) out.push_back(pooled(captures, 8));
  out.push_back(field(3e-6, 5e-3, false));
  out.push_back(field(10e-3, 1e-3, false));
  out.push_back(field(5e-3, 5e-3, false));
  out.push_back(field(3e-6, 5e-3, true));
  for (const int rare : {3, 10}) {
    out.push_back(rare_rounds(rare, false));
    out.push_back(rare_rounds(rare, true));
  }
  for (const auto& [a, b, ratio] :
       {std::tuple{2, 2, 1.0}, {2, 20, 5.0}, {3, 3, 1.0}, {3, 20, 5.0}, {20, 20, 1.0}})
    out.push_back(interval_of_difference(a, b, ratio));
  Weather calm, few, restless, drifting, captures;
  few.visits = 3;
  restless.rest = 0.1;
  drifting.visits = 24;
  drifting.rest_phi = 0.5;
  captures.captures = 0.005;
  captures.sides = 3;
  captures.visits = 5;
  for (const bool plan : {false, true}) {
    out.push_back(no_false_difference("8 visits", calm, plan));
    out.push_back(no_false_difference("3 visits", few, plan));
    out.push_back(no_false_difference("rest varies 10 %", restless, plan));
    out.push_back(no_false_difference("rest drifts, 24 visits", drifting, plan));
    out.push_back(no_false_difference("3 captures a side that differ", captures, plan));
  }
  for (const double change : {1.0, 1.1, 1.3, 1.6, 2.0, 3.0}) out.push_back(hidden_length(change));
  for (const int n : {3, 10, 50, 59, 100}) out.push_back(p95_not_within(n));
  out.push_back(p95_found_outside());
  for (CoverageCase& c : out) {
    const bool visits_alone = c.table.starts_with("few") || c.table.starts_with("a bound") ||
                              c.table.starts_with("corr") || c.table.starts_with("ratio");
    c.few = visits_alone ? 2000 : 400;
  }
  return out;
}

double share_of(const CoverageCase& c, int trials, std::uint64_t seed) {
  Random random(seed);
  int held = 0;
  for (int i = 0; i < trials; ++i) held += c.trial(random) ? 1 : 0;
  return static_cast<double>(held) / trials;
}

}  // namespace kuvio::test
