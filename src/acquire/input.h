// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/endpoint.h"
#include "acquire/host_clock.h"
#include "acquire/input_settings.h"
#include "acquire/link.h"
#include "acquire/ring.h"
#include "acquire/switch_command.h"
#include "book/book.h"
#include "core/clock_map.h"
#include "core/error.h"
#include "core/event.h"

#include <atomic>
#include <chrono>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

namespace kuvio::acquire {

/// What an input delivers in one column of its packets.
struct InputChannel {
  std::string name = "I";
  Quantity quantity = Quantity::current;
  std::string unit = "A";  ///< of a word of logic lines: "logic", ""
  SampleKind kind = SampleKind::averaged;
  book::Encoding encoding = book::Encoding::f4;
  std::string accuracy;
  std::optional<book::Lattice> lattice;  ///< what its values are made of, where it is known
  std::vector<std::string> lines;        ///< for logic: the names of the word's bits, from 0 up
};

/// Something an input has to report of a stretch of its own time (s).
struct InputEvent {
  EventKind kind = EventKind::other;
  double earliest_s = 0, latest_s = 0;
  std::string subject;  ///< what it happened to: "output 2", "line wake"; "": the only one
  std::string why;      ///< for people; may be empty
};

/// A text that came among the samples, at the input's own time (s).
struct InputText {
  double at_s = 0;
  std::string text;
};

/// Whatever delivers samples. Its thread talks to the equipment and hands packets to the recorder
/// through a ring; nothing else of it blocks.
///
/// Its times are its own, from its sample 0 (evenly spaced samples count it; others carry it).
/// How that clock lies on this computer's, its sync points show.
class Input {
public:
  virtual ~Input();
  Input(const Input&) = delete;
  Input& operator=(const Input&) = delete;

  const Endpoint& endpoint() const { return endpoint_; }
  /// The same with what was learned of it that may not be said again, such as a header line.
  virtual Endpoint learned() const { return endpoint_; }
  const std::string& identity() const { return identity_; }
  const std::vector<InputChannel>& channels() const { return channels_; }
  /// Time between samples (s), as exact as it is known; 0 when each has a time of its own.
  double interval_s() const { return interval_s_; }
  /// The same as a fraction, where the equipment gives it so.
  const std::optional<TimeBase>& exact_interval() const { return exact_interval_; }
  /// What is known of how it is set up, to be kept as conditions.
  const Conditions& conditions() const { return conditions_; }
  /// The current limit of its first output (A), where it gives it.
  std::optional<double> current_limit() const { return current_limit_; }
  /// Outputs that were on when Kuvio connected.
  const std::vector<std::string>& on_at_connect() const { return on_at_connect_; }
  bool has_outputs() const { return !outputs_on_.empty(); }
  /// Why it is out of reach right now, while its link is tried again; nothing else.
  std::optional<std::string> away() const;

  /// Begins to deliver. Error when the equipment refuses.
  void start();
  /// Asks the thread to switch an output or line, or to reset the device; what became of it is
  /// among the events or the notes.
  void request(const SwitchCommand& what);
  /// Outputs that are on, as far as is known.
  bool output_on() const;
  std::vector<std::pair<std::string, bool>> outputs() const;
  /// Digital lines that it drives, and whether each is high, as far as is known.
  std::vector<std::pair<std::string, bool>> lines() const;
  /// Whether there is what a request speaks of.
  bool can(const SwitchCommand& what) const;
  /// Ends it as set (outputs off when so asked) and waits for the thread.
  void stop();
  /// `badly`: the capture ended in a way nobody wanted.
  void set_failed(bool badly) { failed_ = badly; }

  SampleRing& ring() { return ring_; }
  /// True once the thread has ended; `failure` then says why, or nothing when it was asked to.
  bool ended() const { return ended_.load(std::memory_order_acquire); }
  std::optional<std::string> failure() const;
  std::vector<std::string> take_notes();
  std::vector<InputEvent> take_events();
  std::vector<InputText> take_texts();
  /// Sync points since the last call: own time against this computer's (host_clock.h).
  std::vector<SyncPoint> take_sync_points();

protected:
  Input(Endpoint endpoint, std::size_t ring_samples);
  /// Derived classes call it in their destructors: the thread uses their members.
  void join();

  virtual void begin() {}                             ///< in the caller's thread; may throw
  virtual void run(const std::stop_token& stop) = 0;  ///< until stop; Error when it is lost
  virtual void end() {}  ///< in its thread, once asked to stop; may throw

  /// Whether `start` has been called.
  bool running() const { return running_.load(std::memory_order_acquire); }
  /// Hands samples on; false when there was no room.
  bool deliver(Packet packet);
  /// Tries a lost link again for `patience_s`; says how long it was away, from own time `own_s`
  /// on. Throws `why` when it stays lost; null when asked to stop.
  std::unique_ptr<Link> reopened(const std::stop_token& stop, const Error& why, double patience_s,
                                 double own_s);
  void note(std::string text);
  void post_event(InputEvent what);
  void post_text(InputText what);
  void sync(SyncPoint point);
  /// Requests since the last call, in order.
  std::vector<SwitchCommand> take_requests();
  void set_output(const std::string& output, bool on);
  void set_line(const std::string& line, bool high);
  void set_away(std::optional<std::string> why);

  Endpoint endpoint_;
  std::string identity_;
  std::vector<InputChannel> channels_;
  double interval_s_ = 0;
  std::optional<TimeBase> exact_interval_;
  Conditions conditions_;
  std::vector<std::string> on_at_connect_;
  std::optional<double> current_limit_;
  std::atomic<bool> failed_{false};

private:
  SampleRing ring_;
  std::atomic<bool> ended_{false}, running_{false};
  mutable std::mutex mutex_;  // guards what follows; held for moments only
  std::map<std::string, bool> outputs_on_, lines_high_;
  std::vector<SwitchCommand> requests_;
  std::vector<std::string> notes_;
  std::vector<InputEvent> events_;
  std::vector<InputText> texts_;
  std::vector<SyncPoint> sync_points_;
  std::optional<std::string> failure_, away_;
  std::jthread thread_;
};

/// Opens an input of whatever kind; Error when it cannot be reached, refuses, or is a log.
std::unique_ptr<Input> open_input(const Endpoint& endpoint, const InputSettings& settings);

}  // namespace kuvio::acquire
