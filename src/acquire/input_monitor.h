// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input.h"
#include "acquire/live.h"

#include <deque>

namespace kuvio::acquire {

/// What a watched input does; a snapshot.
struct InputState {
  LinkPhase phase = LinkPhase::connecting;
  std::string address, identity, trouble;
  Endpoint learned;                   ///< the address with what was learned of it
  std::vector<LiveChannel> channels;  ///< figures since the last half second
  double rate_hz = 0;  ///< samples a second, as it says or as they come; 0: not known yet
  std::vector<std::string> heard;     ///< the last lines that came, of one that sends lines
  std::vector<LiveReading> readings;  ///< of its first current and voltage, the last ten seconds
};

/// Watches an input of any kind while nothing is recorded. It switches nothing.
///
/// All talking is done in a thread of its own; `state` may be called from any thread and returns at
/// once, the destructor may wait up to 10 s for an input that does not answer.
class InputMonitor {
public:
  InputMonitor(Endpoint endpoint, InputSettings settings);
  ~InputMonitor() = default;
  InputMonitor(const InputMonitor&) = delete;
  InputMonitor& operator=(const InputMonitor&) = delete;

  InputState state() const;

private:
  void run(const std::stop_token& stop);
  void take(const Packet& packet, const Input& input, double at_s);

  const Endpoint endpoint_;
  const std::shared_ptr<HeardLines> heard_ = std::make_shared<HeardLines>();
  InputSettings settings_;
  mutable std::mutex mutex_;  // guards what follows; held for moments only
  InputState state_;
  struct Mean {
    double sum = 0;
    std::int64_t samples = 0;

    std::optional<double> value() const {
      if (samples == 0) return std::nullopt;
      return sum / static_cast<double>(samples);
    }
  };
  std::deque<std::pair<double, std::int64_t>> came_;  // until when, how many; the last seconds
  std::vector<Mean> means_;                           // of the channels, over the last half second
  std::deque<LiveReading> readings_;
  std::jthread thread_;
};

}  // namespace kuvio::acquire
