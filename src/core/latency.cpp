// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/latency.h"

#include "core/cycles.h"
#include "core/quantiles.h"

#include <algorithm>
#include <limits>

namespace kuvio {
namespace {

bool hides(const Visit& v) { return v.state == kMissing || v.state == kOff; }

/// What comes first behind a moment: an entry into the state, or what hides one.
struct Found {
  enum class What { nothing, entry, hidden } what = What::nothing;
  std::size_t visit = 0;
};

Found next_of(const Visits& visits, const std::string& state, double from_s, double to_s) {
  auto at = std::upper_bound(visits.begin(), visits.end(), from_s,
                             [](double t, const Visit& v) { return t < v.to_s; });
  for (; at != visits.end() && at->from_s < to_s; ++at) {
    const auto i = static_cast<std::size_t>(at - visits.begin());
    if (hides(*at)) return {Found::What::hidden, i};
    if (at->state == state && at->from_s >= from_s && is_entry(visits, i) && !at->continues)
      return {Found::What::entry, i};
  }
  // Behind the capture's end nobody looked.
  return {at == visits.end() ? Found::What::hidden : Found::What::nothing, 0};
}

}  // namespace

Latency latency_of(const Visits& visits, const std::string& state,
                   const std::vector<double>& moments, double slack_s) {
  Latency out;
  std::vector<double> lengths;
  for (std::size_t i = 0; i < moments.size(); ++i) {
    const double until =
        i + 1 < moments.size() ? moments[i + 1] - slack_s : std::numeric_limits<double>::infinity();
    if (visits.empty() || moments[i] < visits.front().from_s) continue;
    const Found found = next_of(visits, state, moments[i] - slack_s, until);
    if (found.what == Found::What::entry) {
      out.waits.push_back({moments[i], visits[found.visit].from_s, found.visit});
      lengths.push_back(out.waits.back().length_s());
    } else {
      (found.what == Found::What::hidden ? out.unseen : out.missed).push_back(moments[i]);
    }
  }
  if (lengths.empty()) return out;
  out.length = repeatability(lengths);
  const auto [low, high] = std::minmax_element(lengths.begin(), lengths.end());
  out.shortest_s = *low;
  out.longest_s = *high;
  out.median_s = median(lengths);
  out.p90_s = quantile(lengths, 0.9);
  return out;
}

}  // namespace kuvio
