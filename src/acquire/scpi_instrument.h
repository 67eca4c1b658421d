// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/scpi.h"
#include "acquire/switch_command.h"
#include "core/error.h"

#include <cstdint>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// Samples that an instrument holds ready: their numbers, by its own count.
struct LogWindow {
  std::int64_t oldest = 0, end = 0;
};
/// Reads an answer to the profile's `ready`. `next`: the number of the next sample wanted, which is
/// where those that wait begin. std::invalid_argument says what is wrong with it.
LogWindow parse_log_window(const std::string& answer, LogProfile::Ready means, std::int64_t next);

/// An instrument as its profile speaks to it: the one place that knows which command does what, in
/// which order, and how a refusal is noticed. For one thread.
///
/// Throws Error: unavailable when it does not answer in time or the link is lost, bad_data for an
/// answer that is not what was asked for. A refusal is no exception: it is returned.
class ScpiInstrument {
public:
  /// Why a setting is not as it was asked for.
  struct Refusal {
    Failure
        failure;  ///< usage: the profile cannot or must not; unavailable: the instrument said no
    std::string why;  ///< what the profile allows, or the instrument's own words
  };

  /// Over an open link; says nothing yet. `profile`: how it is spoken to until it is identified.
  ScpiInstrument(std::unique_ptr<Link> link, std::string where, Profile profile = {});

  /// Asks who it is and speaks from now on as the profile says that fits (profile_for).
  void identify(const std::vector<Profile>& given);
  /// Sends what its profile begins with, and asks whether its outputs are joined: from then on the
  /// profile has what it has so.
  void begin();
  /// Its outputs, as last asked for.
  Joining joining() const { return joining_; }
  /// Asks again; whether it has changed, and the profile with it: what was taken from it holds no
  /// more.
  bool rejoin();
  /// Whether its outputs are joined now; as last known where it cannot be asked.
  Joining ask_joining();
  /// Goes on over another link. Error (bad_data) when another instrument answers there.
  void resume(std::unique_ptr<Link> link);

  const std::string& identity() const { return identity_; }  ///< printable
  const Profile& profile() const { return profile_; }
  Scpi& conversation() { return scpi_; }
  /// From now on waits end once `stop` is requested.
  void set_stop(const std::stop_token& stop);
  /// How long an answer may take from now on; the profile's time at most.
  void limit_patience(std::chrono::milliseconds most);
  /// Called with what came without having been asked for.
  void on_unasked(std::function<void(const std::string&)> call);
  /// What is said on its wire is kept there, over every link.
  void keep_talk(std::shared_ptr<TalkLog> talk);

  // settings
  std::optional<Refusal> set(const Setting& setting, double value);
  std::optional<Refusal> set_cut_off(const OutputProfile& output, bool cut_off);
  /// Nothing where the profile has no query for it.
  std::optional<double> get(const Setting& setting, Dimension dimension);
  bool cuts_off(const OutputProfile& output);
  void set_range(const ChannelProfile& channel, const Range* range);  ///< null: by itself

  // outputs and lines
  /// The outputs that a command means: the one of its name; "" is the first one, and of a plain
  /// *off* all there are. None for lines.
  std::vector<const OutputProfile*> meant_by(const SwitchCommand& what) const;
  const LineProfile* line_named(const std::string& name) const;
  /// Sends what switches all that is meant, and waits for nothing; false when nothing is meant.
  bool send(const SwitchCommand& what);
  void send(const OutputProfile& output, bool on);
  /// Nothing where the profile cannot ask.
  std::optional<bool> is_on(const OutputProfile& output);
  bool is_high(const LineProfile& line);
  bool has_tripped(const OutputProfile& output);  ///< false where the profile cannot ask
  bool is_limited(const OutputProfile& output);

  // samples
  double read(const ChannelProfile& channel);  ///< one reading, in SI
  void start_log();
  void stop_log();
  LogWindow logged(std::int64_t next);
  /// Samples of a channel that it logged, in SI, special values as the core writes them; at most
  /// `count`.
  std::vector<double> fetch(const ChannelProfile& channel, std::int64_t first, std::int64_t count);

  /// Waits until what was sent is done, where the profile can ask.
  void wait_done();
  /// What its error queue held, oldest first; empty where the profile has none.
  std::vector<std::string> errors();

private:
  std::optional<Refusal> refused();
  bool bit_set(const StatusBits& status);
  std::string ask_identity();
  Framing framing() const;

  std::string where_, identity_;
  Profile profile_, apart_;  // as its outputs are; with each by itself
  Joining joining_ = Joining::apart;
  Scpi scpi_;
  std::stop_token stop_;
  std::function<void(const std::string&)> unasked_;
  std::shared_ptr<TalkLog> talk_;
};

}  // namespace kuvio::acquire
