// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/whole_capture.h"
#include "core/sample.h"
#include "formats/text_import.h"

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace kuvio::formats {

/// Thrown when samples that looked evenly spaced turn out not to be; the import then begins again.
struct Uneven {};

/// One capture on its way from a log into a book: samples that are evenly spaced become blocks, a
/// jump in time is a gap unless it comes four times in a row, what is no data is flagged. Left
/// behind unfinished it is not in the book.
class CaptureImport {
public:
  /// `even`: samples are taken to be evenly spaced, and Uneven is thrown where they are not; else
  /// they keep their own times.
  CaptureImport(book::Book& book, const book::CaptureSpec& spec,
                const std::vector<book::ChannelInfo>& channels, const ImportSettings& settings,
                bool even);

  /// The next sample of a channel, or `no_data`, at a time in ticks of the channels' base. Throws
  /// Uneven; std::invalid_argument where averaged samples of uneven spacing are not stamped at
  /// their start.
  void add(std::size_t channel, std::int64_t time, double value);
  /// The same for many, whose times rise.
  void add(std::size_t channel, std::span<const std::int64_t> times,
           std::span<const double> values);
  /// The last sample of the log was at `time`, `step` after the one before: the capture is whole.
  void finish(std::int64_t time, std::int64_t step);

  std::int64_t id() const { return capture_.id(); }
  /// Time of a channel that holds no samples (s): gaps and flags.
  double missing_s(std::size_t channel) const { return lanes_[channel].missing_s; }

private:
  struct Lane {
    std::vector<double> values;
    std::vector<std::int64_t> times;
    bool gap_before = true;  // the batch begins a new block
    std::optional<FlagRun> flag;
    std::int64_t last_time = 0, last_step = 0, longest_step = 0;
    std::int64_t steps = 0, jumps = 0;
    // Samples of the batch before which the time jumped, by about the same step each time: gaps,
    // or the log's new rate.
    std::vector<std::size_t> suspects;
    std::int64_t suspect_step = 0;
    std::int64_t stored_time = 0;  // of the last sample that left the batch
    double missing_s = 0;
  };
  std::size_t steady(const Lane& lane, std::span<const std::int64_t> times,
                     std::span<const double> values) const;
  void step_to(std::size_t index, std::int64_t time);
  void settle(std::size_t index);
  void end_flag(std::size_t index, std::int64_t time);
  std::int64_t stamped(const Lane& lane, std::int64_t time) const;
  void give(Lane& lane, std::size_t index, std::span<const std::int64_t> times,
            std::span<const double> values);
  void store(std::size_t index, bool last);

  const ImportSettings& settings_;
  TimeBase base_;
  bool even_;
  book::WholeCapture capture_;
  std::vector<Lane> lanes_;
  std::size_t pending_ = 0;
};

}  // namespace kuvio::formats
