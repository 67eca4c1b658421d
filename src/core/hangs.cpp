// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/hangs.h"

#include <algorithm>
#include <cstddef>

namespace kuvio {
namespace {

constexpr std::size_t kLines = 8;
constexpr double kMuchLonger = 3, kMost = 2.0 / 3;

/// That nine of ten others are no longer than it: of the sorted silences without that one.
double usual_beside(const std::vector<double>& sorted, double silence) {
  const std::size_t others = sorted.size() - 1;
  const std::size_t at = (9 * others + 9) / 10 - 1;
  const auto own = std::lower_bound(sorted.begin(), sorted.end(), silence) - sorted.begin();
  return sorted[at < static_cast<std::size_t>(own) ? at : at + 1];
}

/// The longest other stay in its state.
std::optional<double> longest_other(const Visits& visits, std::size_t than) {
  std::optional<double> out;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    if (i == than || visits[i].state != visits[than].state) continue;
    out = std::max(out.value_or(0), visits[i].length_s());
  }
  return out;
}

}  // namespace

std::vector<Hang> hangs_of(const Visits& visits, std::span<const double> lines, double log_to_s) {
  std::vector<Hang> out;
  if (lines.size() < kLines) return out;
  std::vector<double> silences;
  for (std::size_t i = 1; i < lines.size(); ++i) silences.push_back(lines[i] - lines[i - 1]);
  silences.push_back(log_to_s - lines.back());
  std::vector<double> sorted = silences;
  std::sort(sorted.begin(), sorted.end());
  for (std::size_t i = 0; i < silences.size(); ++i) {
    const double usual = usual_beside(sorted, silences[i]);
    if (!(silences[i] > kMuchLonger * usual)) continue;
    const double from = lines[i], to = from + silences[i];
    for (std::size_t v = 0; v < visits.size(); ++v) {
      const Visit& visit = visits[v];
      if (visit.state == kOff || visit.state == kMissing) continue;
      const double inside = std::min(to, visit.to_s) - std::max(from, visit.from_s);
      if (!(inside >= kMost * silences[i])) continue;
      const auto other = longest_other(visits, v);
      if (!other && visit.state != kUnassigned) continue;
      if (other && !(visit.length_s() > kMuchLonger * *other)) continue;
      const bool ends =
          v + 1 < visits.size() && visits[v + 1].state != kOff && visits[v + 1].state != kMissing;
      out.push_back({visit.from_s, visit.to_s, from, to, usual, visit.state, other, ends});
    }
  }
  return out;
}

}  // namespace kuvio
