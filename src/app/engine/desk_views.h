// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "core/budget.h"
#include "core/typical.h"

#include "study/comparison.h"
#include "study/life.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

/// Two builds side by side.
struct BuildsView : study::BuildComparison {
  std::string reference, candidate;
  Fills fills;
  std::string accepted;  ///< why unlike captures are compared anyway
  std::string trouble;   ///< why there is nothing to show
};

struct TypicalView {
  std::string state, reference, candidate;
  TypicalVisit reference_visit, candidate_visit;
};

/// The book's budget held against its builds.
struct BudgetView {
  std::shared_ptr<const Budget> budget;  ///< null: there is none, or its text is not valid
  std::string text, error;
  std::vector<std::string> builds;
  std::vector<CheckResult> results;    ///< one a build; its limits point into `budget`
  std::vector<std::string> troubles;   ///< one a build: why it could not be checked
  std::vector<std::string> states;     ///< that its recipe knows
  std::optional<std::string> on_disk;  ///< the file's text where it is no longer what was read
  bool not_looked_at = false;          ///< its file may not be read (trusted_files.h)
};

struct LifeView : study::CaptureLife {
  std::string build;
  std::vector<study::BuildLife> builds;  ///< all of the book's, in the scenario
  std::vector<std::string> old_edges;    ///< the capture's split stands on samples
  Fills fills;
  std::string trouble;
};

struct BuildsRequest {
  std::string reference, candidate;
  std::optional<double> equal_within;
};
struct TypicalRequest {
  std::string reference, candidate, state;
};
struct LifeRequest {
  std::int64_t capture = 0;
  study::LifeQuestion question;
};

}  // namespace kuvio::app
