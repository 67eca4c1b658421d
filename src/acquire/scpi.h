// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/link.h"
#include "acquire/profile.h"
#include "acquire/talk_log.h"
#include "acquire/wait_clock.h"
#include "core/quantity.h"

#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// How messages end, and how long an answer may take: as a whole, and a second more for each kB of
/// it.
struct Framing {
  std::string terminator = "\n";
  std::chrono::milliseconds timeout = std::chrono::seconds(5);
};

/// A conversation in SCPI (IEEE 488.2) over a link. For one thread. What an instrument answers is
/// never trusted: anything that is not what was asked for is an Error (bad_data) that quotes it.
class Scpi {
public:
  Scpi(std::unique_ptr<Link> link, std::string where, Framing framing = {})
      : link_(std::move(link)), where_(std::move(where)), framing_(std::move(framing)) {}

  void set_framing(Framing framing) { framing_ = std::move(framing); }
  /// From now on a wait for an answer ends, with Error (unavailable), once `stop` is requested.
  void set_stop(std::stop_token stop) { stop_ = std::move(stop); }
  /// What is said from now on, and answered, is kept there too.
  void set_talk(std::shared_ptr<TalkLog> talk) { talk_ = std::move(talk); }
  /// Called with what came without having been asked for: it is thrown away before the next query,
  /// so that it answers none.
  std::function<void(const std::string&)> unasked;
  /// Sends a program message that has no answer.
  void send(const std::string& message);
  /// Sends a query and returns its answer without the terminator. Error (unavailable) when none
  /// comes in time or the link is lost.
  std::string query(const std::string& message);
  /// Whether the answer is 1, +1 or ON.
  bool query_on(const std::string& message);
  /// A number; one that carries a unit of `dimension` ("1.5 mA") is brought to SI, a bare one is
  /// multiplied by `factor`.
  double query_number(const std::string& message, std::optional<Dimension> dimension = std::nullopt,
                      double factor = 1);
  /// An array of samples: a definite-length block (#<digits><length><data>) or text, numbers
  /// between commas, semicolons or spaces.
  std::vector<double> query_values(const std::string& message, LogProfile::Format format);
  /// Reads the error queue until it is empty (an answer that begins with 0); what stood in it,
  /// oldest first.
  std::vector<std::string> errors(const std::string& ask = "SYST:ERR?");

private:
  void ask(const std::string& message);
  void throw_away_unasked();
  void fill(const std::string& message);
  std::string take(std::size_t bytes, const std::string& message);
  std::string block_head(const std::string& message);
  std::string take_line(const std::string& message, std::size_t longest);
  [[noreturn]] void garbled(const std::string& message, const std::string& why) const;

  std::unique_ptr<Link> link_;
  std::string where_;
  Framing framing_;
  std::string in_;
  std::stop_token stop_;
  std::shared_ptr<TalkLog> talk_;
  WaitClock patience_;    // for the answer to the last query
  std::size_t came_ = 0;  // bytes of it
};

/// The numbers of an answer in text. std::invalid_argument names the cell that is none.
std::vector<double> parse_values(std::string_view text);
/// Decodes a block's data; its size must be a whole number of samples.
std::vector<double> decode_values(std::string_view data, LogProfile::Format format);

}  // namespace kuvio::acquire
