// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/recorder.h"

#include "acquire/limit_log.h"
#include "acquire/log_track.h"
#include "book/disk.h"
#include "core/error.h"
#include "core/present.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace kuvio::acquire {
namespace {

using Clock = std::chrono::steady_clock;
constexpr auto kFlushEvery = std::chrono::milliseconds(250);
constexpr auto kIdle = std::chrono::milliseconds(10);
constexpr double kOthersLate = 2;  // s that other inputs are waited for at the end
constexpr double kSlept = 1;       // s: less is no sleep
constexpr double kNever = std::numeric_limits<double>::infinity();

class Recording {
public:
  Recording(book::Book& book, const RecordSettings& settings)
      : book_(book),
        settings_(settings),
        arm_(settings.arm),
        until_(settings.until),
        until_s_(settings.seconds > 0 ? settings.seconds : kNever) {
    if (settings.inputs.empty())
      throw Error(Failure::usage, "nothing to record", "capture", "it has no input");
    for (const InputWish& wish : settings.inputs) {
      tracks_.push_back(std::make_unique<Tracks>(open_input(wish.endpoint, wish.settings),
                                                 tracks_.empty(), settings.time_scale));
      for (const auto& [name, output] : wish.settings.outputs) powers_on_ |= output.power_on;
    }
    if (settings.log) log_ = std::make_unique<LogTrack>(*settings.log);
    for (auto& t : tracks_) t->add_channels(channels_, settings.accuracy);
    for (book::ChannelInfo& c : channels_) {
      if (const auto it = settings.calibration.find(c.name); it != settings.calibration.end())
        c.calibration = it->second;
      if (const auto it = settings.accuracies.find(c.name); it != settings.accuracies.end())
        c.accuracy = it->second;
    }
    sends_.assign(settings.sends.begin(), settings.sends.end());
    std::stable_sort(sends_.begin(), sends_.end(),
                     [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
    until_s_ = axis().whole_samples_s(until_s_);
    if (const auto limit = axis().input().current_limit()) {
      limits_.emplace(*limit);
      limits_->told = [this](const std::string& text) { warn(text); };
    }
    find_watched(arm_, arm_place_);
    find_watched(until_, until_place_);
    slept_at_start_ = slept();
  }

  RecordResult run(const std::stop_token& stop,
                   const std::function<void(const RecordProgress&)>& progress) {
    epoch_s_ = host_now_s();
    if (!arm_.wanted()) create();  // nothing is written to the disk before what it waits for
    try {
      for (auto& t : tracks_) t->input().start();
    } catch (...) {
      discard();
      throw;
    }
    if (arm_.wanted() && !wait_armed(stop, progress)) return result_;
    try {
      loop(stop, progress);
    } catch (const Error& e) {
      if (e.failure() != Failure::io) throw;
      out_of_disk(e);
    }
    return result_;
  }

private:
  Tracks& axis() { return *tracks_.front(); }
  double slept() const { return settings_.slept ? settings_.slept() : slept_s(); }

  // --- the capture -----------------------------------------------------------------------------
  void create() {
    book::CaptureSpec spec{settings_.name, settings_.build, settings_.conditions, false};
    for (std::size_t i = 0; i < tracks_.size(); ++i) {
      const Input& input = tracks_[i]->input();
      const std::string suffix = i == 0 ? "" : "_" + std::to_string(i + 1);
      spec.conditions.emplace("input" + suffix, input.identity());
      for (const auto& [key, value] : input.conditions())
        spec.conditions.emplace(key + suffix, value);
      if (input.interval_s() > 0)
        spec.conditions.emplace("rate" + suffix, fmt::format("{:g} Hz", 1 / input.interval_s()));
    }
    if (settings_.time_scale != 1)
      spec.conditions["time_scale"] = fmt::format("{:g}", settings_.time_scale);
    for (const auto& [name, calibration] : settings_.calibration) {
      if (!calibration.text.empty()) spec.conditions["zero_" + name] = calibration.text;
    }
    writer_ = std::make_unique<book::CaptureWriter>(book_, spec, channels_);
    result_.capture = writer_->id();
    for (auto& t : tracks_) {
      t->write_to(*writer_, epoch_s_);
      for (const std::string& output : t->input().found_on()) {
        writer_->event({"output_found_on", 0, 0,
                        output.empty() ? "the output was already on"
                                       : "output " + output + " was already on"});
      }
      t->watch = [this, own = t.get()](std::size_t column, std::int64_t tick,
                                       std::span<const double> values) {
        watched(*own, column, tick, values);
      };
    }
    if (log_) {
      log_->write_to(*writer_);
      log_->set_expects_power(powers_on_);
      log_->axis_of_host = [this](double host_s) { return axis().axis_of_host(host_s); };
      log_->placed = [this](const book::LogLine& line) {
        fresh_lines_.push_back(line);
        if (!line.sent) until_.line(line.time_s, line.text);
      };
    }
  }

  void discard() {
    writer_.reset();  // nothing was recorded: nothing is left behind
    if (result_.capture != 0) book_.discard(result_.capture);
  }

  void warn(const std::string& text) {
    result_.warnings.push_back(text);
    told_.push_back(text);
  }

  // --- waiting for what it is armed with -------------------------------------------------------
  struct Watched {
    std::size_t track = 0, column = 0, line = 0;
    bool any = false;
  };
  void find_watched(const TriggerWatch& watch, Watched& out) {
    const Trigger& t = watch.trigger();
    if (!watch.of_level() && !watch.of_edge()) {
      if (t.kind == Trigger::Kind::log_line && !settings_.log)
        throw Error(Failure::usage, "nothing to wait for", "log: " + t.pattern,
                    "there is no device log");
      return;
    }
    for (std::size_t i = 0; i < tracks_.size() && !out.any; ++i) {
      std::size_t name = tracks_[i]->first_channel();
      const auto& inputs = tracks_[i]->channels();
      for (std::size_t c = 0; c < inputs.size() && !out.any; ++c) {
        const bool logic = inputs[c].quantity == "logic";
        const std::size_t wide = logic ? inputs[c].lines.size() : 1;
        for (std::size_t k = 0; k < wide && !out.any; ++k, ++name) {
          const bool fits = t.channel.empty() ? inputs[c].quantity == "current"
                                              : channels_[name].name == t.channel;
          if (fits && logic == watch.of_edge()) out = {i, c, k, true};
        }
      }
    }
    if (!out.any) {
      throw Error(Failure::usage, "nothing to wait for",
                  t.channel.empty() ? "a current" : t.channel,
                  watch.of_edge() ? "there is no logic line of that name"
                                  : "there is no channel of that name");
    }
  }

  /// False when it was told to stop before anything happened.
  bool wait_armed(const std::stop_token& stop,
                  const std::function<void(const RecordProgress&)>& progress) {
    for (auto& t : tracks_) t->set_epoch(epoch_s_);
    auto told = Clock::now();
    while (!arm_.happened_at()) {
      for (std::size_t i = 0; i < tracks_.size(); ++i) {
        tracks_[i]->hold(settings_.before_s + 1, [&](const Packet& packet) {
          if (arm_place_.any && arm_place_.track == i)
            look_at(arm_, arm_place_, *tracks_[i], packet);
        });
      }
      if (log_) {
        for (DeviceLine& line : log_->log().take()) {
          if (!line.sent) arm_.line(axis().axis_of_host(line.arrived_s), line.text);
          early_lines_.push_back(std::move(line));
        }
        if (early_lines_.size() > 10000)
          early_lines_.erase(early_lines_.begin(), early_lines_.end() - 10000);
      }
      heed_control();
      if (settings_.control && settings_.control->take_begin()) {
        arm_.force(axis().axis_of_host(host_now_s()));
      }
      for (auto& t : tracks_) {
        if (!t->input().ended()) continue;
        const std::string why = t->input().failure().value_or("the input ended");
        throw Error(Failure::unavailable, "nothing was recorded", t->input().endpoint().text,
                    "it was lost while the capture was armed: " + why);
      }
      if (stop.stop_requested()) {
        for (auto& t : tracks_) t->input().stop();
        result_.end_reason = "stopped while it was armed: nothing was recorded";
        warn(result_.end_reason);
        return false;
      }
      if (Clock::now() - told >= kFlushEvery) {
        told = Clock::now();
        tell(progress, true);
      }
      std::this_thread::sleep_for(kIdle);
    }
    begin_at(std::max(0.0, *arm_.happened_at() - settings_.before_s));
    return true;
  }

  /// Shows a watch the samples of a packet of the channel it is for.
  void look_at(TriggerWatch& watch, const Watched& place, const Tracks& track,
               const Packet& packet) {
    const auto& values = packet.columns[place.column];
    for (std::size_t i = 0; i < values.size() && !watch.happened_at(); ++i) {
      if (flag_of_value(values[i])) continue;
      double v = values[i];
      if (watch.of_edge()) {
        if (!(v >= 0 && v < 4294967296.0)) continue;
        v = (static_cast<std::uint32_t>(v) >> place.line) & 1U;
      } else {
        v = calibrated(track.first_channel() + place.column, v);
      }
      watch.sample(own_on_axis(track, track.own_s(packet, i) - track.origin_own_s()), v);
    }
  }

  bool drain(Tracks& track) {
    return track.drain(axis(), [&](const Packet& packet) {
      if (until_place_.any && tracks_[until_place_.track].get() == &track &&
          !until_.happened_at()) {
        look_at(until_, until_place_, track, packet);
        if (until_.happened_at())
          stop_at(*until_.happened_at() + step_of(track), "what it was to end with came");
      }
      if (settings_.until_charge > 0 && &track == &axis()) watch_charge(track, packet);
      return until_s_;
    });
  }

  static double step_of(const Tracks& track) {
    return track.period() > 0 ? track.base().seconds(track.period()) : 0;
  }

  double own_on_axis(const Tracks& track, double own_s) {
    return &track == &axis() ? own_s : track.on_axis(axis()).at(own_s);
  }

  void begin_at(double axis_own_s) {
    axis().release(axis_own_s);
    for (std::size_t i = 1; i < tracks_.size(); ++i) {
      const ClockMap map = tracks_[i]->on_axis(axis());  // onto the axis as it now begins
      tracks_[i]->release(map.own(0));
    }
    create();
    const double at = *arm_.happened_at() - axis_own_s;
    writer_->event({"armed_start", at, at, "what the capture was armed with"});
    if (log_) {
      for (const DeviceLine& line : early_lines_) {
        const double t = axis().axis_of_host(line.arrived_s);
        if (t >= 0) writer_->log({t, line.sent, book::printable(line.text)});
      }
    }
  }

  // --- recording -------------------------------------------------------------------------------
  void loop(const std::stop_token& stop,
            const std::function<void(const RecordProgress&)>& progress) {
    std::string reason = "stopped";
    auto flushed = Clock::now();
    std::optional<double> complete_since;
    while (true) {
      std::string dead;  // asked before draining: what came until then is drained
      for (auto& t : tracks_) {
        if (dead.empty() && t->input().ended())
          dead = t->input().failure().value_or("the input ended");
      }
      bool busy = false;
      for (auto& t : tracks_) busy |= drain(*t);
      take_happenings();
      if (log_) log_->drain(until_s_);
      send_lines();
      heed_control();
      watch_sleep();
      if (Clock::now() - flushed >= kFlushEvery) {
        for (auto& t : tracks_) t->keep_clock(axis());
        writer_->flush();
        flushed = Clock::now();
        tell(progress, false);
        if (disk_is_full()) {
          result_.interrupted = result_.disk_full = true;
          reason = "the disk is full";
          break;
        }
      }
      if (axis().recorded_s() >= until_s_ - 1e-12) {
        if (!complete_since) complete_since = host_now_s();
        if (others_done() || host_now_s() - *complete_since > kOthersLate) {
          reason = stop_reason_.empty() ? "complete" : stop_reason_;
          break;
        }
      }
      if (stop.stop_requested()) break;
      if (!dead.empty() && !complete_since) {
        result_.interrupted = true;
        reason = dead;
        break;
      }
      if (!busy) std::this_thread::sleep_for(kIdle);
    }
    finish(reason, progress);
  }

  bool others_done() {
    for (std::size_t i = 1; i < tracks_.size(); ++i) {
      const ClockMap map = tracks_[i]->on_axis(axis());
      const double slack = 2 * tracks_[i]->base().seconds(tracks_[i]->period());
      if (map.at(tracks_[i]->recorded_s()) < until_s_ - slack && !tracks_[i]->input().ended())
        return false;
    }
    return true;
  }

  double calibrated(std::size_t channel, double v) const {
    return channels_[channel].calibration.gain * v + channels_[channel].calibration.offset;
  }

  /// Good samples of a column as they are written: for whoever waits for a level or an edge.
  void watched(Tracks& track, std::size_t column, std::int64_t tick,
               std::span<const double> values) {
    const double from = own_on_axis(track, track.base().seconds(tick));
    const double step = track.period() > 0 ? track.base().seconds(track.period()) : 0;
    const auto& inputs = track.channels();
    if (&track == &axis() && column < inputs.size() && inputs[column].quantity == "current") {
      if (log_ && column == 0) log_->watch_current(from, step, values);
      if (limits_ && column == 0) limits_->watch(from, step, values, *writer_);
    }
  }

  /// Of the first current of the axis: values that stand for their interval, or for the time since
  /// the one before.
  void watch_charge(const Tracks& track, const Packet& packet) {
    const auto& inputs = track.channels();
    std::size_t column = 0;
    while (column < inputs.size() && inputs[column].quantity != "current") ++column;
    if (column == inputs.size()) return;
    for (std::size_t i = 0; i < packet.samples(); ++i) {
      const double t = track.own_s(packet, i) - track.origin_own_s();
      const double dt = track.period() > 0 ? step_of(track) : t - charge_at_;
      charge_at_ = t;
      const double v = packet.columns[column][i];
      if (!flag_of_value(v)) charge_ += calibrated(track.first_channel() + column, v) * dt;
      if (std::fabs(charge_) < settings_.until_charge) continue;
      stop_at(t + step_of(track), "the charge it was to end with flowed");
      return;
    }
  }

  void stop_at(double t, const std::string& reason) {
    if (t >= until_s_) return;
    until_s_ = axis().whole_samples_s(t);
    stop_reason_ = reason;
  }

  void take_happenings() {
    for (auto& t : tracks_) {
      for (Happening& h : t->input().take_happenings()) {
        const double shift = t->origin_own_s();
        const double a = own_on_axis(*t, h.earliest_s - shift),
                     b = own_on_axis(*t, h.latest_s - shift);
        if (h.kind == "text") {
          const book::LogLine line{std::max(0.0, a), false, book::printable(h.text)};
          writer_->log(line);
          ++texts_;
          fresh_lines_.push_back(line);
          continue;
        }
        const std::string of = h.output.empty() ? "" : "output " + h.output;
        writer_->event({h.kind, a, b,
                        h.text.empty() ? of
                        : of.empty()   ? h.text
                                       : of + ": " + h.text});
        if (h.kind == "output_on" && log_) log_->power_came(a, b);
        tell_of(h, a, b);
      }
      for (const std::string& note : t->input().take_notes()) warn(note);
    }
    if (until_.trigger().kind == Trigger::Kind::log_line && until_.happened_at())
      stop_at(std::max(*until_.happened_at(), 1e-9), "the line it was to end with came");
  }

  /// What people must know at once, in words; each kind of trouble once.
  void tell_of(const Happening& h, double a, double b) {
    const auto once = [&](const std::string& text) {
      if (++trouble_[h.kind + h.output] == 1) warn(text);
    };
    const std::string what = h.output.empty() ? "the output" : "output " + h.output;
    if (h.kind == "output_cut_off")
      warn(fmt::format("over-current at {}: {} switched itself off", duration(a), what));
    if (h.kind == "link_lost") {
      warn(fmt::format("{} was out of reach from {} on; it answered again after {}", h.text,
                       duration(a), duration(b - a)));
    }
    if (h.kind == "input_silent")
      once(fmt::format("no reading came from {} to {}: a gap", duration(a), duration(b)));
  }

  void watch_sleep() {
    const double now = slept() - slept_at_start_;
    if (now - slept_told_ < kSlept) return;
    const double length = now - slept_told_;
    slept_told_ = now;
    const double end = std::max(0.0, axis().axis_of_host(host_now_s()));
    writer_->event({"machine_slept", std::max(0.0, end - length), end,
                    fmt::format("this computer slept for {}", duration(length))});
    warn(
        fmt::format("this computer slept for {} in mid-capture: what the inputs lost meanwhile is "
                    "marked",
                    duration(length)));
  }

  void heed_control() {
    if (!settings_.control) return;
    for (const std::string& line : settings_.control->take_lines()) {
      if (log_) log_->log().send(line);
    }
    for (const auto& [output, on] : settings_.control->take_outputs()) {
      for (auto& t : tracks_) {
        if (t->input().has_outputs()) t->input().request_output(output, on);
      }
    }
    if (!writer_) return;
    for (const RecordControl::Mark& m : settings_.control->take_marks()) {
      const double at = std::max(0.0, axis().axis_of_host(m.host_s));
      writer_->event({"mark", at, at, m.text});
    }
  }

  void send_lines() {
    while (log_ && !sends_.empty() && sends_.front().at_s <= axis().recorded_s()) {
      log_->log().send(sends_.front().text);
      sends_.pop_front();
    }
  }

  // --- the disk --------------------------------------------------------------------------------
  /// What is left is kept for closing the capture properly, and for the write-ahead log.
  bool disk_is_full() {
    const auto disk = book::disk_of(book_.path());
    if (!disk) return false;
    live_.disk_free = disk->free;
    const std::uint64_t reserve = std::min(settings_.keep_free, disk->size / 10);
    return disk->free < reserve + static_cast<std::uint64_t>(book_.database().wal_bytes());
  }

  /// A write failed although there was room a moment ago. What was flushed before is safe.
  void out_of_disk(const Error& why) {
    for (auto& t : tracks_) {
      t->input().set_ended_badly(true);
      t->input().stop();
    }
    writer_.reset();
    result_.interrupted = result_.disk_full = true;
    result_.end_reason = "the disk is full";
    book_.mark_interrupted(result_.capture, result_.end_reason);
    warn(
        fmt::format("the book could not be written any further ({}); everything up to a second "
                    "before is safe. Make room on the disk",
                    why.why()));
  }

  // --- the end ---------------------------------------------------------------------------------
  void finish(const std::string& reason,
              const std::function<void(const RecordProgress&)>& progress) {
    for (auto& t : tracks_) {
      t->input().set_ended_badly(result_.interrupted);
      t->input().stop();
    }
    for (auto& t : tracks_) drain(*t);  // what was fetched until the stop
    take_happenings();
    if (log_) {
      log_->log().stop();
      log_->drain(until_s_);
      log_->finish(until_s_);
      if (const auto failure = log_->log().failure()) {
        warn("the device log was lost: " + *failure);
        writer_->event({"log_lost", axis().recorded_s(), axis().recorded_s(), *failure});
      }
      for (const std::string& note : log_->take_notes()) warn(note);
    }
    for (auto& t : tracks_) t->finish(axis());
    tell_losses();
    const double at = axis().recorded_s();
    if (result_.disk_full) {
      writer_->event({"disk_full", at, at, reason});
      warn(
          fmt::format("stopped after {}: the disk is nearly full; everything is safe. Make room, "
                      "or record onto another disk",
                      duration(at)));
    } else if (result_.interrupted) {
      writer_->event({"input_lost", at, at, reason});
      warn(fmt::format("{}; {} saved{}", reason, duration(at), what_of_outputs()));
    }
    result_.end_reason = reason;
    writer_->finish(reason, result_.interrupted);
    tell(progress, false);
  }

  /// A lost link leaves an output as it was; whoever reads this must know.
  std::string what_of_outputs() {
    std::string out;
    for (auto& t : tracks_) {
      if (!t->input().has_outputs()) continue;
      if (t->input().failure()) return "; the output may still be on: check it";
      if (t->input().output_on()) out = "; the output is still on";
    }
    return out;
  }

  void tell_losses() {
    for (auto& t : tracks_) {
      if (t->lost() == 0) continue;
      warn(fmt::format("{}: {} samples lost in {} gap{}, the first at {}; they are marked",
                       t->input().endpoint().text, t->lost(), t->gaps(), t->gaps() == 1 ? "" : "s",
                       duration(t->first_lost_s())));
    }
    if (limits_) limits_->finish();
  }

  void tell(const std::function<void(const RecordProgress&)>& progress, bool armed) {
    if (!progress) {
      fresh_lines_.clear();  // nobody takes them
      told_.clear();
      return;
    }
    live_.armed = armed;
    live_.recorded_s = armed ? 0 : axis().recorded_s();
    live_.samples = 0;
    live_.bytes_per_s = 0;
    live_.channels.clear();
    live_.output_on = false;
    live_.outputs.clear();
    for (auto& t : tracks_) {
      live_.samples += t->samples();
      live_.bytes_per_s += t->bytes_per_s() * settings_.time_scale;
      live_.output_on |= t->input().output_on();
      for (const auto& output : t->input().outputs()) live_.outputs.push_back(output);
      for (const LiveChannel& c : t->live()) live_.channels.push_back(c);
      t->fresh_extremes();
    }
    live_.log_lines = (log_ ? log_->lines() : 0) + texts_;
    live_.capture = result_.capture;
    live_.lines = std::exchange(fresh_lines_, {});
    live_.told = std::exchange(told_, {});
    if (!live_.disk_free) {
      if (const auto disk = book::disk_of(book_.path())) live_.disk_free = disk->free;
    }
    progress(live_);
  }

  book::Book& book_;
  const RecordSettings& settings_;
  TriggerWatch arm_, until_;
  Watched arm_place_, until_place_;
  std::vector<std::unique_ptr<Tracks>> tracks_;
  std::unique_ptr<LogTrack> log_;
  std::vector<book::ChannelInfo> channels_;
  std::unique_ptr<book::CaptureWriter> writer_;
  double epoch_s_ = 0, until_s_ = kNever, slept_at_start_ = 0, slept_told_ = 0, charge_ = 0,
         charge_at_ = 0;
  bool powers_on_ = false;
  std::optional<LimitLog> limits_;
  std::string stop_reason_;
  std::deque<ScheduledLine> sends_;
  std::vector<DeviceLine> early_lines_;
  std::vector<book::LogLine> fresh_lines_;
  std::vector<std::string> told_;
  std::map<std::string, int> trouble_;
  std::int64_t texts_ = 0;
  RecordProgress live_;
  RecordResult result_;
};

}  // namespace

RecordResult record(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
                    const std::function<void(const RecordProgress&)>& progress) {
  return Recording(book, settings).run(stop, progress);
}

}  // namespace kuvio::acquire
