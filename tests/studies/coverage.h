// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <random>
#include <string>
#include <vector>

namespace kuvio::test {

/// One row of the coverage tables in docs/uncertainty.md: how often an interval, or a verdict, is
/// right where the truth is known.
struct CoverageCase {
  std::string table;  ///< which table it stands in
  std::string name;
  double least = 0.93, most = 1.0;  ///< what it must lie between
  std::function<bool(std::mt19937_64&)> trial{};
  int few = 2000;  ///< trials of the short version, which runs with the tests
};

std::vector<CoverageCase> coverage_cases();

/// Share of trials that come true.
double share_of(const CoverageCase& c, int trials, std::uint64_t seed = 20);

}  // namespace kuvio::test
