// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input_settings.h"
#include "acquire/live.h"
#include "acquire/record_control.h"
#include "acquire/trigger.h"
#include "book/book.h"
#include "book/disk.h"

#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::acquire {

struct RecordSettings {
  std::string name, build;
  std::vector<InputConfig> inputs;  ///< the first one's clock is the capture's
  std::optional<Endpoint> log;
  double seconds = 0;     ///< of the capture's own time; 0: until stopped
  double time_scale = 1;  ///< capture seconds per real second (a simulated bench may run faster)
  std::string accuracy;   ///< of the first current of every input, as written; "" as they say
  std::map<std::string, book::Calibration> calibration;  ///< by channel
  std::map<std::string, std::string> accuracies;         ///< by channel, before all others
  /// Shunts (Ohm), by channel: a channel that delivers the drop over one becomes the current
  /// through it.
  std::map<std::string, double> shunts;
  std::vector<ScheduledLine> sends;
  std::optional<SwitchCommand> reset;  ///< of the device, as soon as it is recorded
  Conditions conditions;
  Trigger arm;              ///< the capture begins when this happens …
  double before_s = 0;      ///< … with so much of what was before
  Trigger until;            ///< and ends when this happens,
  double until_charge = 0;  ///< or once so much charge has flown (C); 0: however much
  std::uint64_t keep_free = std::uint64_t{512} << 20;  ///< bytes to leave on the disk, or a tenth
  RecordControl* control = nullptr;                    ///< must outlive the recording
  // The machine's own where they are empty:
  std::function<double()> slept;                    ///< how long the machine has slept (s)
  std::function<std::optional<book::Disk>()> disk;  ///< where the book is
};

/// How far a recording is, reported four times a second.
struct RecordProgress {
  bool armed = false;  ///< waiting for what it was armed with
  double recorded_s = 0;
  std::int64_t samples = 0, log_lines = 0;
  std::vector<LiveChannel> channels;  ///< of all inputs
  bool output_on = false;
  std::vector<std::pair<std::string, bool>> outputs;  ///< of all inputs: names, and whether on
  std::vector<std::pair<std::string, bool>> driven;   ///< likewise, digital lines: whether high
  std::int64_t capture = 0;
  std::optional<std::uint64_t> disk_free;  ///< bytes where the book is
  std::string away;                        ///< why an input is out of reach; it is tried again
  double bytes_per_s = 0;                  ///< that the recording takes of it
  std::vector<book::LogLine> lines;        ///< new in the device log
  std::vector<std::string> messages;       ///< what went wrong since the last time
};

struct RecordResult {
  std::int64_t capture = 0;
  std::string book;          ///< path of the book it ended in, where that is another; else empty
  bool interrupted = false;  ///< an input died before the end, or the disk filled up
  bool disk_full = false;
  std::string end_reason;
  std::vector<std::string> warnings;
};

/// Records one capture into a book: samples of all inputs, the device's log, what happened to the
/// outputs, all on the first input's clock, flushed four times a second.
///
/// Runs in the calling thread until what it is to wait for has come, `stop` is requested, an input
/// is lost or the disk is nearly full; what was recorded until then is in the book in every case.
/// Throws Error when the inputs cannot be set up (then nothing was written) or the book cannot be
/// written any further.
RecordResult record(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
                    const std::function<void(const RecordProgress&)>& progress = {});

}  // namespace kuvio::acquire
