// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/placed_trigger.h"

#include "acquire/input_track.h"
#include "core/error.h"
#include "core/special_value.h"

namespace kuvio::acquire {
namespace {
constexpr double kWords = 4294967296;  // values of a word of 32 lines
}

void PlacedTrigger::place(const Tracks& tracks, const std::vector<book::ChannelInfo>& channels,
                          bool has_log) {
  const Trigger& t = watch_.trigger();
  if (!watch_.of_level() && !watch_.of_edge()) {
    if (waits_for_line() && !has_log)
      throw Error(Failure::usage, "nothing to wait for", "log: " + t.pattern,
                  "there is no device log");
    return;
  }
  for (const auto& track : tracks) {
    std::size_t at = track->first_channel();
    const auto& columns = track->channels();
    for (std::size_t c = 0; c < columns.size(); ++c) {
      const bool logic = columns[c].quantity == Quantity::logic;
      const std::size_t wide = logic ? columns[c].lines.size() : 1;
      for (std::size_t k = 0; k < wide; ++k, ++at) {
        const bool fits = t.channel.empty() ? columns[c].quantity == Quantity::current
                                            : channels[at].name == t.channel;
        if (!fits || logic != watch_.of_edge()) continue;
        track_ = track.get();
        column_ = c;
        line_ = k;
        calibration_ = channels[at].calibration;
        return;
      }
    }
  }
  throw Error(Failure::usage, "nothing to wait for", t.channel.empty() ? "a current" : t.channel,
              watch_.of_edge() ? "there is no logic line of that name"
                               : "there is no channel of that name");
}

void PlacedTrigger::look(const InputTrack& track, const Packet& packet, const InputTrack& axis) {
  if (&track != track_) return;
  const auto& values = packet.columns[column_];
  for (std::size_t i = 0; i < values.size() && !happened_at(); ++i) {
    if (flag_of_value(values[i])) continue;
    double v = values[i];
    if (watch_.of_edge()) {
      if (!(v >= 0 && v < kWords)) continue;
      v = (static_cast<std::uint32_t>(v) >> line_) & 1U;
    } else {
      v = calibration_.gain * v + calibration_.offset;
    }
    watch_.sample(track.axis_s(axis, track.own_s(packet, i) - track.origin_own_s()), v);
  }
}

}  // namespace kuvio::acquire
