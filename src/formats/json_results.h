// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include <map>

namespace kuvio {
struct Basis;
struct Budget;
struct ChargeFlow;
struct CheckResult;
struct Comparison;
struct CycleFigures;
struct SpanFigures;
struct VisitFigures;
struct Ledger;
}  // namespace kuvio
namespace kuvio::book {
struct CaptureInfo;
struct ChannelInfo;
struct Problem;
}  // namespace kuvio::book

namespace kuvio::formats {

struct LifeDocument;

// Results as JSON documents; docs and cli.md fix the keys. SI units, named by the key's suffix; a
// number that cannot be known is null.

nlohmann::ordered_json to_json(const book::CaptureInfo& capture);
/// Whether the uncertainty budget of each result goes with it: `"budget": {"KEY": [{"component",
/// "u", "freedom", "share"}]}` beside the KEY it explains; freedom null: infinitely many.
enum class Explain { no, yes };

nlohmann::ordered_json to_json(const SpanFigures& span, const book::ChannelInfo& channel,
                               const Basis& basis, const ChargeFlow& flow,
                               Explain explain = Explain::no);
nlohmann::ordered_json to_json(const std::string& recipe, const std::vector<VisitFigures>& visits);
nlohmann::ordered_json to_json(const std::string& capture, const Ledger& ledger,
                               const CycleFigures& cycles,
                               const std::map<std::string, ChargeFlow>& flows,
                               Explain explain = Explain::no);
nlohmann::ordered_json to_json(const Comparison& comparison, Explain explain = Explain::no);
nlohmann::ordered_json to_json(const Budget& budget, const std::string& build,
                               const CheckResult& result, Explain explain = Explain::no);
nlohmann::ordered_json to_json(const std::vector<book::Problem>& problems);

nlohmann::ordered_json to_json(const LifeDocument& life, Explain explain = Explain::no);

}  // namespace kuvio::formats
