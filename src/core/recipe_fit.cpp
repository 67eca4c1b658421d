// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recipe_fit.h"

#include "core/number_text.h"
#include "core/quantiles.h"
#include "core/visit_survey.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace kuvio {
namespace {

constexpr double kNear = 0.1;                       // of a threshold, by ratio
constexpr double kSome = 0.05;                      // of the visits
constexpr double kSeen = 0.005, kSeenAlone = 0.01;  // of the time

/// Mean levels of the visits to a state that have one.
std::vector<double> levels_of(const std::vector<VisitFigures>& visits, const std::string& state) {
  std::vector<double> out;
  for (const VisitFigures& f : visits) {
    if (f.visit.state == state && !f.visit.narrow && f.mean) out.push_back(*f.mean);
  }
  return out;
}

/// The visits' level and the threshold that it is too close to, if it is.
std::optional<Misfit> near_edge(const StateRule& rule, const std::vector<VisitFigures>& visits) {
  const std::vector<double> levels = levels_of(visits, rule.name);
  if (levels.empty()) return std::nullopt;
  const double middle = median(levels);
  std::optional<Misfit> out;
  for (const double edge : {rule.level.low, rule.level.high}) {
    if (!std::isfinite(edge) || !(edge > 0)) continue;
    const auto close = std::count_if(levels.begin(), levels.end(), [&](double level) {
      return std::fabs(level - edge) < kNear * edge;
    });
    if (static_cast<double>(close) < kSome * static_cast<double>(levels.size())) continue;
    const bool nearer = !out || std::fabs(middle - edge) < std::fabs(middle - out->there);
    if (nearer)
      out = Misfit{Misfit::Kind::near_edge,         rule.name,    middle, edge,
                   static_cast<std::size_t>(close), levels.size()};
  }
  return out;
}

double unassigned_share(const std::vector<VisitFigures>& visits) {
  double all = 0, open = 0;
  for (const VisitFigures& f : visits) {
    if (f.visit.state == kOff) continue;
    all += f.observed_s;
    if (f.visit.state == kUnassigned) open += f.observed_s;
  }
  return all > 0 ? open / all : 0;
}

void hold_lengths(const std::string& state, const std::vector<VisitFigures>& here,
                  const std::vector<VisitFigures>& reference, std::vector<Misfit>& out) {
  const VisitSurvey mine = survey_visits(here, state), theirs = survey_visits(reference, state);
  if (mine.visits.empty() && !theirs.visits.empty()) {
    out.push_back({Misfit::Kind::lost, state, 0, static_cast<double>(theirs.visits.size()), 0, 0});
    return;
  }
  const UsualVisit *a = mine.of(VisitMeasure::length), *b = theirs.of(VisitMeasure::length);
  if (!a || !b || a->visits < 3) return;
  if (a->median < b->low || a->median > b->high)
    out.push_back({Misfit::Kind::lengths, state, a->median, b->median, 0, 0});
}

}  // namespace

std::vector<Misfit> misfits_of(const Recipe& recipe, const std::vector<VisitFigures>& here,
                               const std::vector<VisitFigures>* reference) {
  std::vector<Misfit> out;
  for (const StateRule& rule : recipe.states) {
    if (!rule.by_level || rule.elsewhere() || rule.begins || rule.ends) continue;
    if (const auto misfit = near_edge(rule, here)) out.push_back(*misfit);
  }
  const double open = unassigned_share(here), theirs = reference ? unassigned_share(*reference) : 0;
  if (open > (reference ? std::max(kSeen, 2 * theirs) : kSeenAlone))
    out.push_back({Misfit::Kind::unassigned, kUnassigned, open, theirs, 0, 0});
  if (!reference) return out;
  for (const StateRule& rule : recipe.states) hold_lengths(rule.name, here, *reference, out);
  return out;
}

std::string in_words(const Misfit& m, std::string_view unit, const std::string& reference) {
  switch (m.kind) {
    case Misfit::Kind::near_edge:
      return std::to_string(m.close) + " of " + std::to_string(m.visits) + " visits to " + m.state +
             " lie within " + percent(kNear) + " of its threshold of " +
             with_prefix(m.there, unit, 3);
    case Misfit::Kind::unassigned:
      return percent(m.here) + " of the time is unassigned" +
             (reference.empty() ? "" : ", " + percent(m.there) + " in " + reference);
    case Misfit::Kind::lengths:
      return "a visit to " + m.state + " lasts " + duration(m.here) + ", " + duration(m.there) +
             " in " + reference;
    case Misfit::Kind::lost:
      return m.state + " is nowhere here, and was visited " +
             std::to_string(static_cast<long long>(m.there)) +
             (m.there == 1 ? " time in " : " times in ") + reference;
  }
  return "";
}

}  // namespace kuvio
