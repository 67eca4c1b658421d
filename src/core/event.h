// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <string>
#include <string_view>

namespace kuvio {

/// What can happen during a capture besides samples. To add one: its name here and its line in the
/// table (event.cpp).
enum class EventKind {
  output_on,
  output_off,
  output_found_on,  ///< when the recorder connected
  output_tripped,   ///< switched itself off: over-current
  auxiliary_on,     ///< an output that does not supply the device
  auxiliary_off,
  line_high,  ///< a digital line that the bench drives
  line_low,
  device_reset,
  current_limited,  ///< the output held the current at its limit
  device_reset_loop,
  samples_lost,
  link_lost,
  input_silent,  ///< connected, but no samples came
  input_lost,    ///< it ended the capture
  log_lost,
  machine_slept,
  disk_full,
  mark,          ///< by a person
  armed_start,   ///< the start condition was met
  clock_anchor,  ///< where the device's own clock read 0
  stream_began,  ///< its sender's count at the first sample
  other,         ///< of a later version, or a damaged book
};

/// What a person takes an event for.
enum class EventClass {
  switching,  ///< somebody switched something
  trouble,    ///< figures may suffer
  mark,
  timing,  ///< of interest to programs; not shown among a device's lines
};

struct EventKindInfo {
  EventKind kind;
  std::string_view key;  ///< as a book stores it
  EventClass what;
  std::string_view subject;  ///< what it is of, when nothing is named: "output"
  std::string_view words;    ///< said of the subject: "on"; empty: its text says all
};

std::span<const EventKindInfo> event_kinds();
const EventKindInfo& info(EventKind kind);
/// `other` where no kind has that key.
EventKind event_kind(std::string_view key);

/// Somewhere between two moments (s from the capture's start).
struct Event {
  EventKind kind = EventKind::other;
  double earliest_s = 0, latest_s = 0;
  std::string text;  ///< for people, whole: "output 2 off: it went off by itself"
};

/// When the output that feeds the device was switched: somewhere between earliest and latest (s).
struct OutputSwitch {
  bool on = false;
  double earliest_s = 0, latest_s = 0;
};

/// What an event's text says: `subject` ("output 2"; empty: the kind's own), its kind's words, and
/// why. "output on", "output 2 off: it went off by itself", "no samples come".
std::string event_text(EventKind kind, std::string_view subject, std::string_view why);

}  // namespace kuvio
