// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/trace.h"

#include <memory>

namespace kuvio::book {

class StoredTrace;

/// A channel of a book as a Trace, on the capture's time axis and calibrated: what was stored
/// (StoredTrace, with its costs, threads and errors), seen through the channel's clock map and
/// calibration. Neither touches what is stored. Where its zero drifts values and integrals are
/// exact; integrals of squares and extremes take it as it is in the middle of each 64th of what is
/// asked, or of each 4096 samples.
class ChannelTrace : public Trace {
public:
  ChannelTrace(const Book& book, const ChannelInfo& channel);
  ~ChannelTrace() override;

  /// Takes in what was recorded since, at the cost of that alone, and how its clock is known by
  /// now. `now` is the same channel. After an Error nothing but the destructor may be called.
  void grow(const ChannelInfo& now);

  SampleKind kind() const override;
  TimeBase time_base() const override { return base_; }
  std::span<const Block> blocks() const override { return blocks_; }
  std::span<const FlagRun> flags() const override { return flags_; }
  void read(const Block& block, std::int64_t at, std::span<double> out) const override;
  void read_times(const Block& block, std::int64_t at, std::span<std::int64_t> out) const override;
  CellSum sum(const Block& block, std::int64_t from, std::int64_t to) const override;
  Extremes extremes(const Block& block, std::int64_t from, std::int64_t to,
                    Effort effort = Effort::exact) const override;

  const ChannelInfo& info() const;
  /// As it is stored, with what was fetched from the file so far.
  const StoredTrace& stored() const { return *stored_; }

private:
  void take_stored();
  void lay_on_axis(const ClockMap& clock);
  const Block& as_stored(const Block& block) const;
  CellSum calibrated(CellSum sum, double length, double offset) const;
  CellSum sum_of(const Block& block, std::int64_t from, std::int64_t to) const;
  double middle_s(const Block& block, std::int64_t from, std::int64_t to) const;

  std::unique_ptr<StoredTrace> stored_;
  TimeBase base_;
  std::int64_t fine_ = 1, origin_ = 0;  // axis ticks = stored ticks * fine + origin
  bool calibrated_ = false;
  double gain_ = 1, offset_ = 0, slope_ = 0;
  std::vector<Block> blocks_;
  std::vector<FlagRun> flags_;
};

}  // namespace kuvio::book
