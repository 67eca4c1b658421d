// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>

namespace kuvio {
struct Comparison;
struct Ledger;
}  // namespace kuvio
namespace kuvio::book {
struct SplitCapture;
}

namespace kuvio::formats {

/// Pictures of a report as inline SVG, in the paper theme.

/// The current over the whole capture on a logarithmic axis, with the ribbon of states and the fan
/// under it.
std::string trace_svg(const book::SplitCapture& capture, const Ledger& ledger,
                      const std::map<std::string, std::size_t>& fills, const char* ink);
/// The bridge: from the reference's mean current to the candidate's, one step per state.
std::string bridge_svg(const Comparison& comparison,
                       const std::map<std::string, std::size_t>& fills);

}  // namespace kuvio::formats
