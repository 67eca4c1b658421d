// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sample.h"
#include "core/time_base.h"

#include <cstdint>
#include <span>
#include <string>
#include <utility>
#include <vector>

namespace kuvio {

/// One unbroken run of samples. Between blocks there is a gap, over which nothing is interpolated.
struct Block {
  std::int64_t start = 0;   ///< tick of the first sample (of the start of its interval if averaged)
  std::int64_t period = 0;  ///< ticks between samples; 0: each sample has a time of its own
  std::int64_t end = 0;     ///< tick at which the block's cover ends
  std::int64_t first = 0;   ///< index of the first sample within the channel
  std::int64_t count = 0;   ///< number of samples, at least 1
};

/// Extremes and integrals over some *cells* of a block. Cell i is the piece of the model that
/// starts at sample i: the straight line to sample i+1 (instant; the block's last sample has a cell
/// of no length) or the sample's own interval (averaged).
struct CellSum {
  double lo = 0, hi = 0;  ///< extremes of the samples, in the channel's unit
  double q = 0;           ///< integral of the value, unit x sample periods (x ticks if period is 0)
  double r = 0;           ///< integral of its square, unit^2 x the same
};

/// Least and largest of some samples. Not exact: they are those of a few samples more, at either
/// end.
struct Extremes {
  double lo = 0, hi = 0;
  bool exact = true;
};

/// How far to go for extremes: to what is right, or only as far as nothing is fetched from a file.
enum class Effort { exact, cached };

/// Least and largest of values, which must not be empty.
Extremes extremes_of(std::span<const double> values);

/// Samples of one channel, wherever they are kept: in memory or in a book.
///
/// A Trace is an immutable view; it is not thread-safe unless its class says so. Positions given to
/// `read`, `read_times` and `sum` count from the block's first sample.
class Trace {
public:
  virtual ~Trace() = default;

  virtual SampleKind kind() const = 0;
  virtual TimeBase time_base() const = 0;
  virtual std::span<const Block> blocks() const = 0;
  virtual std::span<const FlagRun> flags() const = 0;

  /// Values of samples [at, at + out.size()) of a block.
  virtual void read(const Block& block, std::int64_t at, std::span<double> out) const = 0;
  /// Their times in ticks; only called for blocks with period 0.
  virtual void read_times(const Block& block, std::int64_t at,
                          std::span<std::int64_t> out) const = 0;
  /// Extremes and integrals of cells [from, to) of a block, to > from.
  virtual CellSum sum(const Block& block, std::int64_t from, std::int64_t to) const = 0;
  /// Least and largest of samples [from, to) of a block, to > from. Cheaper than `sum` where
  /// samples are far away.
  virtual Extremes extremes(const Block& block, std::int64_t from, std::int64_t to,
                            Effort effort = Effort::exact) const {
    (void)effort;
    const CellSum s = sum(block, from, to);
    return {s.lo, s.hi, true};
  }

  /// From where to where it was sampled (s): the first block's start and the last one's end, or
  /// flagged samples beyond them, which are missing time like those between blocks. 0 and 0 when
  /// there is neither.
  double from_s() const;
  double to_s() const;
  std::int64_t samples() const;
};

/// Adds `more` to `sum`.
void accumulate(CellSum& sum, const CellSum& more);

/// Extremes and integrals of the cells that start at `values`.
///
/// `next` is the sample after them within the same block, or null at the block's end. `times`
/// holds, for blocks with period 0, the ticks of the values and of what follows them (values.size()
/// + 1 entries; at the end of the block the last is the block's end); empty for uniform blocks.
/// values must not be empty. Straight lines: the integral of a line from a to b over d is (a+b)/2
/// d, of its square (a^2+ab+b^2)/3 d.
CellSum sum_cells(SampleKind kind, std::span<const double> values, const double* next,
                  std::span<const std::int64_t> times = {});

/// Tick at which sample `at` of a block stands (for averaged samples: where its interval starts).
/// `at` may equal the block's count: then the block's end.
std::int64_t tick_of(const Trace& trace, const Block& block, std::int64_t at);

/// A trace held in memory, with sums for every 256 cells. Safe to read from several threads.
class MemoryTrace : public Trace {
public:
  MemoryTrace(SampleKind kind, TimeBase time_base) : kind_(kind), time_base_(time_base) {}

  /// Appends a block of evenly spaced samples. Blocks come in order of time; throws
  /// std::invalid_argument when one begins before the last has ended, is empty or has period <= 0.
  void append(std::int64_t start, std::int64_t period, std::span<const double> values);
  /// Appends a block whose samples have times of their own (strictly rising ticks). For averaged
  /// samples `end` is where the last interval ends; for instants it is ignored.
  void append(std::span<const std::int64_t> times, std::span<const double> values,
              std::int64_t end = 0);
  void flag(const FlagRun& run) { flags_.push_back(run); }

  SampleKind kind() const override { return kind_; }
  TimeBase time_base() const override { return time_base_; }
  std::span<const Block> blocks() const override { return blocks_; }
  std::span<const FlagRun> flags() const override { return flags_; }
  void read(const Block& block, std::int64_t at, std::span<double> out) const override;
  void read_times(const Block& block, std::int64_t at, std::span<std::int64_t> out) const override;
  CellSum sum(const Block& block, std::int64_t from, std::int64_t to) const override;

private:
  CellSum direct(const Block& block, std::int64_t from, std::int64_t to) const;
  void add(Block block, std::span<const double> values, std::span<const std::int64_t> times);

  SampleKind kind_;
  TimeBase time_base_;
  std::vector<Block> blocks_;
  std::vector<FlagRun> flags_;
  std::vector<double> values_;
  std::vector<std::int64_t> times_;       // parallel to values_; 0 for uniform blocks
  std::vector<CellSum> strides_;          // of every block, one after the other
  std::vector<std::size_t> stride_base_;  // per block
};

}  // namespace kuvio
