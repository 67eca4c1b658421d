// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/link.h"

#include <memory>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// A conversation in SCPI (IEEE 488.2) over a link. For one thread.
class Scpi {
public:
  Scpi(std::unique_ptr<Link> link, std::string where)
      : link_(std::move(link)), where_(std::move(where)) {}

  /// Sends a program message that has no answer.
  void send(const std::string& message);
  /// Sends a query and returns its answer without the terminator. Error (unavailable) when none
  /// comes within 5 s or the link is lost.
  std::string query(const std::string& message);
  /// Whether the answer is 1, +1 or ON.
  bool query_on(const std::string& message);
  double query_number(const std::string& message);
  /// Sends a query answered by a definite-length block (#<digits><length><data>) of 32-bit floats,
  /// little-endian. Error (bad_data) when the answer is something else.
  std::vector<float> query_floats(const std::string& message);
  /// Reads the error queue until it is empty; what stood in it, oldest first.
  std::vector<std::string> errors();

private:
  void fill(const std::string& message);
  std::string take(std::size_t bytes, const std::string& message);

  std::unique_ptr<Link> link_;
  std::string where_;
  std::string in_;
};

}  // namespace kuvio::acquire
