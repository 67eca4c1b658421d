// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/analyser_input.h"
#include "acquire/log_input.h"
#include "book/capture_writer.h"

#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// A line to be sent to the device once the capture has got so far.
struct ScheduledLine {
  double at_s = 0;
  std::string text;
};

/// What may be asked of a running recording from another thread.
class RecordControl {
public:
  /// A line to be sent to the device as soon as can be.
  void send(const std::string& line);
  void switch_output(bool on);

  std::vector<std::string> take_lines();
  std::optional<bool> take_output();

private:
  std::mutex mutex_;  // held for moments only
  std::vector<std::string> lines_;
  std::optional<bool> output_;
};

struct RecordSettings {
  std::string name, build;
  Endpoint analyser;
  std::optional<Endpoint> log;
  AnalyserSettings setup;
  double seconds = 0;     ///< of the capture's own time; 0: until stopped
  double time_scale = 1;  ///< capture seconds per real second (a simulated bench may run faster)
  std::string accuracy;   ///< of the current, as written; "" when not known
  std::vector<ScheduledLine> sends;
  Conditions conditions;
  RecordControl* control = nullptr;  ///< must outlive the recording
};

/// How far a recording is, told four times a second.
struct RecordProgress {
  double recorded_s = 0;
  std::int64_t samples = 0, log_lines = 0;
  double charge = 0, observed_s = 0;  ///< so far (C, s): differences give means over any window
  double least = 0, most = 0;         ///< of the current since the last time it was told (A)
  std::optional<double> voltage;      ///< as last sampled (V)
  bool output_on = false;
  std::int64_t capture = 0;
  std::vector<book::LogLine> lines;  ///< new in the device log
};

struct RecordResult {
  std::int64_t capture = 0;
  bool interrupted = false;  ///< an input died before the end
  std::string end_reason;
  std::vector<std::string> warnings;
};

/// Records one capture into a book: samples from the analyser's ring, the device's log, what
/// happened to the output, all on the analyser's clock, flushed four times a second.
///
/// Runs in the calling thread until `seconds` are recorded, `stop` is requested or the analyser is
/// lost; what was recorded until then is in the book in every case. Throws Error when the inputs
/// cannot be set up (then nothing was written) or the book cannot be written any further.
RecordResult record(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
                    const std::function<void(const RecordProgress&)>& progress = {});

/// Exact time base and period for a logging interval: 1/rate where the rate is whole, else
/// nanoseconds.
std::pair<TimeBase, std::int64_t> time_base_for(double interval_s);

}  // namespace kuvio::acquire
