// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "book/verify.h"
#include "core/budget.h"
#include "core/compare.h"

#include <nlohmann/json.hpp>

namespace kuvio::formats {

// Results as JSON documents; docs and cli.md fix the keys. SI units, named by the key's suffix; a
// number that cannot be known is null.

nlohmann::ordered_json to_json(const book::CaptureInfo& capture);
nlohmann::ordered_json to_json(const SpanFigures& span, const book::ChannelInfo& channel,
                               const Basis& basis);
nlohmann::ordered_json to_json(const std::string& recipe, const std::vector<VisitFigures>& visits);
nlohmann::ordered_json to_json(const std::string& capture, const Ledger& ledger,
                               const Cycles& cycles);
nlohmann::ordered_json to_json(const Comparison& comparison);
nlohmann::ordered_json to_json(const Budget& budget, const std::string& build,
                               const CheckResult& result);
nlohmann::ordered_json to_json(const std::vector<book::Problem>& problems);

}  // namespace kuvio::formats
