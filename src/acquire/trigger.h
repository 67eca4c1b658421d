// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/settling.h"

#include <memory>
#include <optional>
#include <string>

namespace re2 {
class RE2;
}

namespace kuvio::acquire {

/// Something that can be waited for: a level passed, a level that has settled, an edge of a logic
/// line, a line of the device.
struct Trigger {
  enum class Kind { none, above, below, steady, rising, falling, log_line };
  Kind kind = Kind::none;
  std::string channel;  ///< "" for a level: the first current
  double level = 0;     ///< in the channel's unit; of steady: how far it may still move
  double relative = 0;  ///< of steady: the same as a part of the mean
  std::string unit = "A";
  double for_s = 0;     ///< how long the level must hold
  std::string pattern;  ///< regular expression, searched for

  bool wanted() const { return kind != Kind::none; }
};
/// "I above 5 mA", "I below 10 uA for 2 s", "I steady within 5 % for 2 s", "radio_on rising", "log:
/// ^boot". Throws std::invalid_argument that says how it is written.
Trigger parse_trigger(const std::string& text);
/// The same as text, as it is parsed; "" for none.
std::string to_string(const Trigger& trigger);

/// Watches for a trigger as samples and lines go by; times are those of whoever feeds it.
class TriggerWatch {
public:
  /// Throws Error (usage) when the pattern is none.
  explicit TriggerWatch(const Trigger& trigger);

  bool wanted() const { return trigger_.wanted(); }
  const Trigger& trigger() const { return trigger_; }
  bool of_level() const {
    return trigger_.kind == Trigger::Kind::above || trigger_.kind == Trigger::Kind::below ||
           trigger_.kind == Trigger::Kind::steady;
  }
  bool of_edge() const {
    return trigger_.kind == Trigger::Kind::rising || trigger_.kind == Trigger::Kind::falling;
  }
  /// A sample at t; true once it has happened.
  bool sample(double t, double value);
  bool line(double t, const std::string& text);
  /// It is taken to have happened at t.
  void force(double t) { at_ = t; }
  std::optional<double> happened_at() const { return at_; }

private:
  Trigger trigger_;
  std::shared_ptr<const re2::RE2> pattern_;
  std::optional<SteadyWatch> steady_;
  std::optional<double> since_, at_;
  std::optional<bool> before_;
};

}  // namespace kuvio::acquire
