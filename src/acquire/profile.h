// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// A quantity that can be set, and asked for. In `set`, {} stands for the number, in the
/// instrument's own unit: number = value / factor.
struct Setting {
  std::string set, query;  ///< empty: it cannot be
  double factor = 1;       ///< from the instrument's unit to SI
  std::optional<double> min, max;

  bool can_set() const { return !set.empty(); }
};

/// A bit, or several, of an answered number.
struct StatusBits {
  std::string query;
  unsigned bits = 0;
  bool known() const { return !query.empty(); }
};

/// A range of a channel, and how accurate it is there.
struct Range {
  std::string name;  ///< "10 mA"
  std::string set;
  std::string accuracy;  ///< accuracy statement; "" if not stated
};

/// One output of an instrument.
struct OutputProfile {
  std::string name;  ///< "" for the only one
  /// Feeds something beside the device under test; "the output" never means it.
  bool auxiliary = false;
  std::string on, off, state, clear;
  Setting voltage, current_limit;
  std::string cut_off, hold, cut_off_state;  ///< what it does on over-current
  StatusBits limited, tripped;
};

/// How the outputs of an instrument act.
enum class Joining {
  apart,     ///< each by itself
  series,    ///< as one, their voltages add up
  parallel,  ///< as one, their currents add up
};
/// "in series", "in parallel"; "" apart.
std::string to_string(Joining joining);

/// Outputs that the instrument, or somebody at its front, can join to one. Kuvio asks whether they
/// are, and never joins any.
struct JoinProfile {
  std::string name;                     ///< of the joined output; "1+2"
  std::vector<std::string> outputs;     ///< the first one's commands then speak of the joined one
  std::string query, series, parallel;  ///< the question, and the answers that mean so
  std::vector<std::string> without;     ///< channels that then read nothing of their own
};

/// A digital line that the instrument drives.
struct LineProfile {
  std::string name;
  std::string high, low, query;
};

/// One quantity that an instrument measures.
struct ChannelProfile {
  std::string name = "I";
  Quantity quantity = Quantity::current;
  std::string unit = "A";  ///< unit in SI: A, V; "" for logic lines
  double factor = 1;       ///< from what it answers to SI
  std::string query;       ///< one reading
  std::string array;       ///< what it has logged: {first}, {count}
  std::string accuracy;
  std::vector<Range> ranges;
  std::string range_auto;
  bool instant = false;  ///< its samples are instants, not means over their interval
  int lines = 0;         ///< for logic: how many lines a word has
};

/// How an instrument logs samples by itself.
struct LogProfile {
  enum class Ready {
    window,   ///< "oldest,end": the numbers of the oldest sample kept and of the next
    count,    ///< how many there are since the start; all of them are kept
    waiting,  ///< how many wait to be taken; taking them removes them
  };
  enum class Format { float32_little, float32_big, float64_little, float64_big, text };
  Setting interval;
  bool interval_is_rate = false;  ///< what is set and asked for is a rate (Hz)
  std::vector<std::string> setup;
  std::string start, stop, ready;
  Ready means = Ready::window;
  Format format = Format::float32_little;
  std::int64_t max_count = 32768;  ///< samples a fetch
};

/// How a kind of instrument is spoken to: data, not code (docs/profiles.md).
struct Profile {
  std::string name, match, file;
  std::string terminator = "\n";
  std::string identity = "*IDN?", errors = "SYST:ERR?", done = "*OPC?";
  double timeout_s = 5;
  std::vector<std::string> init;  ///< sent after connecting
  std::vector<OutputProfile> outputs;
  std::optional<JoinProfile> join;
  std::vector<LineProfile> lines;
  Setting line_level;  ///< V that high means, of all lines
  std::vector<ChannelProfile> channels;
  std::optional<LogProfile> log;  ///< nothing: it is asked for one reading after the other
};

/// The profile of an instrument whose outputs are joined: one output in their place, that may be
/// set as far as all of them together, and only the channels that read it.
Profile joined(Profile profile, Joining joining);

/// Reads a profile; Error (bad_data with "file:line", no_input) otherwise.
Profile read_profile(const std::string& file);
Profile parse_profile(const std::string& text, const std::string& file);

/// The profiles that ship with Kuvio; the first is what an unknown instrument is taken for.
const std::vector<Profile>& shipped_profiles();

/// The first of `given`, then of the shipped ones, whose `match` is found in the identity; of the
/// given one alone also without a match. The generic analyser when there is none.
const Profile& profile_for(const std::string& identity, const std::vector<Profile>& given);

/// How an instrument is spoken to before it has said who it is: one given profile decides it, by
/// its terminator and its question.
Profile first_words(const std::vector<Profile>& given);

/// A command with its places filled in: {}, {first}, {count}.
std::string filled(const std::string& command, double value);
std::string filled(const std::string& command, std::int64_t first, std::int64_t count);

}  // namespace kuvio::acquire
