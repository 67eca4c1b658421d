// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/recording.h"
#include "book/text.h"
#include "core/error.h"
#include "core/number_text.h"
#include "core/special_value.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ctime>
#include <thread>
#include <utility>

namespace kuvio::acquire {
namespace {

using Clock = std::chrono::steady_clock;
constexpr double kOthersLate = 2;  // s that other inputs are waited for at the end
constexpr double kSlept = 1;       // s: less is no sleep
constexpr double kSilent = 5;      // s without a sample
constexpr double kComes = 0.1;     // of what should come
constexpr double kClockSlack = 10, kPace = 2, kLate = 10;  // s

}  // namespace

Recording::Recording(book::Book& book, const RecordSettings& settings, const std::stop_token& stop)
    : book_(book),
      settings_(settings),
      arm_(settings.arm),
      until_(settings.until),
      until_s_(settings.seconds > 0 ? settings.seconds : kNever) {
  if (settings.inputs.empty())
    throw Error(Failure::usage, "nothing to record", "capture", "it has no input");
  for (const InputConfig& request : settings.inputs) {
    InputSettings wanted = request.settings;
    wanted.stop = stop;
    tracks_.push_back(std::make_unique<InputTrack>(open_input(request.endpoint, wanted),
                                                   tracks_.empty(), settings.time_scale));
    // One that was on already is not switched on: nothing begins with it.
    const auto& on = tracks_.back()->input().on_at_connect();
    for (const auto& [name, output] : request.settings.outputs) {
      const bool was_on = name.empty() ? !on.empty() : std::count(on.begin(), on.end(), name) > 0;
      powers_on_ |= output.power_on && !was_on;
    }
  }
  progress_.resize(tracks_.size());
  if (settings.log) log_ = std::make_unique<LogTrack>(*settings.log);
  for (auto& t : tracks_) t->add_channels(channels_, settings.accuracy);
  for (book::ChannelInfo& c : channels_) {
    if (const auto it = settings.calibration.find(c.name); it != settings.calibration.end())
      c.calibration = it->second;
    if (const auto it = settings.accuracies.find(c.name); it != settings.accuracies.end())
      c.accuracy = it->second;
    if (const auto it = settings.shunts.find(c.name); it != settings.shunts.end())
      take_shunt(c, it->second);
  }
  for (const auto& [name, ohms] : settings.shunts) {
    if (std::none_of(channels_.begin(), channels_.end(),
                     [&, wanted = name](const auto& c) { return c.name == wanted; }))
      throw Error(Failure::usage, "no such channel", name, "a shunt is given for it");
  }
  sends_.assign(settings.sends.begin(), settings.sends.end());
  std::stable_sort(sends_.begin(), sends_.end(),
                   [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
  until_s_ = axis().whole_samples_s(until_s_);
  if (const auto limit = axis().input().current_limit()) {
    limits_.emplace(*limit);
    limits_->report = [this](const std::string& text) { warn(text); };
  }
  find_watched(arm_, arm_place_);
  find_watched(until_, until_place_);
  slept_at_start_ = slept();
}

void Recording::take_shunt(book::ChannelInfo& c, double ohms) {
  shunts_["shunt_" + c.name] = fmt::format("{:g} Ohm", ohms);
  if (c.quantity != Quantity::voltage) return;
  c.quantity = Quantity::current;
  c.unit = "A";
  // A zero was measured of the drop.
  c.calibration.gain /= ohms;
  c.calibration.offset /= ohms;
  if (c.calibration.text.empty()) c.calibration.text = fmt::format("shunt of {:g} Ohm", ohms);
}

RecordResult Recording::run(const std::stop_token& stop,
                            const std::function<void(const RecordProgress&)>& progress) {
  epoch_s_ = host_now_s();
  if (!arm_.wanted()) create();  // nothing is written to the disk before what it waits for
  try {
    for (auto& t : tracks_) t->input().start();
  } catch (...) {
    discard();
    throw;
  }
  if (settings_.reset) execute(*settings_.reset);
  if (arm_.wanted() && !wait_armed(stop, progress)) return result_;
  try {
    loop(stop, progress);
  } catch (const std::exception& e) {
    const auto* known = dynamic_cast<const Error*>(&e);
    if (known && known->failure() == Failure::io) {
      out_of_disk(*known);
      return result_;
    }
    // Whatever it was, no output stays on for it, and what was flushed stays in the book.
    for (auto& t : tracks_) {
      t->input().set_failed(true);
      t->input().stop();
    }
    throw;
  }
  return result_;
}

InputTrack& Recording::axis() { return *tracks_.front(); }

double Recording::slept() const { return settings_.slept ? settings_.slept() : slept_s(); }

void Recording::create() {
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
  for (const auto& [key, value] : shunts_) spec.conditions.emplace(key, value);
  for (const auto& [name, calibration] : settings_.calibration) {
    if (!calibration.text.empty()) spec.conditions["zero_" + name] = calibration.text;
  }
  writer_ = std::make_unique<book::CaptureWriter>(book_, spec, channels_);
  result_.capture = writer_->id();
  for (auto& t : tracks_) {
    t->write_to(*writer_, epoch_s_);
    for (const std::string& output : t->input().on_at_connect()) {
      writer_->event(
          {EventKind::output_found_on, 0, 0,
           event_text(EventKind::output_found_on, output.empty() ? "" : "output " + output, "")});
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

void Recording::discard() {
  writer_.reset();  // nothing was recorded: nothing is left behind
  if (result_.capture != 0) book_.discard(result_.capture);
}

void Recording::warn(const std::string& text) {
  result_.warnings.push_back(text);
  reported_.push_back(text);
}

void Recording::loop(const std::stop_token& stop,
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
    take_events();
    if (log_) log_->drain(until_s_);
    send_lines();
    apply_control();
    watch_sleep();
    watch_links();
    watch_progress();
    if (Clock::now() - flushed >= kFlushEvery) {
      for (auto& t : tracks_) t->keep_clock(axis());
      writer_->flush();
      follow_new_book();
      flushed = Clock::now();
      report(progress, false);
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
    if (!complete_since && time_is_up()) {
      result_.interrupted = time_was_up_ = true;
      reason = fmt::format("the time was up, but {} had delivered only {} of {}",
                           axis().input().endpoint().text, duration(axis().recorded_s()),
                           duration(until_s_));
      break;
    }
    if (stop.stop_requested()) {
      if (!away_.empty()) {
        result_.interrupted = true;
        reason = "ended while a link was lost: " + away_;
      }
      break;
    }
    if (!dead.empty() && !complete_since) {
      result_.interrupted = true;
      reason = dead;
      break;
    }
    if (!busy) std::this_thread::sleep_for(kIdle);
  }
  finish(reason, progress);
}

void Recording::watch_progress() {
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    InputTrack& t = *tracks_[i];
    Progress& p = progress_[i];
    const double now = host_now_s();
    if (t.samples() != p.samples) {
      if (p.samples == 0) {
        p.first_host_s = now;
        p.first_own_s = t.recorded_s();
        if (i == 0) begun_.restart();
      }
      p.samples = t.samples();
      p.last_host_s = now;
      p.silent.restart();
      p.reported_silent = false;
      compare_clocks(i, false);
      continue;
    }
    const double usual =
        p.samples > 0 ? t.recorded_s() / static_cast<double>(p.samples) / settings_.time_scale : 0;
    if (p.reported_silent || t.input().ended() || t.input().away() ||
        p.silent.waited_s() < std::max(kSilent, 20 * usual))
      continue;
    p.reported_silent = true;
    const double at = own_on_axis(t, t.recorded_s());
    writer_->event({EventKind::input_silent, at, at, "no samples come"});
    warn(fmt::format("{}: no samples came for {:.0f} s", t.input().endpoint().text,
                     p.silent.waited_s()));
  }
}

void Recording::compare_clocks(std::size_t track, bool settled) {
  const InputTrack& t = *tracks_[track];
  Progress& p = progress_[track];
  if (p.reported_clock || p.samples == 0 || t.period() == 0) return;
  // Queues hold some seconds, and clocks are off by some parts in a hundred.
  const double own = t.recorded_s() - p.first_own_s,
               real = (p.last_host_s - p.first_host_s) * settings_.time_scale;
  const bool far = std::fabs(own - real) > kClockSlack * settings_.time_scale + 0.05 * real;
  if (!far && !t.rate_is_wrong()) {
    p.contradicted.restart();
    return;
  }
  // Behind for a moment (a pause of this program) is not wrong.
  if (!settled && p.contradicted.waited_s() < 2) return;
  p.reported_clock = true;
  warn(
      fmt::format("{}: by this computer's clock its samples are not as far apart as it says: "
                  "{} of them came in {}",
                  t.input().endpoint().text, duration(own), duration(real)));
}

bool Recording::time_is_up() {
  if (!std::isfinite(until_s_)) return false;
  const double waited = begun_.waited_s(), recorded = axis().recorded_s();
  if (pace_.empty() || waited - pace_.back()[0] > 0.1) pace_.push_back({waited, recorded});
  while (waited - pace_.front()[0] > kPace) pace_.pop_front();
  const double wanted = until_s_ / settings_.time_scale;  // s of this computer's
  const double first = progress_.front().samples == 0 ? kSilent : 0;
  if (waited < wanted + first + std::max(2.0, 0.01 * wanted)) return false;
  // What is only behind, and goes on coming, may do so for a while; a bench that is simulated
  // faster than this computer keeps up with, for as long as it comes.
  const double gained = (recorded - pace_.front()[1]) / settings_.time_scale;
  if (settings_.time_scale != 1) return gained <= 0;
  return gained < kComes * (waited - pace_.front()[0]) || waited > 2 * wanted + kLate;
}

bool Recording::others_done() {
  for (std::size_t i = 1; i < tracks_.size(); ++i) {
    const ClockMap map = tracks_[i]->on_axis(axis());
    const double slack = 2 * tracks_[i]->base().seconds(tracks_[i]->period());
    if (map.at(tracks_[i]->recorded_s()) < until_s_ - slack && !tracks_[i]->input().ended())
      return false;
  }
  return true;
}

double Recording::calibrated(std::size_t channel, double v) const {
  return channels_[channel].calibration.gain * v + channels_[channel].calibration.offset;
}

void Recording::watched(InputTrack& track, std::size_t column, std::int64_t tick,
                        std::span<const double> values) {
  const double from = own_on_axis(track, track.base().seconds(tick));
  const double step = track.period() > 0 ? track.base().seconds(track.period()) : 0;
  const auto& inputs = track.channels();
  if (&track == &axis() && column < inputs.size() && inputs[column].quantity == Quantity::current) {
    if (log_ && column == 0) log_->watch_current(from, step, values);
    if (limits_ && column == 0) limits_->watch(from, step, values, *writer_);
  }
}

void Recording::watch_charge(const InputTrack& track, const Packet& packet) {
  const auto& inputs = track.channels();
  std::size_t column = 0;
  while (column < inputs.size() && inputs[column].quantity != Quantity::current) ++column;
  if (column == inputs.size()) return;
  for (std::size_t i = 0; i < packet.samples(); ++i) {
    const double t = track.own_s(packet, i) - track.origin_own_s();
    const double dt = track.period() > 0 ? step_of(track) : t - charge_at_;
    charge_at_ = t;
    const double v = packet.columns[column][i];
    if (!flag_of_value(v)) charge_ += calibrated(track.first_channel() + column, v) * dt;
    if (std::fabs(charge_) < settings_.until_charge) continue;
    stop_at(t + step_of(track), "stop charge reached");
    return;
  }
}

void Recording::stop_at(double t, const std::string& reason) {
  if (t >= until_s_) return;
  until_s_ = axis().whole_samples_s(t);
  stop_reason_ = reason;
}

void Recording::take_events() {
  for (auto& t : tracks_) {
    for (const InputText& came : t->input().take_texts()) {
      const double at = own_on_axis(*t, came.at_s - t->origin_own_s());
      const book::LogLine line{std::max(0.0, at), false, book::printable(came.text)};
      writer_->log(line);
      ++texts_;
      fresh_lines_.push_back(line);
    }
    for (const InputEvent& h : t->input().take_events()) {
      const double shift = t->origin_own_s();
      const double a = own_on_axis(*t, h.earliest_s - shift),
                   b = own_on_axis(*t, h.latest_s - shift);
      writer_->event({h.kind, a, b, event_text(h.kind, h.subject, h.why)});
      if (h.kind == EventKind::output_on && log_) log_->power_came(a, b);
      if (h.kind == EventKind::device_reset && log_) log_->power_came(b - (b - a) / 2, b);
      report_event(h, a, b);
    }
    for (const std::string& note : t->input().take_notes()) warn(note);
  }
  if (until_.trigger().kind == Trigger::Kind::log_line && until_.happened_at())
    stop_at(std::max(*until_.happened_at(), 1e-9), "stop line seen in the log");
}

void Recording::report_event(const InputEvent& h, double a, double b) {
  const auto once = [&](const std::string& text) {
    if (++trouble_[{h.kind, h.subject}] == 1) warn(text);
  };
  const std::string what = h.subject.empty() ? "the output" : h.subject;
  if (h.kind == EventKind::output_tripped)
    warn(fmt::format("over-current at {}: {} switched itself off", duration(a), what));
  if (h.kind == EventKind::link_lost) {
    warn(fmt::format("{}; unreachable from {} on, reconnected after {}", h.why, duration(a),
                     duration(b - a)));
  }
  if (h.kind == EventKind::input_silent)
    once(fmt::format("no reading came from {} to {}: a gap", duration(a), duration(b)));
}

/// The book was taken away, and the writer goes on in another.
void Recording::follow_new_book() {
  const std::string report_text = writer_->take_report();
  if (report_text.empty()) return;
  result_.capture = writer_->id();
  result_.book = writer_->book().path();
  warn(report_text);
}

void Recording::watch_sleep() {
  const double now = slept() - slept_at_start_;
  if (now - slept_reported_ < kSlept) return;
  const double length = now - slept_reported_;
  slept_reported_ = now;
  const double end = std::max(0.0, axis().axis_of_host(host_now_s()));
  writer_->event({EventKind::machine_slept, std::max(0.0, end - length), end,
                  fmt::format("this computer was suspended for {}", duration(length))});
  warn(fmt::format(
      "this computer was suspended for {} during the capture; samples lost meanwhile are marked",
      duration(length)));
}

void Recording::watch_links() {
  away_.clear();
  reported_away_.resize(tracks_.size());
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    const Input& input = tracks_[i]->input();
    const auto why = input.away();
    if (why) away_ += (away_.empty() ? "" : "; ") + *why;
    if (why && !reported_away_[i]) {
      warn(fmt::format("{} at {:%H:%M:%S}; {} saved{}. Reconnecting", *why,
                       fmt::localtime(std::time(nullptr)), duration(axis().recorded_s()),
                       input.has_outputs() ? "; its output may still be on: check it" : ""));
    }
    reported_away_[i] = why.has_value();
  }
}

void Recording::apply_control() {
  if (!settings_.control) return;
  for (const std::string& line : settings_.control->take_lines()) {
    if (log_) log_->log().send(line);
  }
  for (const SwitchCommand& what : settings_.control->take_commands()) execute(what);
  if (!writer_) return;
  for (const RecordControl::Mark& m : settings_.control->take_marks()) {
    const double at = std::max(0.0, axis().axis_of_host(m.host_s));
    writer_->event({EventKind::mark, at, at, m.text});
  }
}

void Recording::execute(const SwitchCommand& what) {
  bool any = false;
  for (auto& t : tracks_) {
    if (!t->input().can(what)) continue;
    t->input().request(what);
    any = true;
    if (what.on || what.is_reset() || what.of_line()) break;  // off is meant for all of them
  }
  if (!any) {
    warn(fmt::format("no input has {} \"{}\"", what.of_line() ? "a digital line" : "an output",
                     what.name));
  }
}

void Recording::send_lines() {
  while (log_ && !sends_.empty() && sends_.front().at_s <= axis().recorded_s()) {
    log_->log().send(sends_.front().text);
    sends_.pop_front();
  }
}

RecordResult record(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
                    const std::function<void(const RecordProgress&)>& progress) {
  return Recording(book, settings, stop).run(stop, progress);
}

}  // namespace kuvio::acquire
