// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/json_results.h"

#include <string>
#include <vector>

namespace kuvio {
struct Accuracy;
struct Convergence;
struct Latency;
struct LineFit;
struct Transitions;
struct VisitCounts;
struct VisitSurvey;
struct WayComparison;
struct WayDifference;
}  // namespace kuvio

namespace kuvio::formats {

// What a ledger has beside its rows, as JSON; docs/ledger.md fixes the keys.

nlohmann::ordered_json to_json(const VisitSurvey& survey, const std::vector<VisitFigures>& visits);
nlohmann::ordered_json to_json(const Transitions& transitions);
nlohmann::ordered_json to_json(const WayComparison& ways, const std::string& reference);
nlohmann::ordered_json to_json(const Latency& latency);
nlohmann::ordered_json to_json(const Convergence& convergence);
/// Charge per what was counted in these visits of a capture.
nlohmann::ordered_json to_json(const LineFit& line, const VisitCounts& counts,
                               const std::vector<VisitFigures>& visits, const Accuracy& accuracy);

// The same in words.

/// "Hibernate to Locate: 12 of 60 exits, never in 2.3.0 (64 exits)"; "" for what is alike.
std::string way_sentence(const WayDifference& way, const std::string& reference);
/// "mean ± 1 % after 8 cycles", or how well it is known after all of them.
std::string convergence_sentence(const Convergence& convergence);
/// "Uplink entered 59 of 60 times, after 12 ms as a median (11 ms to 40 ms)".
std::string latency_sentence(const std::string& state, const Latency& latency);

}  // namespace kuvio::formats
