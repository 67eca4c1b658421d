// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/comparison.h"

#include "core/error.h"

#include "study/pool.h"

#include <algorithm>
#include <stdexcept>

namespace kuvio::study {
namespace {

void add_lives(BuildComparison& out, const Pool& reference, const Pool& candidate,
               const CompareSettings& settings, const Battery& battery) {
  const auto figures = [&](const Ledger& ledger) {
    return life_of(out.field ? field_mean(*settings.duty, ledger) : captured_mean(ledger), battery);
  };
  out.reference_life = figures(reference.ledger());
  out.candidate_life = figures(candidate.ledger());
  const double mean = *out.comparison.reference_mean, once = out.reference_life->once_charge;
  const auto before = life(battery, mean, once);
  for (const CompareRow& row : out.comparison.rows) {
    const auto after = life(battery, std::max(0.0, mean + row.bridge), once);
    out.life_change.push_back(before && after ? std::optional(*after - *before) : std::nullopt);
  }
}

}  // namespace

Comparison compare_pools(const Pool& reference, const Pool& candidate,
                         const CompareSettings& settings) {
  try {
    return compare(reference.side, candidate.side, settings);
  } catch (const std::domain_error& e) {
    throw Error(Failure::bad_data, "bad duty plan", settings.duty ? settings.duty->name : "",
                e.what());
  }
}

BuildComparison compare_builds(const Pool& reference, const Pool& candidate,
                               CompareSettings settings, const std::optional<Battery>& battery) {
  BuildComparison out;
  out.reference_captures = reference.captures.size();
  out.candidate_captures = candidate.captures.size();
  for (const Pool* side : {&reference, &candidate})
    out.old_edges.insert(out.old_edges.end(), side->old_edges.begin(), side->old_edges.end());
  out.comparison = compare_pools(reference, candidate, settings);
  // A plan that asks for states one side never was in says nothing: the captures do.
  if (!out.comparison.missing.empty()) {
    settings.duty.reset();
    out.comparison = compare_pools(reference, candidate, settings);
  }
  out.field = out.comparison.field;
  if (battery && out.comparison.reference_mean && out.comparison.candidate_mean)
    add_lives(out, reference, candidate, settings, *battery);
  return out;
}

}  // namespace kuvio::study
