// SPDX-License-Identifier: GPL-3.0-or-later
// The coverage tables of docs/uncertainty.md: kuvio-coverage [TRIALS [TABLE]]: those whose name
// holds TABLE

#include "studies/coverage.h"
#include "studies/edges.h"

#include <fmt/format.h>

#include <cstdlib>

using namespace kuvio;
using namespace kuvio::test;

int main(int argc, char** argv) {
  const int trials = argc > 1 ? std::atoi(argv[1]) : 10000;
  const std::string wanted = argc > 2 ? argv[2] : "";
  std::string table;
  int bad = 0;
  for (const CoverageCase& c : coverage_cases()) {
    if (c.table.find(wanted) == std::string::npos) continue;
    if (c.table != table) {
      table = c.table;
      fmt::print("\n**{}**\n\n| case | found | wanted |\n|---|---|---|\n", table);
    }
    const double found = share_of(c, trials);
    const bool held = found >= c.least && found <= c.most;
    bad += held ? 0 : 1;
    fmt::print("| {} | {:.4f}{} | {} … {} |\n", c.name, found, held ? "" : " **!**", c.least,
               c.most);
    std::fflush(stdout);
  }
  if (std::string_view("edges inside samples").find(wanted) == std::string_view::npos)
    return bad == 0 ? 0 : 1;
  fmt::print(
      "\n**edges inside samples** (errors in samples)\n\n| samples | noise | threshold | visits "
      "of | length, mean error | one edge, sd | quiet level | charge, worst | stated u(length) "
      "over found |\n|---|---|---|---|---|---|---|---|---|\n");
  for (const SampleKind kind : {SampleKind::averaged, SampleKind::instant}) {
    for (const double noise : {0.0, 0.01, 0.1}) {
      for (const double threshold : {0.05, 0.5, 0.95}) {
        if (noise > 0.05 && threshold != 0.5) continue;
        for (const int n : {10, 60, 1000}) {
          EdgesCase c;
          c.kind = kind;
          c.noise = noise;
          c.threshold = threshold;
          c.samples = n;
          c.visits = static_cast<std::size_t>(trials);
          const EdgesResult r = study_edges(c);
          fmt::print(
              "| {} | {} % | {} % | {} | {:+.4f} | {:.4f} | {:+.2f} % | {:.2f} % | {:.2f} |\n",
              kind == SampleKind::averaged ? "averaged" : "instants", noise * 100, threshold * 100,
              n, r.length_mean_error, r.edge_sd, r.quiet_mean_error * 100, r.charge_worst * 100,
              r.edge_u_ratio);
        }
      }
    }
  }
  return bad == 0 ? 0 : 1;
}
