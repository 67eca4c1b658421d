// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input.h"
#include "acquire/scpi_instrument.h"

namespace kuvio::acquire {

/// A supply, meter or analyser spoken to in SCPI as its profile says: one that logs samples by
/// itself, or one that is asked for one reading after the other (these carry this computer's time).
class ScpiInput : public Input {
public:
  /// Connects, identifies and sets up; switches nothing on. Error when it cannot be reached or
  /// refuses. `open`: the way to it, where it is not the endpoint's own.
  ScpiInput(const Endpoint& endpoint, const InputSettings& settings, LinkOpener open = {});
  ~ScpiInput() override { join(); }

  const Profile& profile() const { return instrument_.profile(); }

protected:
  void begin() override;
  void run(const std::stop_token& stop) override;
  void end() override;

private:
  static constexpr double kStatusEvery = 0.1, kJoiningEvery = 1;  // s
  static std::string named(const OutputProfile& output);          ///< for people
  void name_first_output();
  void find_outputs();
  void set_up_output(const OutputProfile& output);
  void set_up_outputs();
  void set_up_lines();
  const ChannelProfile& channel_named(const std::string& name) const;
  const ChannelProfile& logic_word() const;
  const Range* range_of(const ChannelProfile& channel) const;
  void choose_channels();
  void set_up_channel(const ChannelProfile& channel);
  void set_up_log();
  void apply(const std::optional<ScpiInstrument::Refusal>& refusal, const std::string& what) const;
  void refuse_on_error(const std::string& doing);
  /// Ends what is being set up where there is a reason: a value above its ceiling.
  void refuse_above(const std::string& why);
  void power_on();
  void power_on_waiting();
  void forget_waiting(const std::string& why);
  LogWindow ready();
  LogWindow ask_ready();
  void go_on_counting(LogWindow& ready, double now_s);
  std::vector<std::vector<double>> fetch(std::int64_t first, std::int64_t count);
  void fetch_logged(const std::stop_token& stop);
  void poll_once();
  void look_at_status();
  void look_at_joining();
  void report_limited(const std::string& output, double from_s, double to_s);
  void switch_output(const OutputProfile& output, bool on);
  bool switch_line(const std::string& name, bool high);
  void begin_reset(const SwitchCommand& reset);
  void end_resets();
  void apply_requests();
  void reconnect(const std::stop_token& stop, const Error& why);
  double own_now();
  const OutputSettings* settings_of(const OutputProfile& output) const;

  InputSettings settings_;
  LinkOpener open_;
  ScpiInstrument instrument_;
  std::vector<const ChannelProfile*> chosen_;
  std::int64_t next_ = 0, fetched_ = 0;
  double started_s_ = 0;  // host time of the first sample, for one that is polled
  struct Watched {
    bool on = false, limited = false, tripped = false;
    double since_s = 0;
  };
  std::map<std::string, Watched> watched_;
  double status_due_s_ = 0, joining_due_s_ = 0;
  Joining joining_ = Joining::apart;
  struct Waiting {  // to be switched on
    const OutputProfile* output = nullptr;
    double due_s = 0;  // own time
  };
  std::vector<Waiting> waiting_;
  struct Held {  // in reset
    SwitchCommand reset;
    double from_s = 0;   // own time
    double until_s = 0;  // this computer's
  };
  std::vector<Held> held_;
  std::int64_t shift_ = 0;  // own count = its count + shift
  double next_at_s_ = 0;    // when it last gave samples
  std::int64_t unasked_ = 0;
  int misread_ = 0;
  std::int64_t seen_count_ = -1;  // by its last answers, and since when
  double seen_at_s_ = 0;
  bool impatient_ = false;  // asked to stop while it owed an answer
  bool resumed_ = false, restarted_ = false;
};

}  // namespace kuvio::acquire
