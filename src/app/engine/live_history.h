// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/live.h"

#include <deque>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace kuvio::app {

/// What the bench's channels read, kept for looking back, watched and recorded alike: on one axis
/// of the device's own time (s), which goes on when a recording begins or ends.
class LiveHistory {
public:
  /// A moment: a reading while it is watched; of a recording, what came since the report before.
  struct Point {
    double at_s = 0;
    double mean = 0, min = 0, max = 0;
    bool begins = false;  ///< nothing is known of the time between the point before and this one
  };
  struct Channel {
    std::string name, unit;
    Quantity quantity = Quantity::other;
    std::deque<Point> points;
    double sum = 0, observed_s = 0;  ///< of the recording, as last reported
  };
  struct Figures {
    double min = 0, mean = 0, max = 0;  ///< mean: of the points, each for the time it stands for
  };

  /// How much is kept (device seconds).
  void keep(double seconds) { kept_s_ = seconds; }
  void add(const acquire::LiveChannel& channel, double at_s);
  /// The same of a recording: `sum` and `observed_s` say the mean since the last report.
  void addRecorded(const acquire::LiveChannel& channel, double at_s);
  /// From now on something else is read, or after a time in which nothing was.
  void breakOff();
  /// Forgets all channels but those of these names.
  void keepOnly(const std::set<std::string>& names);
  void clear();

  const std::vector<Channel>& channels() const { return channels_; }
  const Channel* find(const std::string& name) const;
  /// Of what lies within [from, to]; nothing where no point does.
  std::optional<Figures> between(const std::string& name, double from_s, double to_s) const;
  double now_s() const { return now_s_; }

private:
  Channel& channelOf(const acquire::LiveChannel& channel);
  void append(Channel& to, Point point);
  static constexpr std::size_t kMost = 20'000;  // points a channel
  std::vector<Channel> channels_;
  double kept_s_ = 600, now_s_ = 0;
};

}  // namespace kuvio::app
