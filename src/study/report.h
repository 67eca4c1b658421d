// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/html_report.h"
#include "formats/project_files.h"

#include "study/comparison.h"
#include "study/pool.h"

#include <memory>

namespace kuvio::study {

struct ReportRequest {
  std::string title;
  std::string reference;                      ///< build to compare with; "": the first
  std::shared_ptr<const Budget> budget;       ///< every build is checked against it
  std::optional<formats::RecipeFile> recipe;  ///< the budget's
  std::optional<DutyPlan> duty;
  std::optional<Battery> battery;  ///< lives by the plan
};

/// What a report of a book says, with the captures that it points into.
struct Report {
  std::vector<Pool> builds;
  formats::ReportContent content;
  std::vector<std::string> left_out;  ///< captures that are not split
};

/// Error bad_data where nothing is split, or a capture is damaged; usage where there is no such
/// reference.
Report report_of(const book::Book& book, ReportRequest request);

}  // namespace kuvio::study
