// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/bench_control.h"

#include <QList>
#include <QString>

#include <map>
#include <optional>
#include <string>

namespace kuvio::app {

/// A resistance in the current's path, read over by a channel.
struct Shunt {
  double ohms = 0;
  std::optional<double> rating;  ///< W
  std::string accuracy;          ///< of the current through it, its tolerance included; as written
};

/// A place on the wire: what it is, and what it reads.
struct Station {
  enum class Kind { source, path, device, listener, add };
  Kind kind = Kind::source;
  QString id;  ///< "source:2", "path:I_shunt", "device", "log", "logic", "input:<address>", "add"
  QString title, reading;
  QString warning;  ///< what to see to here; "" when nothing
};

/// The line of one output, from its source to the device.
struct WireLine {
  enum class Drawing {
    unconnected,  ///< nothing was opened yet
    connecting,
    off,
    on,
    unknown,    ///< the output may be on
    silent,     ///< it does not answer: as last known
    elsewhere,  ///< fed by something else: no output of ours
  };
  Drawing drawing = Drawing::unconnected;
  bool was_on = false;  ///< of a silent one, as last known
  QString output;       ///< its name; "" for the only one
  Station source;
  QString switch_text;  ///< "Switch on 3.60 V"; "" where there is none
  QString pencil;       ///< "3.90 V is not set"
  QString state_text;   ///< "may be on", "silent since 14:02:31"
  QList<Station> path;
};

/// What is drawn: lines that join at the device, and what hangs from it and only listens.
struct WirePlan {
  QList<WireLine> lines;
  Station device;
  QList<Station> listeners;

  const Station* find(const QString& id) const;
  /// The same in words, a line for each line of the wire: large text and screen readers.
  QStringList inWords() const;
};

/// What the wire is drawn from.
struct WireFacts {
  const BenchState& state;
  const Wiring& wiring;  ///< as connected, else as it would be
  std::map<std::string, Shunt> shunts;
  QString build, board;
  std::map<std::string, QString> pencils;            ///< by output: what is proposed, not set
  std::map<std::string, acquire::Ceiling> ceilings;  ///< by output
  QStringList logic;                                 ///< names of the lines it samples
  std::optional<double> last_line_ago_s;
  double time_scale = 1;
  bool simulated = false;
  QString silent_since;              ///< time of day
  std::optional<double> peak_limit;  ///< A that a budget allows the device to take
};

WirePlan wire_plan(const WireFacts& facts);

/// Whether it sends lines of numbers that nobody has said the meaning of.
bool asks_for_columns(const acquire::InputState& input);
/// "61.20 µA", or why there is no reading: "over range".
QString reading_text(const acquire::LiveChannel& channel);
/// What a watched channel reads now: while it is recorded, of what the recording reports, and
/// nothing before that.
const acquire::LiveChannel* read_now(const BenchState& state, const acquire::LiveChannel& watched);

/// The channel of a unit's output that reads its current or voltage: the one whose name ends with
/// the output's, else the one at its place among them.
const acquire::LiveChannel* channel_of_output(const BenchState& state, const std::string& output,
                                              Quantity quantity);

}  // namespace kuvio::app
