// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

namespace kuvio::book {
struct ChannelInfo;
}

namespace kuvio::acquire {

struct RecordSettings;

/// What the settings of a recording say of its channels, by their names: calibration, accuracy,
/// and the shunts that make a current (A) of a drop (V), with the drop's accuracy carried through.
/// An accuracy in another unit than the channel's counts as not stated, and `warn` says so.
/// Throws Error (usage): a shunt is given for a channel that is not there.
void set_up(std::vector<book::ChannelInfo>& channels, const RecordSettings& settings,
            const std::function<void(const std::string&)>& warn);

}  // namespace kuvio::acquire
