// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/recorder.h"

#include "core/error.h"
#include "core/present.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <utility>

namespace kuvio::acquire {
namespace {

using Clock = std::chrono::steady_clock;
constexpr auto kFlushEvery = std::chrono::milliseconds(250);
constexpr auto kIdle = std::chrono::milliseconds(10);
constexpr float kNotANumber = 9.905e37F,
                kOverRange = 9.8e37F;  // SCPI-1999, 7.2.1.4: 9.91E37 and 9.9E37

enum class Sort { good, over_range, not_a_number };

Sort sort_of(float value) {
  const float size = std::fabs(value);
  if (!std::isfinite(value) || size >= kNotANumber) return Sort::not_a_number;
  return size >= kOverRange ? Sort::over_range : Sort::good;
}

class Recording {
public:
  Recording(book::Book& book, const RecordSettings& settings)
      : book_(book), settings_(settings), analyser_(settings.analyser, settings.setup) {
    if (settings.log) log_ = std::make_unique<LogInput>(*settings.log);
    std::tie(base_, period_) = time_base_for(analyser_.interval_s());
    if (settings.seconds > 0)
      last_sample_ =
          std::max<std::int64_t>(1, std::llround(settings.seconds / analyser_.interval_s()));
    sends_.assign(settings.sends.begin(), settings.sends.end());
    std::stable_sort(sends_.begin(), sends_.end(),
                     [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
    book::CaptureSpec spec{settings.name, settings.build, settings.conditions, false};
    spec.conditions["input"] = analyser_.identity();
    spec.conditions["range"] = "automatic";
    spec.conditions["rate"] = fmt::format("{:g} Hz", 1 / analyser_.interval_s());
    if (analyser_.voltage())
      spec.conditions["voltage"] = fmt::format("{:g} V", *analyser_.voltage());
    if (settings.setup.current_limit) {
      spec.conditions["current_limit"] = fmt::format("{:g} A", *settings.setup.current_limit);
    }
    if (settings.time_scale != 1)
      spec.conditions["time_scale"] = fmt::format("{:g}", settings.time_scale);
    book::ChannelInfo current;
    current.name = "I";
    current.kind = SampleKind::averaged;
    current.encoding = book::Encoding::f4;
    current.time_base = base_;
    current.input = analyser_.identity();
    current.accuracy = settings.accuracy;
    std::vector<book::ChannelInfo> channels{current};
    if (settings.setup.record_voltage) {
      book::ChannelInfo voltage = current;
      voltage.name = "V";
      voltage.quantity = "voltage";
      voltage.unit = "V";
      voltage.accuracy.clear();
      channels.push_back(voltage);
    }
    for (const std::string& name : settings.setup.logic) {
      book::ChannelInfo line = current;
      line.name = name;
      line.quantity = "logic";
      line.unit = "";
      line.accuracy.clear();
      channels.push_back(line);  // each stretch of one level is a sample with a time of its own
    }
    tracks_.resize(settings.setup.record_voltage ? 2 : 1);
    first_logic_ = tracks_.size();
    writer_ = std::make_unique<book::CaptureWriter>(book, spec, channels);
    result_.capture = writer_->id();
    if (analyser_.found_on()) {
      writer_->event({"output_found_on", 0, 0, "the output was already on"});
      if (settings.setup.power_on)
        result_.warnings.push_back("the output was already on: no inrush is recorded");
    }
  }

  RecordResult run(const std::stop_token& stop,
                   const std::function<void(const RecordProgress&)>& progress) {
    try {
      analyser_.start();
    } catch (...) {
      writer_.reset();  // nothing was recorded: nothing is left behind
      book_.discard(result_.capture);
      throw;
    }
    std::string reason = "stopped";
    auto flushed = Clock::now();
    while (true) {
      const bool ended =
          analyser_.ended();  // asked before draining: what came until then is drained
      const bool busy = drain_samples();
      take_switches();
      drain_log();
      send_lines();
      heed_control();
      if (Clock::now() - flushed >= kFlushEvery) {
        writer_->flush();
        flushed = Clock::now();
        tell(progress);
      }
      if (complete()) {
        reason = "complete";
        break;
      }
      if (stop.stop_requested()) break;
      if (ended) {
        result_.interrupted = true;
        reason = analyser_.failure().value_or("the input ended");
        break;
      }
      if (!busy) std::this_thread::sleep_for(kIdle);
    }
    finish(reason, progress);
    return result_;
  }

private:
  double recorded_s() const { return base_.seconds(next_ * period_); }
  bool complete() const { return last_sample_ > 0 && next_ >= last_sample_; }

  void finish(const std::string& reason,
              const std::function<void(const RecordProgress&)>& progress) {
    analyser_.stop();
    drain_samples();  // what was fetched until the stop
    if (log_) {
      log_->stop();
      drain_log();
      if (const auto failure = log_->failure()) {
        result_.warnings.push_back("the device log was lost: " + *failure);
        writer_->event({"log_lost", recorded_s(), recorded_s(), *failure});
      }
    }
    take_switches();
    close_flags();
    place_held_lines(true);
    for (const std::string& note : analyser_.take_notes()) result_.warnings.push_back(note);
    if (result_.interrupted) {
      writer_->event({"input_lost", recorded_s(), recorded_s(), reason});
      result_.warnings.push_back(fmt::format("{}; {} saved; the output may still be on: check it",
                                             reason, duration(recorded_s())));
    }
    result_.end_reason = reason;
    writer_->finish(reason, result_.interrupted);
    tell(progress);
  }

  void tell(const std::function<void(const RecordProgress&)>& progress) {
    if (!progress) {
      live_.lines.clear();  // nobody takes them
      return;
    }
    live_.recorded_s = recorded_s();
    live_.samples = samples_;
    live_.log_lines = log_lines_;
    live_.capture = result_.capture;
    live_.output_on = analyser_.output_on();
    progress(live_);
    live_.lines.clear();
    fresh_extremes_ = true;
  }

  void heed_control() {
    if (!settings_.control) return;
    if (log_) {
      for (const std::string& line : settings_.control->take_lines()) log_->send(line);
    }
    if (const auto on = settings_.control->take_output()) analyser_.request_output(*on);
  }

  bool drain_samples() {
    bool any = false;
    while (!complete()) {
      const auto packet = analyser_.ring().pop();
      if (!packet) break;
      any = true;
      if (packet->index > next_) lost(packet->index);
      std::size_t n = packet->values.size();
      if (last_sample_ > 0) {
        n = static_cast<std::size_t>(std::clamp<std::int64_t>(last_sample_ - packet->index, 0,
                                                              static_cast<std::int64_t>(n)));
      }
      take_values(0, packet->index, std::span<const float>(packet->values).first(n));
      if (!packet->volts.empty())
        take_values(1, packet->index, std::span<const float>(packet->volts).first(n));
      if (!packet->logic.empty())
        take_logic(packet->index, std::span<const float>(packet->logic).first(n));
      next_ = packet->index + static_cast<std::int64_t>(n);
    }
    return any;
  }

  /// Samples that the instrument no longer had: a gap, marked as dropped.
  void lost(std::int64_t until) {
    close_flags();
    for (std::size_t c = 0; c < tracks_.size(); ++c)
      writer_->flag(c, {Flag::dropped, time_of(next_), time_of(until), until - next_});
    writer_->event({"samples_lost", time_of(next_), time_of(until), "the input's memory overran"});
    result_.warnings.push_back(
        fmt::format("{} samples lost at {}", until - next_, duration(time_of(next_))));
    next_ = until;
    logic_gap_ = true;
  }

  void take_values(std::size_t channel, std::int64_t index, std::span<const float> values) {
    std::size_t at = 0;
    while (at < values.size()) {
      const Sort sort = sort_of(values[at]);
      std::size_t end = at + 1;
      while (end < values.size() && sort_of(values[end]) == sort) ++end;
      const std::int64_t first = index + static_cast<std::int64_t>(at);
      const auto count = static_cast<std::int64_t>(end - at);
      if (sort == Sort::good) {
        close_flag(channel);
        std::vector<double>& good = channel == 0 ? current_ : buffer_;
        good.assign(values.begin() + static_cast<std::ptrdiff_t>(at),
                    values.begin() + static_cast<std::ptrdiff_t>(end));
        writer_->append(channel, first * period_, period_, good);
        if (channel == 0) {
          if (anchor_watch_) watch_for_rise(first);
          samples_ += count;
          count_live();
        } else {
          live_.voltage = buffer_.back();
        }
      } else {
        open_flag(channel, sort == Sort::over_range ? Flag::over_range : Flag::not_a_number, first,
                  count);
      }
      at = end;
    }
  }

  void count_live() {
    const auto [least, most] = std::minmax_element(current_.begin(), current_.end());
    live_.least = fresh_extremes_ ? *least : std::min(live_.least, *least);
    live_.most = fresh_extremes_ ? *most : std::max(live_.most, *most);
    fresh_extremes_ = false;
    const double dt = base_.seconds(period_);
    for (const double v : current_) live_.charge += v * dt;
    live_.observed_s += dt * static_cast<double>(current_.size());
  }

  /// A line's level holds until the next sample: one at the packet's start, one at every change.
  void take_logic(std::int64_t index, std::span<const float> words) {
    if (words.empty()) return;
    std::vector<std::int64_t> times;
    for (std::size_t line = 0; line < settings_.setup.logic.size(); ++line) {
      times.clear();
      buffer_.clear();
      double last = -1;
      for (std::size_t i = 0; i < words.size(); ++i) {
        if (sort_of(words[i]) != Sort::good) continue;
        // Whatever an instrument answers, only what fits a word of lines is one.
        if (!(words[i] >= 0 && words[i] < 4294967296.0F)) continue;
        const double level = (static_cast<std::uint32_t>(words[i]) >> line) & 1U;
        if (level == last) continue;
        times.push_back((index + static_cast<std::int64_t>(i)) * period_);
        buffer_.push_back(level);
        last = level;
      }
      const std::int64_t end = (index + static_cast<std::int64_t>(words.size())) * period_;
      writer_->append_times(first_logic_ + line, times, buffer_, end, logic_gap_);
    }
    logic_gap_ = false;
  }

  void open_flag(std::size_t channel, Flag flag, std::int64_t first, std::int64_t count) {
    Track& t = tracks_[channel];
    if (t.flag && t.flag->flag == flag && t.first + t.flag->samples == first) {
      t.flag->samples += count;
    } else {
      close_flag(channel);
      t.flag = FlagRun{flag, 0, 0, count};
      t.first = first;
    }
  }
  void close_flag(std::size_t channel) {
    Track& t = tracks_[channel];
    if (!t.flag) return;
    t.flag->from_s = time_of(t.first);
    t.flag->to_s = time_of(t.first + t.flag->samples);
    writer_->flag(channel, *t.flag);
    t.flag.reset();
  }
  void close_flags() {
    for (std::size_t c = 0; c < tracks_.size(); ++c) close_flag(c);
  }

  double time_of(std::int64_t sample) const { return base_.seconds(sample * period_); }

  void take_switches() {
    for (const SwitchReport& s : analyser_.take_switches()) {
      writer_->event(
          {s.on ? "output_on" : "output_off", time_of(s.earliest), time_of(s.latest), ""});
      if (s.on && !power_on_) {
        power_on_ = s;
        anchor_watch_ = true;
        replay_for_rise();
      }
    }
  }

  // --- the device's own clock ------------------------------------------------------------------
  // A log that carries the device's uptime is laid on the capture's axis by the moment it got
  // power: the first rise of the current after the output was switched on.
  void watch_for_rise(std::int64_t first) {
    for (std::size_t i = 0; i < current_.size() && anchor_watch_; ++i) {
      const std::int64_t at = first + static_cast<std::int64_t>(i);
      if (at < power_on_->earliest) continue;
      if (current_[i] > 1e-6) {
        anchor(time_of(at));
      } else if (at > power_on_->latest) {
        anchor(time_of(power_on_->latest));
      }
    }
  }
  void replay_for_rise() {
    // Samples since the switch may have been taken before the report of it was: what is at hand is
    // looked through.
    if (!current_.empty() && next_ > power_on_->earliest)
      watch_for_rise(next_ - static_cast<std::int64_t>(current_.size()));
  }
  void anchor(double t) {
    anchor_watch_ = false;
    boot_at_ = t;
    writer_->event({"clock_anchor", t, t, "the device's uptime 0"});
    place_held_lines(false);
  }

  void drain_log() {
    if (!log_) return;
    for (DeviceLine& line : log_->take()) {
      const double wall =
          std::chrono::duration<double>(line.arrived - analyser_.started()).count() *
          settings_.time_scale;
      if (line.uptime_s && !boot_at_) {
        if (!power_on_ && !settings_.setup.power_on) {
          boot_at_ =
              wall -
              *line.uptime_s;  // it was running before: its first line's arrival is all there is
          result_.warnings.push_back(
              "the device was already running: its log is placed by the arrival of the first line");
        } else {
          held_.push_back(std::move(line));
          continue;
        }
      }
      place(line, line.uptime_s ? *boot_at_ + *line.uptime_s : wall);
    }
  }
  void place_held_lines(bool at_any_price) {
    if (!boot_at_ && at_any_price && power_on_) boot_at_ = time_of(power_on_->latest);
    if (!boot_at_) return;
    for (const DeviceLine& line : held_) place(line, *boot_at_ + *line.uptime_s);
    held_.clear();
  }
  void place(const DeviceLine& line, double time_s) {
    if (settings_.seconds > 0 && time_s > settings_.seconds) return;
    live_.lines.push_back({time_s, line.sent, book::printable(line.text)});
    writer_->log(live_.lines.back());
    ++log_lines_;
  }

  void send_lines() {
    while (log_ && !sends_.empty() && sends_.front().at_s <= recorded_s()) {
      log_->send(sends_.front().text);
      sends_.pop_front();
    }
  }

  book::Book& book_;
  const RecordSettings& settings_;
  AnalyserInput analyser_;
  std::unique_ptr<LogInput> log_;
  std::unique_ptr<book::CaptureWriter> writer_;
  TimeBase base_;
  std::int64_t period_ = 1, next_ = 0, last_sample_ = 0, samples_ = 0, log_lines_ = 0;
  std::vector<double> current_, buffer_;  // the last good run of the current, and room for others
  struct Track {  // a channel of evenly spaced samples and the flagged run that is open in it
    std::optional<FlagRun> flag;
    std::int64_t first = 0;
  };
  std::vector<Track> tracks_;
  std::size_t first_logic_ = 1;
  bool logic_gap_ = true, fresh_extremes_ = true;
  RecordProgress live_;
  std::optional<SwitchReport> power_on_;
  bool anchor_watch_ = false;
  std::optional<double> boot_at_;
  std::deque<ScheduledLine> sends_;
  std::vector<DeviceLine> held_;
  RecordResult result_;
};

}  // namespace

void RecordControl::send(const std::string& line) {
  const std::lock_guard lock(mutex_);
  lines_.push_back(line);
}
void RecordControl::switch_output(bool on) {
  const std::lock_guard lock(mutex_);
  output_ = on;
}
std::vector<std::string> RecordControl::take_lines() {
  const std::lock_guard lock(mutex_);
  return std::exchange(lines_, {});
}
std::optional<bool> RecordControl::take_output() {
  const std::lock_guard lock(mutex_);
  return std::exchange(output_, std::nullopt);
}

std::pair<TimeBase, std::int64_t> time_base_for(double interval_s) {
  const double rate = 1 / interval_s;
  if (rate >= 1 && std::fabs(rate - std::round(rate)) < 1e-9 * rate)
    return {{1, std::llround(rate)}, 1};
  return {{1, 1'000'000'000}, std::max<std::int64_t>(1, std::llround(interval_s * 1e9))};
}

RecordResult record(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
                    const std::function<void(const RecordProgress&)>& progress) {
  return Recording(book, settings).run(stop, progress);
}

}  // namespace kuvio::acquire
