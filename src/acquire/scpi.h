// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/link.h"
#include "acquire/profile.h"
#include "core/quantity.h"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// How messages end, and how long an answer may take.
struct Talk {
  std::string terminator = "\n";
  std::chrono::milliseconds patience = std::chrono::seconds(5);
};

/// A conversation in SCPI (IEEE 488.2) over a link. For one thread. What an instrument answers is
/// never trusted: anything that is not what was asked for is an Error (bad_data) that quotes it.
class Scpi {
public:
  Scpi(std::unique_ptr<Link> link, std::string where, Talk talk = {})
      : link_(std::move(link)), where_(std::move(where)), talk_(std::move(talk)) {}

  void set_talk(Talk talk) { talk_ = std::move(talk); }
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
  void fill(const std::string& message);
  std::string take(std::size_t bytes, const std::string& message);
  std::string take_line(const std::string& message, std::size_t longest);
  [[noreturn]] void garbled(const std::string& message, const std::string& why) const;

  std::unique_ptr<Link> link_;
  std::string where_;
  Talk talk_;
  std::string in_;
};

/// The numbers of an answer in text. std::invalid_argument names the cell that is none.
std::vector<double> parse_values(std::string_view text);
/// Decodes a block's data; its size must be a whole number of samples.
std::vector<double> decode_values(std::string_view data, LogProfile::Format format);

}  // namespace kuvio::acquire
