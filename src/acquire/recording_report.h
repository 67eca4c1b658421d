// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/placed_trigger.h"
#include "acquire/recorder.h"

#include <functional>
#include <map>
#include <string>
#include <utility>
#include <vector>

namespace kuvio::acquire {

struct InputEvent;

/// What people are told of a recording while it runs, and of what it ended with.
class RecordingReport {
public:
  using Call = std::function<void(const RecordProgress&)>;

  explicit RecordingReport(Call call = {}) : call_(std::move(call)) {}

  /// Said at once, and among the warnings of the result.
  void warn(const std::string& text);
  /// What people must know at once of an event that lay at [a, b] of the capture (s), in words;
  /// each kind of trouble of each subject once where it may come again and again.
  void event(const InputEvent& what, double a, double b);
  /// A new line of the device, or a text that came among the samples.
  void line(const book::LogLine& line);
  void text(const book::LogLine& text);

  /// Where the capture stands; what is new since the last time is handed over with it.
  struct Standing {
    bool armed = false;
    std::int64_t log_lines = 0;
    std::optional<std::uint64_t> disk_free;
    std::string away;
    double time_scale = 1;
  };
  void send(const Tracks& tracks, const std::vector<book::ChannelInfo>& channels,
            const Standing& standing);
  /// What was said so far is not said again: its result says it.
  void forget_messages() { messages_.clear(); }

  RecordResult result;

private:
  Call call_;
  std::map<std::pair<EventKind, std::string>, int> trouble_;
  std::vector<std::string> messages_;
  std::vector<book::LogLine> lines_;
  std::int64_t texts_ = 0;
};

/// What is watched live, calibrated like what will be read from the capture.
LiveChannel calibrated(LiveChannel live, const book::ChannelInfo& channel);

}  // namespace kuvio::acquire
