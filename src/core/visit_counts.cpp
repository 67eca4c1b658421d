// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visit_counts.h"

#include <algorithm>
#include <map>
#include <optional>

namespace kuvio {
namespace {

constexpr double kBehind = 0.1;  // of a visit's length: a line may come so late

/// The visit that holds a moment, by its place; nothing outside of all.
std::optional<std::size_t> visit_at(const std::vector<VisitFigures>& visits, double t) {
  const auto at =
      std::upper_bound(visits.begin(), visits.end(), t,
                       [](double at_s, const VisitFigures& v) { return at_s < v.visit.to_s; });
  if (at == visits.end() || t < at->visit.from_s) return std::nullopt;
  return static_cast<std::size_t>(at - visits.begin());
}

}  // namespace

VisitCounts count_in_visits(const std::vector<VisitFigures>& visits, const std::string& state,
                            const std::vector<LogCount>& counts, double slack_s,
                            WithoutLine without) {
  VisitCounts out;
  std::vector<std::size_t> stays;
  for (std::size_t i = 0; i < visits.size(); ++i) {
    if (visits[i].visit.state == state) stays.push_back(i);
  }
  std::map<std::size_t, double> counted;  // by place among the stays
  for (const LogCount& c : counts) {
    const auto behind =
        std::upper_bound(stays.begin(), stays.end(), c.at_s + slack_s,
                         [&](double t, std::size_t i) { return t < visits[i].visit.from_s; });
    if (behind == stays.begin()) {
      ++out.outside;
      continue;
    }
    const auto place = static_cast<std::size_t>(behind - stays.begin()) - 1;
    const Visit& v = visits[stays[place]].visit;
    if (c.at_s > v.to_s + std::max(slack_s, kBehind * v.length_s())) {
      ++out.outside;
    } else if (!v.whole) {
      ++out.in_cut;
    } else {
      counted[place] += c.n;
    }
  }
  for (std::size_t place = 0; place < stays.size(); ++place) {
    const VisitFigures& v = visits[stays[place]];
    const auto it = counted.find(place);
    if (!v.visit.whole) continue;
    if (it == counted.end() && without == WithoutLine::unknown) {
      ++out.without;
      continue;
    }
    out.points.push_back({it == counted.end() ? 0 : it->second, v.charge});
    out.visits.push_back(stays[place]);
  }
  return out;
}

std::string state_of_counts(const std::vector<VisitFigures>& visits,
                            const std::vector<LogCount>& counts, double slack_s) {
  std::map<std::string, std::size_t> lines;
  for (const LogCount& c : counts) {
    if (const auto i = visit_at(visits, c.at_s - slack_s)) ++lines[visits[*i].visit.state];
  }
  const auto most = std::max_element(
      lines.begin(), lines.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
  return most == lines.end() ? "" : most->first;
}

FittedU fitted_u(const LineFit& line, const VisitCounts& counts,
                 const std::vector<VisitFigures>& visits, const Accuracy& accuracy) {
  if (!line.freedom || counts.visits.empty()) return {};
  double charge = 0, length = 0;
  for (const std::size_t i : counts.visits) {
    charge += visits[i].charge;
    length += visits[i].visit.length_s();
  }
  const Accuracy held = accuracy.at(length > 0 ? charge / length : 0);
  Accuracy gain = held, offset = held;
  gain.offset = 0;
  offset.gain = 0;
  std::vector<Component> slope{line.slope_component()}, base{line.base_component()};
  append(slope, accuracy_components(gain, line.slope));
  append(base, accuracy_components(gain, line.base));
  const double each = length / static_cast<double>(counts.visits.size());
  append(base, scaled(accuracy_components(offset, 0), each));
  return {expand(slope).U, expand(base).U};
}

}  // namespace kuvio
