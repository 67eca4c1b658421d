// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input.h"
#include "acquire/link.h"
#include "acquire/stream_protocol.h"

namespace kuvio::acquire {

/// A digitiser that sends the framed binary stream (docs/stream-protocol.md). What was lost on the
/// way is known by its numbers, and marked; where the sender answers, its clock is asked for.
class StreamInput : public Input {
public:
  /// Connects and waits for the sender's header. Error when none comes within 5 s.
  StreamInput(const Endpoint& endpoint, const InputSettings& settings);
  ~StreamInput() override { join(); }

protected:
  void run(const std::stop_token& stop) override;

private:
  void take_header(const StreamHeader& header);
  void take_samples(StreamSamples samples);
  void take_time(const StreamTime& time);
  void ask_time();
  void report_losses();
  void reconnect(const std::stop_token& stop, const Error& why);

  InputSettings settings_;
  std::unique_ptr<Link> link_;
  StreamDecoder decoder_;
  std::optional<StreamHeader> header_;
  std::vector<std::size_t> wanted_;  // columns, by their place in the header
  bool began_ = false, restarted_ = false;
  std::int64_t base_ = 0;  // own sample = sender's number + base
  std::int64_t next_ = 0;
  double arrived_s_ = 0, last_at_s_ = 0, asked_at_s_ = 0;
  std::uint64_t nonce_ = 0;
  std::uint32_t sequence_ = 0;
  std::int64_t fell_behind_ = 0;
  std::int64_t missing_reported_ = 0, garbled_reported_ = 0;
  std::string why_;
};

}  // namespace kuvio::acquire
