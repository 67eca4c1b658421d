// SPDX-License-Identifier: GPL-3.0-or-later
// The set-up of a recording, and its turns.

#include "acquire/recording.h"

#include "acquire/channel_set_up.h"
#include "book/sqlite.h"
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

constexpr auto kIdle = std::chrono::milliseconds(10);
constexpr double kFlushEvery = 0.25;  // s
constexpr double kOthersLate = 2;     // s that other inputs are waited for at the end

/// Whether the capture will see an output go on. One that was on already is not switched on:
/// nothing begins with it.
bool powers_on(const InputSettings& settings, const std::vector<std::string>& on_already) {
  return std::any_of(settings.outputs.begin(), settings.outputs.end(), [&](const auto& output) {
    const auto& [name, request] = output;
    const bool was_on = name.empty() ? !on_already.empty()
                                     : std::count(on_already.begin(), on_already.end(), name) > 0;
    return request.power_on && !was_on;
  });
}

}  // namespace

Recording::Recording(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
                     RecordingReport::Call progress)
    : book_(book),
      settings_(settings),
      arm_(settings.arm, settings.before_s),
      end_{CaptureEnd(settings.seconds),
           PlacedTrigger(settings.until),
           ChargeEnd(settings.until_charge),
           TimeLimit(settings.time_scale, host_now_s()),
           false,
           {}},
      watches_{
          {},
          {},
          SleepWatch(settings.slept ? settings.slept : slept_s),
          DiskGuard(
              settings.disk
                  ? settings.disk
                  : [this] { return book::disk_of((writer_ ? writer_->book() : book_).path()); },
              settings.keep_free)},
      report_(std::move(progress)) {
  if (settings.inputs.empty())
    throw Error(Failure::usage, "nothing to record", "capture", "it has no input");
  open_inputs(stop);
  set_up_channels();
  if (settings.seconds > 0) end_.at = CaptureEnd(axis().whole_samples_s(settings.seconds));
  if (const auto limit = axis().input().current_limit()) {
    limits_.emplace(*limit);
    limits_->report = [this](const std::string& text) { report_.warn(text); };
  }
  const bool has_log = log_ != nullptr;
  arm_.trigger().place(tracks_, channels_, has_log);
  end_.trigger.place(tracks_, channels_, has_log);
}

void Recording::open_inputs(const std::stop_token& stop) {
  bool power = false;
  for (const InputConfig& request : settings_.inputs) {
    InputSettings wanted = request.settings;
    wanted.stop = stop;
    tracks_.push_back(std::make_unique<InputTrack>(open_input(request.endpoint, wanted),
                                                   tracks_.empty(), settings_.time_scale));
    watches_.arrivals.emplace_back(settings_.time_scale, host_now_s());
    power |= powers_on(request.settings, tracks_.back()->input().on_at_connect());
  }
  if (!settings_.log) return;
  log_ = std::make_unique<LogTrack>(*settings_.log);
  log_->set_expects_power(power);
  log_->schedule(settings_.sends);
}

void Recording::set_up_channels() {
  for (auto& t : tracks_) t->add_channels(channels_, settings_.accuracy);
  set_up(channels_, settings_, [this](const std::string& text) { report_.warn(text); });
}

RecordResult Recording::run(const std::stop_token& stop) {
  const double epoch_s = host_now_s();  // one for all: clocks are laid on each other by it
  for (auto& t : tracks_) t->set_epoch(epoch_s);
  if (!arm_.wanted()) create();  // nothing is written to the disk before what it waits for
  try {
    for (auto& t : tracks_) t->input().start();
  } catch (...) {
    discard();
    throw;
  }
  if (settings_.reset) execute(*settings_.reset);
  if (arm_.wanted() && !wait_armed(stop)) return report_.result;
  try {
    loop(stop);
  } catch (const std::exception& e) {
    const auto* known = dynamic_cast<const Error*>(&e);
    if (known && known->failure() == Failure::io) {
      out_of_disk(*known);
      return report_.result;
    }
    // Whatever it was, no output stays on for it, and what was flushed stays in the book.
    stop_inputs(true);
    throw;
  }
  return report_.result;
}

Conditions Recording::conditions() const {
  Conditions out = settings_.conditions;
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    const Input& input = tracks_[i]->input();
    const std::string suffix = i == 0 ? "" : "_" + std::to_string(i + 1);
    out.emplace("input" + suffix, input.identity());
    for (const auto& [key, value] : input.conditions()) out.emplace(key + suffix, value);
    if (input.interval_s() > 0)
      out.emplace("rate" + suffix, fmt::format("{:g} Hz", 1 / input.interval_s()));
  }
  if (settings_.time_scale != 1) out["time_scale"] = fmt::format("{:g}", settings_.time_scale);
  for (const auto& [name, ohms] : settings_.shunts)
    out.emplace("shunt_" + name, fmt::format("{:g} Ohm", ohms));
  for (const auto& [name, calibration] : settings_.calibration) {
    if (!calibration.text.empty()) out["zero_" + name] = calibration.text;
  }
  return out;
}

void Recording::create() {
  writer_ = std::make_unique<book::CaptureWriter>(
      book_, book::CaptureSpec{settings_.name, settings_.build, conditions(), false}, channels_);
  report_.result.capture = writer_->id();
  for (auto& t : tracks_) listen(*t);
  if (!log_) return;
  log_->write_to(*writer_);
  log_->axis_of_host = [this](double host_s) { return axis().axis_of_host(host_s); };
  log_->placed = [this](const book::LogLine& line) {
    report_.line(line);
    if (!line.sent) end_.trigger.line(line.time_s, line.text);
  };
}

void Recording::listen(InputTrack& track) {
  track.write_to(*writer_);
  for (const std::string& output : track.input().on_at_connect()) {
    writer_->event(
        {EventKind::output_found_on, 0, 0,
         event_text(EventKind::output_found_on, output.empty() ? "" : "output " + output, "")});
  }
  if (&track != &axis() || track.channels().empty() ||
      track.channels().front().quantity != Quantity::current)
    return;
  track.watch = [this](std::size_t column, std::int64_t tick, std::span<const double> values) {
    if (column != 0) return;
    const double from = axis().base().seconds(tick);
    if (log_) log_->watch_current(from, axis().step_s(), values);
    if (limits_) limits_->watch(from, axis().step_s(), values, *writer_);
  };
}

void Recording::discard() {
  writer_.reset();  // nothing was recorded: nothing is left behind
  if (report_.result.capture != 0) book_.discard(report_.result.capture);
}

bool Recording::wait_armed(const std::stop_token& stop) {
  WaitClock reported;
  while (!arm_.happened_at()) {
    arm_.look(tracks_);
    if (log_)
      arm_.look(log_->log().take(), [this](double host_s) { return axis().axis_of_host(host_s); });
    apply_control();
    if (settings_.control && settings_.control->take_begin())
      arm_.trigger().force(axis().axis_of_host(host_now_s()));
    arm_.forget(tracks_);
    for (auto& t : tracks_) {
      if (!t->input().ended()) continue;
      throw Error(Failure::unavailable, "nothing was recorded", t->input().endpoint().text,
                  "it was lost while the capture was armed: " +
                      t->input().failure().value_or("the input ended"));
    }
    if (stop.stop_requested()) {
      for (auto& t : tracks_) t->input().stop();
      report_.result.end_reason = "stopped while it was armed: nothing was recorded";
      report_.warn(report_.result.end_reason);
      return false;
    }
    if (reported.waited_s() >= kFlushEvery) {
      reported.restart();
      send_progress(true);
    }
    std::this_thread::sleep_for(kIdle);
  }
  begin_armed();
  return true;
}

void Recording::begin_armed() {
  const double at = arm_.release(tracks_);
  create();
  writer_->event({EventKind::armed_start, at, at, "start condition met"});
  if (!log_) return;
  for (const DeviceLine& line : arm_.lines()) {
    const double t = axis().axis_of_host(line.arrived_s);
    if (t >= 0) writer_->log({t, line.sent, book::printable(line.text)});
  }
}

void Recording::loop(const std::stop_token& stop) {
  double flushed = host_now_s();
  while (true) {
    const auto dead = dead_input();  // asked before draining: what came until then is drained
    const bool busy = turn();
    std::optional<std::string> reason;
    if (host_now_s() - flushed >= kFlushEvery) {
      reason = flush();
      flushed = host_now_s();
    }
    if (!reason) reason = ended(stop, dead);
    if (reason) return finish(*reason);
    if (!busy) std::this_thread::sleep_for(kIdle);
  }
}

bool Recording::turn() {
  bool busy = false;
  for (auto& t : tracks_) busy |= drain(*t);
  take_events();
  if (log_) {
    log_->drain(end_.at.at_s());
    log_->send_due(axis().recorded_s());
  }
  apply_control();
  watch_sleep();
  watch_links();
  watch_arrivals();
  return busy;
}

std::optional<std::string> Recording::flush() {
  for (auto& t : tracks_) t->keep_clock(axis());
  writer_->flush();
  follow_new_book();
  const bool full =
      watches_.disk.full(static_cast<std::uint64_t>(writer_->book().database().wal_bytes()));
  send_progress(false);
  if (!full) return std::nullopt;
  report_.result.interrupted = report_.result.disk_full = true;
  return "the disk is full";
}

std::optional<std::string> Recording::ended(const std::stop_token& stop,
                                            const std::optional<std::string>& dead) {
  const double until = end_.at.at_s(), now = host_now_s();
  bool& interrupted = report_.result.interrupted;
  auto& complete = end_.complete_since_s;
  if (axis().recorded_s() >= until - 1e-12) {
    if (!complete) complete = now;
    if (others_done() || now - *complete > kOthersLate) return end_.at.reason();
  }
  if (!complete && end_.time.is_up(now, axis().recorded_s(), until, watches_.arrivals[0].any())) {
    interrupted = end_.time_was_up = true;
    return fmt::format("the time was up, but {} had delivered only {} of {}",
                       axis().input().endpoint().text, duration(axis().recorded_s()),
                       duration(until));
  }
  if (stop.stop_requested()) {
    const std::string& away = watches_.links.away();
    if (away.empty()) return "stopped";
    interrupted = true;
    return "ended while a link was lost: " + away;
  }
  if (!dead || complete) return std::nullopt;
  interrupted = true;
  return dead;
}

std::optional<std::string> Recording::dead_input() const {
  for (const auto& t : tracks_) {
    if (t->input().ended()) return t->input().failure().value_or("the input ended");
  }
  return std::nullopt;
}

bool Recording::others_done() {
  for (std::size_t i = 1; i < tracks_.size(); ++i) {
    const InputTrack& t = *tracks_[i];
    if (t.axis_s(axis(), t.recorded_s()) < end_.at.at_s() - 2 * t.step_s() && !t.input().ended())
      return false;
  }
  return true;
}

bool Recording::drain(InputTrack& track) {
  return track.drain(axis(), [&](const Packet& packet) {
    if (&track == end_.trigger.track() && !end_.trigger.happened_at()) {
      end_.trigger.look(track, packet, axis());
      if (const auto at = end_.trigger.happened_at())
        stop_at(*at + track.step_s(), "stop condition met");
    }
    if (end_.charge.wanted() && &track == &axis()) watch_charge(track, packet);
    return end_.at.at_s();
  });
}

void Recording::watch_charge(const InputTrack& track, const Packet& packet) {
  const auto& columns = track.channels();
  const auto current = std::find_if(columns.begin(), columns.end(), [](const InputChannel& c) {
    return c.quantity == Quantity::current;
  });
  if (current == columns.end()) return;
  const auto column = static_cast<std::size_t>(current - columns.begin());
  const book::Calibration& calibration = channels_[track.first_channel() + column].calibration;
  for (std::size_t i = 0; i < packet.samples(); ++i) {
    std::optional<double> amperes;
    const double v = packet.columns[column][i];
    if (!flag_of_value(v)) amperes = calibration.gain * v + calibration.offset;
    const double t = track.own_s(packet, i) - track.origin_own_s();
    const auto reached = end_.charge.sample(t, track.step_s(), amperes);
    if (reached) return stop_at(*reached, "stop charge reached");
  }
}

void Recording::stop_at(double t, const std::string& reason) {
  end_.at.bring_forward(axis().whole_samples_s(t), reason);
}

void Recording::take_events() {
  for (auto& t : tracks_) take_events_of(*t);
  const auto at = end_.trigger.happened_at();
  if (at && end_.trigger.waits_for_line())
    stop_at(std::max(*at, 1e-9), "stop line seen in the log");
}

void Recording::take_events_of(InputTrack& t) {
  const double origin = t.origin_own_s();
  for (const InputText& came : t.input().take_texts()) {
    const double at = t.axis_s(axis(), came.at_s - origin);
    const book::LogLine line{std::max(0.0, at), false, book::printable(came.text)};
    writer_->log(line);
    report_.text(line);
  }
  for (const InputEvent& what : t.input().take_events()) {
    const double a = t.axis_s(axis(), what.earliest_s - origin),
                 b = t.axis_s(axis(), what.latest_s - origin);
    writer_->event({what.kind, a, b, event_text(what.kind, what.subject, what.why)});
    if (log_ && what.kind == EventKind::output_on) log_->power_came(a, b);
    if (log_ && what.kind == EventKind::device_reset) log_->power_came(b - (b - a) / 2, b);
    report_.event(what, a, b);
  }
  for (const std::string& note : t.input().take_notes()) report_.warn(note);
}

/// The book was taken away, and the writer goes on in another.
void Recording::follow_new_book() {
  const std::string text = writer_->take_report();
  if (text.empty()) return;
  report_.result.capture = writer_->id();
  report_.result.book = writer_->book().path();
  report_.warn(text);
}

void Recording::watch_sleep() {
  const auto slept = watches_.sleep.look();
  if (!slept) return;
  const std::string text = fmt::format("this computer was suspended for {}", duration(*slept));
  const double end = std::max(0.0, axis().axis_of_host(host_now_s()));
  writer_->event({EventKind::machine_slept, std::max(0.0, end - *slept), end, text});
  report_.warn(text + " during the capture; samples lost meanwhile are marked");
}

void Recording::watch_links() {
  std::vector<std::optional<std::string>> away;
  for (const auto& t : tracks_) away.push_back(t->input().away());
  for (const std::size_t i : watches_.links.look(away)) {
    report_.warn(fmt::format(
        "{} at {:%H:%M:%S}; {} saved{}. Reconnecting", *away[i], fmt::localtime(std::time(nullptr)),
        duration(axis().recorded_s()),
        tracks_[i]->input().has_outputs() ? "; its output may still be on: check it" : ""));
  }
}

ArrivalWatch::Seen Recording::seen(const InputTrack& t) const {
  return {host_now_s(),   t.samples(),
          t.recorded_s(), t.input().ended() || t.input().away().has_value(),
          t.period() > 0, t.rate_is_wrong()};
}

void Recording::watch_arrivals() {
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    InputTrack& t = *tracks_[i];
    ArrivalWatch& watch = watches_.arrivals[i];
    const bool first = !watch.any();
    const ArrivalWatch::Seen now = seen(t);
    const auto found = watch.look(now);
    if (i == 0 && first && watch.any()) end_.time.begin(now.now_s);
    if (found == ArrivalWatch::Finding::clock_contradicts) report_clock(i, now);
    if (found != ArrivalWatch::Finding::silent) continue;
    const double at = t.axis_s(axis(), t.recorded_s());
    writer_->event({EventKind::input_silent, at, at, "no samples come"});
    report_.warn(fmt::format("{}: no samples came for {:.0f} s", t.input().endpoint().text,
                             watch.silent_s()));
  }
}

void Recording::report_clock(std::size_t track, const ArrivalWatch::Seen& seen) {
  const ArrivalWatch& watch = watches_.arrivals[track];
  // A simulated bench that runs faster than real waits where this computer cannot keep up.
  if (settings_.time_scale > 1 && watch.own_s(seen) < watch.real_s()) return;
  report_.warn(
      fmt::format("{}: by this computer's clock its samples are not as far apart as it says: "
                  "{} of them came in {}",
                  tracks_[track]->input().endpoint().text, duration(watch.own_s(seen)),
                  duration(watch.real_s())));
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
    report_.warn(fmt::format("no input has {} \"{}\"",
                             what.of_line() ? "a digital line" : "an output", what.name));
  }
}

void Recording::send_progress(bool armed) {
  report_.send(tracks_, channels_,
               {armed, log_ ? log_->lines() : 0, watches_.disk.free(), watches_.links.away(),
                settings_.time_scale});
}

}  // namespace kuvio::acquire
