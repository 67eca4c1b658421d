// SPDX-License-Identifier: GPL-3.0-or-later
// An input that delivers what a test hands it, without a thread or a wire.
#pragma once

#include "acquire/input_track.h"

#include <memory>
#include <string>
#include <utility>
#include <vector>

namespace kuvio::test {

class FakeInput : public acquire::Input {
public:
  explicit FakeInput(double interval_s, std::vector<acquire::InputChannel> channels = {{}})
      : Input(acquire::parse_endpoint("scpi+tcp://fake:1"), 1 << 20) {
    identity_ = "fake";
    interval_s_ = interval_s;
    channels_ = std::move(channels);
  }
  ~FakeInput() override { join(); }
  void run(const std::stop_token&) override {}

  void give(std::int64_t index, std::vector<std::vector<double>> columns) {
    deliver({index, std::move(columns), {}, "", false});
  }
  /// Own time `own_s` is this computer's `host_s`, exactly.
  void tie(double own_s, double host_s) { sync({own_s, host_s, host_s}); }
};

inline acquire::InputChannel channel(const std::string& name, Quantity quantity,
                                     std::vector<std::string> lines = {}) {
  acquire::InputChannel out;
  out.name = name;
  out.quantity = quantity;
  out.unit = quantity == Quantity::voltage ? "V" : quantity == Quantity::current ? "A" : "";
  out.lines = std::move(lines);
  return out;
}

}  // namespace kuvio::test
