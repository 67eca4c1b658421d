// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input_track.h"
#include "acquire/limit_log.h"
#include "acquire/log_track.h"
#include "acquire/recorder.h"
#include "acquire/wait_clock.h"

#include <array>
#include <deque>
#include <limits>
#include <map>
#include <span>

namespace kuvio::acquire {

/// One recording from its set-up to its end; what record() does.
class Recording {
public:
  Recording(book::Book& book, const RecordSettings& settings, const std::stop_token& stop);
  RecordResult run(const std::stop_token& stop,
                   const std::function<void(const RecordProgress&)>& progress);

private:
  static constexpr double kNever = std::numeric_limits<double>::infinity();
  static constexpr auto kFlushEvery = std::chrono::milliseconds(250);
  static constexpr auto kIdle = std::chrono::milliseconds(10);

  InputTrack& axis();
  double slept() const;

  // the capture
  /// A drop becomes a current; of what is a current already it is kept for the burden voltage.
  void take_shunt(book::ChannelInfo& c, double ohms);
  void create();
  void discard();
  void warn(const std::string& text);

  // waiting for what it is armed with
  struct Watched {
    std::size_t track = 0, column = 0, line = 0;
    bool any = false;
  };
  void find_watched(const TriggerWatch& watch, Watched& out);
  /// False when it was asked to stop before anything happened.
  bool wait_armed(const std::stop_token& stop,
                  const std::function<void(const RecordProgress&)>& progress);
  void forget_what_is_long_past();
  /// Shows a watch the samples of a packet of the channel it is for.
  void look_at(TriggerWatch& watch, const Watched& place, const InputTrack& track,
               const Packet& packet);
  bool drain(InputTrack& track);
  static double step_of(const InputTrack& track);
  double own_on_axis(const InputTrack& track, double own_s);
  void begin_at(double axis_own_s);

  // recording
  void loop(const std::stop_token& stop,
            const std::function<void(const RecordProgress&)>& progress);
  bool others_done();
  double calibrated(std::size_t channel, double v) const;
  /// Good samples of a column as they are written: for whoever waits for a level or an edge.
  void watched(InputTrack& track, std::size_t column, std::int64_t tick,
               std::span<const double> values);
  /// Of the first current of the axis: values that stand for their interval, or for the time since
  /// the one before.
  void watch_charge(const InputTrack& track, const Packet& packet);
  void stop_at(double t, const std::string& reason);
  void take_events();
  /// What people must know at once, in words; each kind of trouble once.
  void report_event(const InputEvent& h, double a, double b);
  void follow_new_book();
  void watch_sleep();
  /// Inputs that deliver nothing, or whose own time this computer's contradicts: reported once.
  void watch_progress();
  /// Reports once where what an input says of its rate cannot be. `settled`: nothing more comes.
  void compare_clocks(std::size_t track, bool settled);
  /// Whether the time asked for has passed without the samples of it.
  bool time_is_up();
  /// Reports a link that is lost while it is tried again.
  void watch_links();
  void apply_control();
  void execute(const SwitchCommand& what);
  void send_lines();

  // the disk
  /// What is left is kept for closing the capture properly, and for the write-ahead log.
  bool disk_is_full();
  /// A write failed although there was room a moment ago. What was flushed before is safe.
  void out_of_disk(const Error& why);

  // the end
  void finish(const std::string& reason,
              const std::function<void(const RecordProgress&)>& progress);
  /// A lost link leaves an output as it was; whoever reads this must know.
  std::string what_of_outputs();
  void mark_missing();
  void report_losses();
  /// What people watch is calibrated like what they will read.
  LiveChannel as_meant(LiveChannel c) const;
  void report(const std::function<void(const RecordProgress&)>& progress, bool armed);

  book::Book& book_;
  const RecordSettings& settings_;
  TriggerWatch arm_, until_;
  Watched arm_place_, until_place_;
  std::vector<std::unique_ptr<InputTrack>> tracks_;
  std::unique_ptr<LogTrack> log_;
  std::vector<book::ChannelInfo> channels_;
  Conditions shunts_;
  std::unique_ptr<book::CaptureWriter> writer_;
  double epoch_s_ = 0, until_s_ = kNever, slept_at_start_ = 0, slept_reported_ = 0, charge_ = 0,
         charge_at_ = 0;
  bool powers_on_ = false;
  std::optional<LimitLog> limits_;
  bool time_was_up_ = false;
  std::string stop_reason_, away_;
  std::vector<bool> reported_away_;  // by track
  /// How a track gets on, by this computer's clock.
  struct Progress {
    std::int64_t samples = 0;
    WaitClock silent;
    WaitClock contradicted;
    bool reported_silent = false, reported_clock = false;
    double first_host_s = 0, first_own_s = 0, last_host_s = 0;
  };
  std::vector<Progress> progress_;
  WaitClock begun_;                         // since the axis's first sample
  std::deque<std::array<double, 2>> pace_;  // of the axis, lately: begun_, recorded
  std::deque<ScheduledLine> sends_;
  std::vector<DeviceLine> early_lines_;
  std::vector<book::LogLine> fresh_lines_;
  std::vector<std::string> reported_;
  std::map<std::pair<EventKind, std::string>, int> trouble_;
  std::int64_t texts_ = 0;
  RecordProgress live_;
  RecordResult result_;
};

}  // namespace kuvio::acquire
