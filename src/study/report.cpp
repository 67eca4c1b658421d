// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/report.h"

#include "core/error.h"

#include "study/budget_check.h"
#include "study/pool.h"

#include <algorithm>
#include <stdexcept>

namespace kuvio::study {
namespace {

/// The split captures by build, in the order in which builds first appear.
std::vector<Pool> split_builds(const book::Book& book, std::vector<std::string>& left_out) {
  std::vector<std::string> names;
  std::vector<std::vector<book::CaptureInfo>> builds;
  for (const book::CaptureInfo& c : book.captures()) {
    if (!c.damage.empty())
      throw Error(Failure::bad_data, "damaged capture", book.path(),
                  "capture " + std::to_string(c.id) + ": " + c.damage);
    if (!c.split) {
      left_out.push_back(c.name);
      continue;
    }
    const auto at = std::find(names.begin(), names.end(), c.build) - names.begin();
    if (at == std::ssize(names)) {
      names.push_back(c.build);
      builds.emplace_back();
    }
    builds[static_cast<std::size_t>(at)].push_back(c);
  }
  std::vector<Pool> out;
  for (std::size_t i = 0; i < names.size(); ++i) out.push_back(pool(book, names[i], builds[i]));
  return out;
}

/// The recipe's order; of states assigned by hand, without a recipe, that of the first visits.
std::vector<std::string> state_order(const book::SplitCapture& capture) {
  std::vector<std::string> out;
  try {
    const auto recipe = formats::parse_recipe(capture.recipe_text, "recipe in the book");
    for (const StateRule& rule : recipe.recipe.states) out.push_back(rule.name);
  } catch (const Error&) {
    for (const VisitFigures& f : capture.visits) out.push_back(f.visit.state);
  }
  return out;
}

}  // namespace

Report report_of(const book::Book& book, ReportRequest request) {
  Report out;
  out.builds = split_builds(book, out.left_out);
  if (out.builds.empty())
    throw Error(Failure::bad_data, "nothing to report", book.path(),
                "no capture is split into states yet");
  formats::ReportContent& content = out.content;
  content.title = std::move(request.title);
  for (const Pool& build : out.builds)
    for (const book::SplitCapture& c : build.captures) content.captures.push_back(&c);
  std::sort(content.captures.begin(), content.captures.end(),
            [](const auto* a, const auto* b) { return a->info.id < b->info.id; });
  const auto recorded = std::find_if(content.captures.begin(), content.captures.end(),
                                     [](const auto* c) { return !c->info.typed; });
  if (recorded != content.captures.end()) content.state_order = state_order(**recorded);
  if (request.battery) content.battery = request.battery->name;

  const Pool* reference = &out.builds.front();
  if (!request.reference.empty()) {
    const auto it = std::find_if(out.builds.begin(), out.builds.end(),
                                 [&](const Pool& b) { return b.side.name == request.reference; });
    if (it == out.builds.end())
      throw Error(Failure::usage, "no such build", book.path(),
                  "there is no split build \"" + request.reference + "\" to compare with");
    reference = &*it;
  }
  CompareSettings settings;
  settings.duty = request.duty;
  content.budget = request.budget;
  for (const Pool& build : out.builds) {
    const std::string& name = build.side.name;
    if (&build != reference)
      content.comparisons.push_back(compare_pools(*reference, build, settings));
    try {
      if (request.battery && request.duty) {
        const FieldMean mean = field_mean(*request.duty, build.ledger());
        if (mean.missing.empty())
          content.lives.push_back({name, mean, life_interval(mean, *request.battery)});
      }
    } catch (const std::domain_error& e) {
      throw Error(Failure::bad_data, "bad duty plan", request.duty->name, e.what());
    }
    if (request.budget)
      content.checks.emplace(name, check_build(book, *request.budget, *request.recipe, name));
  }
  return out;
}

}  // namespace kuvio::study
