// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/whole_capture.h"

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace kuvio::formats {

/// A capture on its way into a book from a file that says itself where its samples stand and where
/// they are missing. What is no data among the samples (NaN, infinities, SCPI's special values)
/// becomes flags. Left behind unfinished it is not in the book.
class CaptureIntake {
public:
  CaptureIntake(book::Book& book, const book::CaptureSpec& spec,
                const std::vector<book::ChannelInfo>& channels);

  std::size_t channels() const { return lanes_.size(); }

  /// Evenly spaced samples, by tick; what follows the last without a gap goes on with its block.
  /// Throws std::invalid_argument where they overlap, the period is none, or times overflow.
  void even(std::size_t channel, std::int64_t start, std::int64_t period,
            std::span<const double> values);
  /// Samples with times of their own, which rise. `end`: where the last averaged one ends;
  /// `gap_before`: they begin a new block.
  void timed(std::size_t channel, std::span<const std::int64_t> ticks,
             std::span<const double> values, std::int64_t end, bool gap_before);
  void flag(std::size_t channel, const FlagRun& run);
  void log(const book::LogLine& line);
  void event(const Event& event);

  /// The capture is whole; its id.
  std::int64_t finish();

private:
  struct Run {
    Flag flag = Flag::dropped;
    std::int64_t from = 0, end = 0, samples = 0;
  };
  struct Lane {
    TimeBase base;
    std::optional<Run> run;
    std::int64_t end = 0;  // ticks before it are taken
    bool any = false, broken = false;
  };
  void flagged(std::size_t channel, Flag flag, std::int64_t from, std::int64_t end);
  void close_run(std::size_t channel);
  void stored(std::size_t samples);
  void require_after(const Lane& lane, std::int64_t start) const;

  book::WholeCapture capture_;
  std::vector<Lane> lanes_;
  std::size_t pending_ = 0;
};

}  // namespace kuvio::formats
