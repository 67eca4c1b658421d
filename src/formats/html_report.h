// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/budget.h"
#include "core/compare.h"
#include "core/lifetime.h"

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::book {
struct SplitCapture;
}

namespace kuvio::formats {

struct LifeResult {
  std::string build;
  FieldMean mean;
  LifeInterval life;
};

struct ReportContent {
  std::string title;
  std::vector<const book::SplitCapture*> captures;
  std::vector<std::string> state_order;  ///< of the recipe
  std::vector<Comparison> comparisons;
  std::shared_ptr<const Budget> budget;       ///< that `checks` point into
  std::map<std::string, CheckResult> checks;  ///< by build
  std::vector<LifeResult> lives;
  std::string battery;
};

/// One page for people: verdicts first, then comparisons, then each capture with its picture and
/// ledger. Everything is inside the file.
std::string html_report(const ReportContent& content);

}  // namespace kuvio::formats
