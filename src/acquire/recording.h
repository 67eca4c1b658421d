// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/armed_wait.h"
#include "acquire/arrival_watch.h"
#include "acquire/capture_end.h"
#include "acquire/input_track.h"
#include "acquire/limit_log.h"
#include "acquire/log_track.h"
#include "acquire/recorder.h"
#include "acquire/recording_report.h"
#include "acquire/recording_watches.h"

#include <chrono>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// One recording from its set-up to its end; what record() does. Its parts decide, each by itself,
/// what begins and ends a capture and what is worth a word; here they are fed and heard.
class Recording {
public:
  Recording(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
            RecordingReport::Call progress);
  RecordResult run(const std::stop_token& stop);

private:
  InputTrack& axis() { return *tracks_.front(); }

  // set-up
  void open_inputs(const std::stop_token& stop);
  void set_up_channels();
  void create();
  Conditions conditions() const;
  void listen(InputTrack& track);
  void discard();

  // armed
  /// False when it was asked to stop before anything happened.
  bool wait_armed(const std::stop_token& stop);
  void begin_armed();

  // recording
  void loop(const std::stop_token& stop);
  bool turn();
  /// Writes out; why the capture must end here, where it must.
  std::optional<std::string> flush();
  /// Why it ends now; nothing while it goes on. `dead`: why an input ended, asked before the last
  /// turn.
  std::optional<std::string> ended(const std::stop_token& stop,
                                   const std::optional<std::string>& dead);
  std::optional<std::string> dead_input() const;
  bool others_done();
  bool drain(InputTrack& track);
  void watch_charge(const InputTrack& track, const Packet& packet);
  void stop_at(double t, const std::string& reason);
  void take_events();
  void take_events_of(InputTrack& track);
  void follow_new_book();
  void watch_sleep();
  void watch_links();
  void watch_arrivals();
  void report_clock(std::size_t track, const ArrivalWatch::Seen& seen);
  ArrivalWatch::Seen seen(const InputTrack& track) const;
  void apply_control();
  void execute(const SwitchCommand& what);
  void send_progress(bool armed);

  // the end
  void stop_inputs(bool failed);
  void finish(const std::string& reason);
  void finish_log();
  /// A write failed although there was room a moment ago. What was flushed before is safe.
  void out_of_disk(const Error& why);
  std::string what_of_outputs();
  void mark_missing();
  void report_losses();

  /// What ends a capture.
  struct Ending {
    CaptureEnd at;
    PlacedTrigger trigger;
    ChargeEnd charge;
    TimeLimit time;
    bool time_was_up = false;
    std::optional<double> complete_since_s;  ///< host_now_s
  };
  /// What is looked at beside the samples.
  struct Watches {
    std::vector<ArrivalWatch> arrivals;  ///< by track
    LinkWatch links;
    SleepWatch sleep;
    DiskGuard disk;
  };

  book::Book& book_;
  const RecordSettings& settings_;
  Tracks tracks_;  // the first one is the axis
  std::unique_ptr<LogTrack> log_;
  std::vector<book::ChannelInfo> channels_;
  std::unique_ptr<book::CaptureWriter> writer_;
  ArmedWait arm_;
  Ending end_;
  Watches watches_;
  std::optional<LimitLog> limits_;
  RecordingReport report_;
};

}  // namespace kuvio::acquire
