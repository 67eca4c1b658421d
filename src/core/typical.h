// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/measure.h"
#include "core/visit.h"

#include <functional>
#include <string>
#include <vector>

namespace kuvio {

/// One capture's part in a typical visit.
struct TypicalPart {
  const Trace* trace = nullptr;
  const Visits* visits = nullptr;
};

/// What happens in one step of a typical visit, over the visits that last that long. A.
struct TypicalStep {
  double mean = 0, low = 0, high = 0;  ///< mean of the visits, their 10th and 90th percentile
  std::size_t visits = 0;              ///< that last at least to the middle of the step
};

/// The whole visits to a state laid from their start.
struct TypicalVisit {
  std::string state;
  std::size_t visits = 0;          ///< that went into it
  std::size_t whole_visits = 0;    ///< that there are: more than `visits` when some were left out
  double step_s = 0;               ///< width of a step (s)
  double median_s = 0;             ///< median length of a visit (s)
  std::vector<TypicalStep> steps;  ///< as far as a tenth of the visits lasts
};

/// Width of a step (s) that lays the longest tenth of these visits out in `steps`, and no less than
/// a sample. 0 when there is no whole visit to the state.
double typical_step(const std::vector<TypicalPart>& captures, const std::string& state,
                    double sample_s, int steps);

/// Lays the whole visits to `state` from their start in steps of step_s > 0.
///
/// Each visit counts in a step with its mean there (exact integral), and not at all in steps whose
/// middle lies beyond its end. Of more than `at_most` visits that many are taken, evenly spread.
/// `give_up` is asked before each visit; once it says true an empty result is returned.
TypicalVisit typical_visit(const std::vector<TypicalPart>& captures, const std::string& state,
                           double step_s, std::size_t at_most = 200,
                           const std::function<bool()>& give_up = {});

}  // namespace kuvio
