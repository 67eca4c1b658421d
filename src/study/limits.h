// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/budget.h"

#include "study/pool.h"

namespace kuvio::study {

/// Limits made from what a capture measured: the mean current of the state it rests in and of those
/// without a whole visit, the charge per visit elsewhere, each with a tenth of room above; by a
/// duty plan on a battery (both or none) two years of life.
Budget limits_from(const Ledger& ledger, std::string name, std::string recipe_file,
                   const std::optional<DutyPlan>& duty, const std::optional<Battery>& battery);

}  // namespace kuvio::study
