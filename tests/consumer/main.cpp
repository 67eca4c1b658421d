// SPDX-License-Identifier: GPL-3.0-or-later
#include <core/ledger.h>
#include <core/state_split.h>

#include <cmath>
#include <cstdio>

/// A second at 3 uA, half a second at 20 mA, twice: the charge of Busy is 20 mC.
int main() {
  using namespace kuvio;
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values;
  for (int round = 0; round < 2; ++round) {
    values.insert(values.end(), 1000, 3e-6);
    values.insert(values.end(), 500, 20e-3);
  }
  trace.append(0, 1, values);
  Recipe recipe;
  recipe.states.resize(1);
  recipe.states[0].name = "Busy";
  recipe.states[0].level.low = recipe.states[0].level.release_low = 1e-3;
  const Ledger ledger =
      make_ledger({{&trace, measure_visits(trace, split(trace, recipe)), Basis{}}});
  const double charge = ledger.find("Busy")->charge;
  std::printf("%.6f mC\n", charge * 1e3);
  return std::fabs(charge - 20e-3) < 1e-6 ? 0 : 1;
}
