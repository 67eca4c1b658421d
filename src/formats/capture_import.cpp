// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/capture_import.h"

#include "formats/log_cells.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <stdexcept>
#include <utility>

namespace kuvio::formats {
namespace {

constexpr std::size_t kBatch = 65536, kFlush = 1 << 18;
/// How often a step that looked like a jump must come in a row to be how a log goes on.
constexpr std::size_t kLearned = 4;

/// How many of the times go on from `last` by one step, piece by piece so that no branch stands
/// between them; of a piece that does not to its end, one by one.
std::size_t evenly(std::span<const std::int64_t> times, std::int64_t last, std::int64_t step) {
  constexpr std::size_t kPiece = 64;
  std::size_t n = 0;
  const auto wide = [&] {
    // Steps that are not this one leave a bit.
    std::uint64_t other =
        static_cast<std::uint64_t>(times[n] - last) ^ static_cast<std::uint64_t>(step);
    for (std::size_t i = 1; i < kPiece; ++i)
      other |= static_cast<std::uint64_t>(times[n + i] - times[n + i - 1]) ^
               static_cast<std::uint64_t>(step);
    return other == 0;
  };
  for (; n + kPiece <= times.size() && wide(); n += kPiece) last = times[n + kPiece - 1];
  for (; n < times.size() && times[n] == last + step; ++n) last = times[n];
  return n;
}

/// How many of the values there are before one that is no number.
std::size_t finite(std::span<const double> values) {
  constexpr std::size_t kPiece = 64;
  constexpr std::uint64_t kExponent = 0x7ff0000000000000, kOne = 0x0010000000000000;
  std::size_t n = 0;
  const auto wide = [&] {
    // An exponent of ones alone carries into the sign.
    std::uint64_t none = 0;
    for (std::size_t i = 0; i < kPiece; ++i)
      none |= (std::bit_cast<std::uint64_t>(values[n + i]) & kExponent) + kOne;
    return (none >> 63) == 0;
  };
  while (n + kPiece <= values.size() && wide()) n += kPiece;
  while (n < values.size() && std::isfinite(values[n])) ++n;
  return n;
}

}  // namespace

CaptureImport::CaptureImport(book::Book& book, const book::CaptureSpec& spec,
                             const std::vector<book::ChannelInfo>& channels,
                             const ImportSettings& settings, bool even)
    : settings_(settings),
      base_(channels.front().time_base),
      even_(even),
      capture_(book, spec, channels),
      lanes_(channels.size()) {}

void CaptureImport::finish(std::int64_t time, std::int64_t step) {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    settle(i);
    // Jumps all over are not gaps: such samples simply have times of their own.
    if (even_ && lanes_[i].jumps * 10 > lanes_[i].steps) throw Uneven{};
    store(i, true);
    end_flag(i, time + step);
  }
  capture_.finish("imported");
}

void CaptureImport::add(std::size_t index, std::int64_t time, double value) {
  Lane& lane = lanes_[index];
  if (const auto flag = flag_of_data(value)) {
    settle(index);
    if (lane.flag && lane.flag->flag != *flag) end_flag(index, time);
    if (!lane.flag) lane.flag = FlagRun{*flag, base_.seconds(stamped(lane, time)), 0, 0};
    ++lane.flag->samples;
    store(index, true);
    return;
  }
  end_flag(index, time);
  if (!lane.values.empty() || !lane.gap_before) step_to(index, time);
  lane.values.push_back(value);
  lane.times.push_back(time);
  lane.last_time = time;
  if (lane.values.size() >= kBatch && lane.suspects.empty()) store(index, false);
}

/// How many of the samples go on as those before, evenly or by steps that are none too long.
std::size_t CaptureImport::steady(const Lane& lane, std::span<const std::int64_t> times,
                                  std::span<const double> values) const {
  const bool begun = !lane.gap_before || !lane.values.empty();
  const bool usual = begun && !lane.flag && lane.suspects.empty() && lane.last_step > 0;
  if (!usual) return 0;
  std::size_t n = 0;
  std::int64_t last = lane.last_time;
  if (even_) {
    n = evenly(times, last, lane.last_step);
  } else {
    for (; n < times.size() && times[n] - last <= lane.longest_step; ++n) last = times[n];
  }
  return finite(values.first(n));
}

void CaptureImport::add(std::size_t index, std::span<const std::int64_t> times,
                        std::span<const double> values) {
  Lane& lane = lanes_[index];
  while (!times.empty()) {
    const std::size_t n = steady(lane, times, values);
    if (n == 0) {
      add(index, times[0], values[0]);
      times = times.subspan(1);
      values = values.subspan(1);
      continue;
    }
    lane.last_step = times[n - 1] - (n > 1 ? times[n - 2] : lane.last_time);
    lane.steps += static_cast<std::int64_t>(n);
    lane.last_time = times[n - 1];
    store(index, false);
    give(lane, index, times.first(n), values.first(n));
    times = times.subspan(n);
    values = values.subspan(n);
  }
}

/// From the sample before to one at `time`: the step goes on as before, is a gap, or may be
/// either until what follows shows.
void CaptureImport::step_to(std::size_t index, std::int64_t time) {
  Lane& lane = lanes_[index];
  const std::int64_t step = time - lane.last_time;
  ++lane.steps;
  const bool jump = lane.last_step > 0 && step != lane.last_step &&
                    (even_ ? step > lane.last_step + lane.last_step / 2
                           : (step - 1) / 10 >= lane.longest_step);  // nothing that could overflow
  if (!jump) {
    settle(index);
    if (even_ && lane.last_step > 0 && step != lane.last_step) throw Uneven{};
    lane.last_step = step;
    lane.longest_step = std::max(lane.longest_step, step);
    return;
  }
  const bool again =
      even_ ? step == lane.suspect_step
            : (step + 1) / 2 <= lane.suspect_step && (lane.suspect_step + 1) / 2 <= step;
  if (!lane.suspects.empty() && !again) settle(index);
  lane.suspects.push_back(lane.values.size());
  lane.suspect_step = step;
  if (lane.suspects.size() < kLearned) return;
  // It has found a new rate: what came in between is no gap.
  if (even_) throw Uneven{};
  lane.suspects.clear();
  lane.last_step = step;
  lane.longest_step = std::max(lane.longest_step, step);
}

/// Jumps that did not become the rate are gaps.
void CaptureImport::settle(std::size_t index) {
  Lane& lane = lanes_[index];
  if (lane.suspects.empty()) return;
  std::vector<double> values;
  std::vector<std::int64_t> times;
  values.swap(lane.values);
  times.swap(lane.times);
  const std::vector<std::size_t> gaps = std::move(lane.suspects);
  lane.suspects.clear();
  std::size_t at = 0;
  const auto give = [&](std::size_t to, bool last) {
    lane.values.assign(values.begin() + static_cast<std::ptrdiff_t>(at),
                       values.begin() + static_cast<std::ptrdiff_t>(to));
    lane.times.assign(times.begin() + static_cast<std::ptrdiff_t>(at),
                      times.begin() + static_cast<std::ptrdiff_t>(to));
    at = to;
    if (last) store(index, true);
  };
  for (const std::size_t gap : gaps) {
    // A sample that was stored in an earlier batch may stand before the first.
    const std::int64_t before = gap > 0 ? times[gap - 1] : lane.stored_time;
    lane.missing_s += base_.seconds(times[gap] - before - lane.last_step);
    give(gap, true);
    ++lane.jumps;
  }
  give(values.size(), false);
}

void CaptureImport::end_flag(std::size_t index, std::int64_t time) {
  Lane& lane = lanes_[index];
  if (!lane.flag) return;
  lane.flag->to_s = base_.seconds(stamped(lane, time));
  lane.missing_s += lane.flag->to_s - lane.flag->from_s;
  capture_->flag(index, *lane.flag);
  lane.flag.reset();
}

/// Where the interval of a sample stamped at `time` begins.
std::int64_t CaptureImport::stamped(const Lane& lane, std::int64_t time) const {
  if (settings_.kind == SampleKind::instant || settings_.stamp == Stamp::start) return time;
  return settings_.stamp == Stamp::centre ? time - lane.last_step / 2 : time - lane.last_step;
}

/// Hands samples that follow what the book has to it.
void CaptureImport::give(Lane& lane, std::size_t index, std::span<const std::int64_t> times,
                         std::span<const double> values) {
  if (even_) {
    const std::int64_t period = std::max<std::int64_t>(1, lane.last_step);
    capture_->append(index, stamped(lane, times.front()), period, values);
  } else {
    if (settings_.kind == SampleKind::averaged && settings_.stamp != Stamp::start)
      throw std::invalid_argument(
          "samples are not evenly spaced: averaged samples must then be stamped at their start");
    const std::int64_t end = times.back() + std::max<std::int64_t>(1, lane.last_step);
    capture_->append_times(index, times, values, end, lane.gap_before);
  }
  lane.stored_time = times.back();
  lane.gap_before = false;
  pending_ += values.size();
  if (pending_ < kFlush) return;
  capture_->flush();
  pending_ = 0;
}

/// Hands the batch to the book; `last`: its block ends here.
void CaptureImport::store(std::size_t index, bool last) {
  Lane& lane = lanes_[index];
  if (!lane.values.empty()) give(lane, index, lane.times, lane.values);
  lane.values.clear();
  lane.times.clear();
  if (last) lane.gap_before = true;
}

}  // namespace kuvio::formats
