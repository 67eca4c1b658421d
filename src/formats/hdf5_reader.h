// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <string_view>

namespace kuvio::formats {

/// Takes an HDF5 file apart and tells what it holds, in messages: a line of JSON, and after it as
/// many bytes as its "bytes" says (little-endian doubles, or for times ticks as 64-bit integers and
/// then doubles). The messages, in their order:
///
/// - {"capture": {name, build, conditions, channels: [{name, quantity, unit, kind, accuracy, input,
///   float32, tick: [num, den]}], samples}}
/// - {"even": {channel, start, period, count}, "bytes"}, {"timed": {channel, count, end, gap},
///   "bytes"}, {"flag": {channel, flag, from_s, to_s, samples}}
/// - {"log": {time_s, sent, text}}, {"event": {kind, earliest_s, latest_s, text}}
/// - {"end": true} after each capture; at last {"done": captures} or {"failed": {where, why}}
///
/// Never throws.
void read_hdf5(const std::string& file, const std::function<void(std::string_view)>& write);

}  // namespace kuvio::formats
