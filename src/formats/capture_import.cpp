// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/capture_import.h"

#include <cmath>
#include <stdexcept>
#include <utility>

namespace kuvio::formats {
namespace {

constexpr std::size_t kBatch = 65536, kFlush = 1 << 20;
/// How often a step that looked like a jump must come in a row to be how a log goes on.
constexpr std::size_t kLearned = 4;

}  // namespace

Datum datum_of(Flag flag) {
  return flag == Flag::over_range    ? Datum::over_range
         : flag == Flag::below_range ? Datum::below_range
                                     : Datum::not_a_number;
}

CaptureImport::CaptureImport(book::Book& book, const book::CaptureSpec& spec,
                             const std::vector<book::ChannelInfo>& channels,
                             const ImportSettings& settings, bool even)
    : book_(book),
      settings_(settings),
      base_(channels.front().time_base),
      even_(even),
      writer_(std::make_unique<book::CaptureWriter>(book, spec, channels)),
      lanes_(channels.size()) {}

CaptureImport::~CaptureImport() {
  if (finished_) return;
  const std::int64_t id = writer_->id();
  writer_.reset();
  try {
    book_.discard(id);
  } catch (const std::exception&) {  // it stays marked as half done, and goes when next opened
  }
}

void CaptureImport::finish(std::int64_t time, std::int64_t step) {
  for (std::size_t i = 0; i < lanes_.size(); ++i) {
    settle(i);
    // Jumps all over are not gaps: such samples simply have times of their own.
    if (even_ && lanes_[i].jumps * 10 > lanes_[i].steps) throw Uneven{};
    store(i, true);
    end_flag(i, time + step);
  }
  writer_->finish("imported", false);
  finished_ = true;
}

void CaptureImport::add(std::size_t index, std::int64_t time, Datum kind, double value) {
  Lane& lane = lanes_[index];
  if (kind != Datum::number) {
    const Flag flag = kind == Datum::over_range    ? Flag::over_range
                      : kind == Datum::below_range ? Flag::below_range
                                                   : Flag::not_a_number;
    settle(index);
    if (lane.flag && lane.flag->flag != flag) end_flag(index, time);
    if (!lane.flag) lane.flag = FlagRun{flag, base_.seconds(stamped(lane, time)), 0, 0};
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
  writer_->flag(index, *lane.flag);
  lane.flag.reset();
}

/// Where the interval of a sample stamped at `time` begins.
std::int64_t CaptureImport::stamped(const Lane& lane, std::int64_t time) const {
  if (settings_.kind == SampleKind::instant || settings_.stamp == Stamp::start) return time;
  return settings_.stamp == Stamp::centre ? time - lane.last_step / 2 : time - lane.last_step;
}

/// Hands the batch to the book; `last`: its block ends here.
void CaptureImport::store(std::size_t index, bool last) {
  Lane& lane = lanes_[index];
  if (!lane.values.empty()) {
    lane.stored_time = lane.times.back();
    if (even_) {
      const std::int64_t period = std::max<std::int64_t>(1, lane.last_step);
      writer_->append(index, stamped(lane, lane.times.front()), period, lane.values);
    } else {
      if (settings_.kind == SampleKind::averaged && settings_.stamp != Stamp::start)
        throw std::invalid_argument(
            "samples are not evenly spaced: averaged samples must then be stamped at their start");
      const std::int64_t end = lane.times.back() + std::max<std::int64_t>(1, lane.last_step);
      writer_->append_times(index, lane.times, lane.values, end, lane.gap_before);
    }
    lane.gap_before = false;
    pending_ += lane.values.size();
    if (pending_ >= kFlush) {
      writer_->flush();
      pending_ = 0;
    }
  }
  lane.values.clear();
  lane.times.clear();
  if (last) lane.gap_before = true;
}

}  // namespace kuvio::formats
