// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/device_log.h"
#include "acquire/link.h"
#include "acquire/live.h"
#include "acquire/profile.h"
#include "acquire/switch_command.h"
#include "acquire/talk_log.h"

#include <deque>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

namespace kuvio::acquire {

/// What an output is set to.
struct OutputState {
  std::string name;  ///< "" for the only one
  bool auxiliary = false;
  double voltage = 0, current_limit = 0;
  bool cut_off = true;  ///< on over-current: switches off; else holds the current
};

/// What a monitor knows; a snapshot.
struct OutputMonitorState {
  int refusals = 0;  ///< settings that the instrument has refused so far; `set` is what holds
  LinkPhase phase = LinkPhase::connecting;
  std::string trouble;  ///< why it is lost, or the device log is
  std::string identity, profile;
  bool has_output = true;
  std::string joined;      ///< the name of outputs that are joined to one; "" when none are
  std::string joined_how;  ///< "in series"
  std::vector<std::pair<std::string, bool>> outputs;  ///< names, and whether each is on
  std::vector<std::pair<std::string, bool>> lines;    ///< digital lines it drives: whether high
  std::vector<std::string> currents, voltages;        ///< channels that the profile knows
  std::vector<std::string> ranges;                    ///< of the first current, by name
  std::vector<OutputState> set;                       ///< the first is "the output"
  bool output_on = false, on_at_connect = false;
  std::vector<LiveReading> readings;  ///< of the last ten seconds, oldest first
  /// Every current and voltage it knows, with its last reading; the first of each is read every
  /// turn, the others one a turn.
  std::vector<LiveChannel> channels;
  double silent_s = 0;  ///< since its last answer
};

class ScpiInstrument;

/// Watches one output and the device's log while nothing is recorded: reads current and voltage
/// ten times a second, sets what it is asked to. It never switches the output on by itself.
///
/// All talking is done in threads of its own; every member may be called from any thread and
/// returns at once, but the destructor, which may wait up to 5 s for a link that has stalled.
class OutputMonitor {
public:
  /// `open`: the way to the instrument, where it is not the endpoint's own. `talk`: keeps what is
  /// said on its wire.
  explicit OutputMonitor(Endpoint output, std::optional<Endpoint> log = {},
                         std::vector<Profile> profiles = {}, LinkOpener open = {},
                         std::shared_ptr<TalkLog> talk = {});
  ~OutputMonitor();
  OutputMonitor(const OutputMonitor&) = delete;
  OutputMonitor& operator=(const OutputMonitor&) = delete;

  /// Of the output of that name; "": the first one.
  void set_voltage(double volts, const std::string& output = "");
  void set_current_limit(double amperes, const std::string& output = "");
  void set_cut_off(bool cut_off, const std::string& output = "");
  void execute(const SwitchCommand& what);
  void send(const std::string& line);

  OutputMonitorState state() const;
  /// Lines of the device since the last call, sent ones included.
  std::vector<DeviceLine> take_lines();
  /// What the instrument's error queue held since the last call, newest last.
  std::vector<std::string> take_errors();

private:
  void run(const std::stop_token& stop);
  void watch_log(const std::stop_token& stop);
  struct Order {
    enum class What { voltage, limit, cut_off, switching } what;
    double value = 0;
    std::string output = {};
    SwitchCommand switching = {};
  };
  void order(Order order);
  void connected(ScpiInstrument& instrument);
  void read_settings(ScpiInstrument& instrument);
  void read_once(ScpiInstrument& instrument);
  /// The next of the channels that are not read every turn, where there is one.
  std::optional<LiveChannel> read_next(ScpiInstrument& instrument);
  void keep(const LiveChannel& channel);  // with the lock held
  /// Carries them out in order; what stands behind a refused setting and would switch an output on
  /// is left out, since it was meant with that setting. How many were refused.
  int carry_out_all(ScpiInstrument& instrument, const std::vector<Order>& orders,
                    const std::stop_token& stop);
  /// What is wrong with a setting, in words; "" when it holds.
  static std::string set(ScpiInstrument& instrument, const Order& order);
  void reset(ScpiInstrument& instrument, const SwitchCommand& what, const std::stop_token& stop);
  void report(std::string error);
  std::chrono::steady_clock::time_point begun_;

  const Endpoint output_;
  const std::optional<Endpoint> log_;
  mutable std::mutex mutex_;  // guards what follows; held for moments only
  OutputMonitorState state_;
  std::deque<LiveReading> readings_;
  const std::vector<Profile> profiles_;
  const LinkOpener open_;
  std::vector<Order> orders_;
  const std::shared_ptr<TalkLog> talk_;
  std::size_t next_ = 0;  // of the channels, for its own thread
  std::vector<std::string> lines_to_send_, errors_;
  std::vector<DeviceLine> lines_;
  std::chrono::steady_clock::time_point answered_ = std::chrono::steady_clock::now();
  std::jthread log_thread_, thread_;
};

}  // namespace kuvio::acquire
