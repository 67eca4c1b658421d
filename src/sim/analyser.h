// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/device.h"

#include <cstdint>
#include <deque>
#include <functional>
#include <limits>
#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::sim {

/// Faults the bench plays on request, at a simulated time counted from the start of logging (s).
struct Faults {
  static constexpr double kNever = std::numeric_limits<double>::infinity();
  double hang_up_at = kNever, hang_up_to = kNever;  ///< closes every connection
  double stall_at = kNever;                         ///< no longer answers
  double lost_from = kNever, lost_to = kNever;      ///< memory overran: these samples are gone
  double over_from = kNever, over_to = kNever;      ///< reads over range
  double odd_from = kNever, odd_to = kNever;        ///< reads not-a-number
};
/// "hang-up@30", "stall@30", "lost@30:2", "over-range@30:0.5", "nan@30:0.5" (seconds from the start
/// of logging, and how long). Throws std::invalid_argument.
void add_fault(Faults& faults, const std::string& text);

/// A bench supply that measures what it feeds, with an output for each port of its device and two
/// in all, and logs current and voltage in arrays. It changes range by itself, gives up to 15 V and
/// 2 A, and drives one reset and one wake line at the device's own supply level.
///
/// Speaks SCPI (docs/simulated-bench.md lists its commands). Its error of gain and offset is drawn
/// once from the instrument's seed, within the bound it states: 0.08 % + 40 nA. Its noise is drawn
/// from `seed`, so that one instrument records several devices without repeating itself.
class Analyser {
public:
  Analyser(Device& device, std::uint64_t seed, std::uint64_t instrument_seed, Faults faults);

  /// Answers one program message at bench time now_s; empty when there is nothing to answer.
  std::string command(double now_s, std::string_view message);
  /// Lets time pass: the device goes on, protection acts.
  void advance(double now_s);

  bool stalled(double now_s) const;
  bool hung_up(double now_s) const;
  double log_start_s() const { return log_start_; }
  double log_stop_s() const { return log_stop_; }
  /// The moment beyond which a bench faster than real time waits for whoever is fetching what was
  /// logged, so that a slow computer slows the simulation instead of falling behind it. Infinite
  /// while nobody has fetched.
  double waits_at(double ahead_s) const;
  double gain_error() const { return gain_error_; }
  double offset_error() const { return offset_error_; }
  /// What it says of itself for *IDN?, without serial number.
  void set_model(std::string model) { model_ = std::move(model); }
  /// The voltage at an output's terminals.
  double terminal_volts(int output) const;

private:
  struct Output {
    double volts = 3.6, limit = 0.4;
    bool on = false, protection = true, tripped = false;
    bool held = false;  // latched: the limit was reached since it was last asked
    std::size_t cursor = 0, checked = 0;
    std::vector<std::pair<double, double>> voltages;  // at the terminals, from when on
  };
  std::string one(double now_s, const std::string& header, const std::string& argument);
  std::string one_of_output(double now_s, const std::string& header, const std::string& argument,
                            int output, bool& known);
  enum class Array { current, voltage, digital };
  std::string block(double now_s, const std::string& argument, Array array, int output);
  void error(int code, const std::string& text);
  std::int64_t logged(double now_s) const;
  std::int64_t oldest(double now_s) const;
  double sample(std::int64_t index, int output);
  double voltage_sample(std::int64_t index, int output);
  double digital_sample(std::int64_t index);
  void note_voltage(double now_s, int output);
  double measure_now(double now_s, int output);
  void switch_output(double now_s, int output, bool on);
  void apply_limit(double now_s, int output);
  std::string line(double now_s, Device::Pin which, bool asked, const std::string& argument);
  /// Whether an output feeds the device: the last one of a device with one port does not.
  bool feeds(int output) const { return output < device_.ports(); }
  double drawn(int output, double a, double b);
  /// Joins its two outputs to one, or parts them.
  void join(const std::string& how);

  Device& device_;
  std::uint64_t seed_, instrument_;
  Faults faults_;
  std::string model_ = "Simulated analyser";
  double gain_error_ = 0, offset_error_ = 0;
  double interval_ = 1e-3;
  bool logging_ = false;
  double log_start_ = -1, log_stop_ = -1;
  std::int64_t fetched_ = 0;  ///< samples of this logging handed out so far
  std::deque<std::string> errors_;
  std::string joined_ = "NONE";  // "SER": the first has both's voltage, "PAR": both's current
  std::vector<Output> outputs_;
  bool lines_[2] = {true, false};  // driven: reset, wake
};

/// Noise of sample `index`: the same for the same seed, whoever asks in whatever order.
double gauss(std::uint64_t seed, std::int64_t index);

}  // namespace kuvio::sim
