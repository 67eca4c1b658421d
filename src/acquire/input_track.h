// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input.h"
#include "acquire/live.h"
#include "book/capture_writer.h"

#include <deque>
#include <functional>

namespace kuvio::acquire {

/// What a sample of a channel takes on the disk, at most on the whole (bytes): packed, with its
/// pyramid, and its time where samples have times of their own.
double stored_bytes(const InputChannel& channel, bool evenly_spaced);

/// A channel's name among others: its own, after the `name` that its input's address gives, with a
/// number where it is `taken`.
std::string name_among(const std::string& own, const Endpoint& endpoint,
                       const std::function<bool(const std::string&)>& taken);

/// One input within a recording: its packets become samples, flags and logic levels of the
/// capture's channels, and its clock is laid on the capture's axis.
///
/// The first input of a recording *is* the axis: its own time, from its first kept sample on.
class InputTrack {
public:
  /// `time_scale`: capture seconds per real second, of a simulated bench.
  InputTrack(std::unique_ptr<Input> input, bool is_axis, double time_scale);

  Input& input() { return *input_; }
  const Input& input() const { return *input_; }

  /// Adds its channels to the capture's, with names that none of them has.
  void add_channels(std::vector<book::ChannelInfo>& all, const std::string& accuracy);
  /// This computer's moment (host_now_s) that its clock and the axis are counted from.
  void set_epoch(double epoch_s) { epoch_s_ = epoch_s; }
  void write_to(book::CaptureWriter& writer) { writer_ = &writer; }

  /// Takes what has come. `until` is asked with every packet where the capture ends (s of its
  /// axis); samples from there on are left out.
  bool drain(const InputTrack& axis, const std::function<double(const Packet&)>& until);
  /// The same, into memory, while a capture is armed. `seen` is called with every packet.
  void hold(const std::function<void(const Packet&)>& seen);
  /// Forgets held packets that ended before this own time (s).
  void forget_before(double own_s);
  /// Own time of the last held sample (s); 0 when none is.
  double held_to_s() const;
  /// How long the held samples are, from the first to the last (s).
  double held_s() const;
  /// Ends holding: the capture begins at `from_s` of this input's own time (the axis), or of the
  /// axis (others).
  void release(double from_own_s);

  /// Whether this computer's clock rules out that its samples are as far apart as it says.
  bool rate_is_wrong() const {
    return fit_.contradiction_s() > 0.02 * fit_.length_s() + 0.1 * scale_;
  }
  /// Where its own time lies on the capture's axis.
  ClockMap on_axis(const InputTrack& axis) const;
  /// A moment of its own time, from its kept start, on the capture's axis (s).
  double axis_s(const InputTrack& axis, double own_s) const {
    return is_axis_ ? own_s : on_axis(axis).at(own_s);
  }
  /// A moment of this computer on the capture's axis; only of the one that is the axis.
  double axis_of_host(double host_s) const;

  /// Marks as missing what it has not delivered of [0, until_s) of the capture's axis.
  void miss(const InputTrack& axis, double until_s);
  /// Closes what is open; nothing comes after.
  void finish(const InputTrack& axis);
  void keep_clock(const InputTrack& axis);

  double recorded_s() const { return base_.seconds(next_tick_); }  ///< own time, from its start
  /// What it takes of the disk for a second of its own time.
  double bytes_per_s() const;
  std::int64_t samples() const { return samples_; }
  std::int64_t lost() const { return lost_; }
  double first_lost_s() const { return first_lost_s_; }
  std::int64_t gaps() const { return gaps_; }
  std::vector<LiveChannel>& live() { return live_; }
  void fresh_extremes() { fresh_ = true; }
  const std::vector<InputChannel>& channels() const { return input_->channels(); }
  std::size_t first_channel() const { return first_channel_; }
  TimeBase base() const { return base_; }
  std::int64_t period() const { return period_; }
  /// Between two samples (s of its own); 0 where they have times of their own.
  double step_s() const { return period_ > 0 ? base_.seconds(period_) : 0; }
  /// Own time of a sample of a packet (s), from the input's own start.
  double own_s(const Packet& packet, std::size_t at) const;
  /// A length of own time in whole samples, at least one.
  double whole_samples_s(double seconds) const;
  double origin_own_s() const { return base_.seconds(origin_tick_); }

  /// Called with every run of good samples of a channel: its column, own ticks from the kept start
  /// of the first, values. For those who watch levels.
  std::function<void(std::size_t, std::int64_t, std::span<const double>)> watch;

private:
  struct Flagged {
    std::optional<FlagRun> run;
    std::int64_t first = 0, end = 0;  // ticks
  };
  void take(Packet& packet, double until_s, const InputTrack& axis);
  void begin_on_axis(Packet& packet, const InputTrack& axis);
  void drop_before_origin(Packet& packet) const;
  void take_column(std::size_t column, const Packet& packet, std::size_t n);
  void take_logic(std::size_t column, const Packet& packet, std::size_t n);
  void lose(std::int64_t until_tick, const std::string& why);
  void close_flag(std::size_t column);
  std::int64_t tick(const Packet& packet, std::size_t at) const;
  std::int64_t end_tick(const Packet& packet, std::size_t n) const;
  void count_live(std::size_t column, std::span<const double> values, double length_s);
  void take_sync();

  std::unique_ptr<Input> input_;
  bool is_axis_ = false;
  double scale_ = 1, epoch_s_ = 0;
  book::CaptureWriter* writer_ = nullptr;
  const InputTrack* axis_ = nullptr;
  TimeBase base_;
  std::int64_t period_ = 1;  // ticks; 0: samples have times of their own
  std::size_t first_channel_ = 0;
  std::vector<std::size_t> places_;  // of columns, among the writer's channels
  std::int64_t origin_tick_ = 0, next_tick_ = 0, samples_ = 0, lost_ = 0, gaps_ = 0;
  double first_lost_s_ = 0;
  bool any_ = false, fresh_ = true, logic_gap_ = true;
  std::vector<Flagged> flagged_;
  std::vector<bool> apart_;  // explicit times: the next good run begins a new segment
  std::vector<LiveChannel> live_;
  std::vector<double> good_;
  std::vector<std::int64_t> good_times_;
  std::deque<Packet> held_;
  ClockFit fit_;
  std::optional<ClockMap> kept_;
};

/// Exact time base and period for a logging interval: 1/rate where the rate is whole, else
/// nanoseconds.
std::pair<TimeBase, std::int64_t> time_base_for(double interval_s);

}  // namespace kuvio::acquire
