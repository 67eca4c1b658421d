// SPDX-License-Identifier: GPL-3.0-or-later
// What is sent to an instrument's outputs and lines while it records, and what becomes of them.

#include "acquire/scpi_input.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace kuvio::acquire {
namespace {

/// What is fed beside the device says nothing of the device's own power.
EventKind event_of(const OutputProfile& output, bool on) {
  if (output.auxiliary) return on ? EventKind::auxiliary_on : EventKind::auxiliary_off;
  return on ? EventKind::output_on : EventKind::output_off;
}

std::string subject_of(const std::string& output) {
  return output.empty() ? "" : "output " + output;
}

}  // namespace

std::string ScpiInput::named(const OutputProfile& output) {
  return output.name.empty() ? "its output" : "its output " + output.name;
}

void ScpiInput::switch_output(const OutputProfile& output, bool on) {
  InputEvent h;
  h.kind = event_of(output, on);
  h.subject = subject_of(output.name);
  h.earliest_s = own_now();
  instrument_.send(output, on);
  instrument_.wait_done();
  h.latest_s = own_now() + interval_s_;
  const auto errors = instrument_.errors();
  // What it says may be of something else: whether it did is asked.
  const bool tripped = on && instrument_.has_tripped(output);
  const bool is = instrument_.is_on(output).value_or(errors.empty() == on);
  if (!errors.empty() && is != on && !tripped) {
    // Reported, and the capture goes on: nothing else depends on it.
    note(fmt::format("{} refused to switch {} {}: it answered {}", endpoint_.text, named(output),
                     on ? "on" : "off", errors.front()));
    return;
  }
  set_output(output.name, on);
  watched_[output.name] = {};
  watched_[output.name].on = on;
  post_event(std::move(h));
}

/// Switches on what was to come later than the rest, unless somebody has by now, or has set it
/// above its ceiling.
void ScpiInput::power_on_waiting() {
  if (waiting_.empty()) return;
  const double now = own_now();
  for (auto it = waiting_.begin(); it != waiting_.end();) {
    if (now < it->due_s) {
      ++it;
      continue;
    }
    const OutputProfile& output = *it->output;
    it = waiting_.erase(it);  // tried once
    if (watched_[output.name].on) continue;
    const auto volts = instrument_.get(output.voltage, Dimension::voltage);
    const OutputSettings* request = settings_of(output);
    const std::string above =
        volts && request ? request->never_above.refuses_voltage(*volts) : std::string();
    if (above.empty()) {
      switch_output(output, true);
    } else {
      note(fmt::format("{}: {} was not switched on: {}", endpoint_.text, named(output), above));
    }
  }
}

/// Nothing goes on any more by itself after something went off: whoever, or whatever, did that
/// meant the device.
void ScpiInput::forget_waiting(const std::string& why) {
  for (const Waiting& w : waiting_)
    note(fmt::format("{}: {} was not switched on: {}", endpoint_.text, named(*w.output), why));
  waiting_.clear();
}

void ScpiInput::apply_requests() {
  for (const SwitchCommand& request : take_requests()) {
    if (request.is_reset()) {
      begin_reset(request);
    } else if (request.what == SwitchCommand::What::line) {
      const double from = own_now();
      if (!switch_line(request.name, request.on)) continue;
      instrument_.wait_done();
      post_event({request.on ? EventKind::line_high : EventKind::line_low, from,
                  own_now() + interval_s_, "line " + request.name, ""});
    } else {
      if (!request.on) forget_waiting("an output was switched off before its turn");
      const auto meant = instrument_.meant_by(request);
      for (const OutputProfile* o : meant) {
        // Of all that *off* means, those that are off already need no event.
        if (request.on || meant.size() == 1 || watched_[o->name].on) {
          switch_output(*o, request.on);
        } else {
          instrument_.send(*o, false);
        }
      }
    }
  }
  end_resets();
}

void ScpiInput::begin_reset(const SwitchCommand& reset) {
  const double from = own_now();
  if (reset.of_line()) {
    if (!switch_line(reset.name, reset.on)) return;
    instrument_.wait_done();
  }
  for (const OutputProfile* o : instrument_.meant_by(reset)) {
    if (!watched_[o->name].on) {  // to let go of it would be to switch it on
      note(fmt::format("{}: {} is off, so the device was not reset", endpoint_.text, named(*o)));
      return;
    }
    switch_output(*o, false);
  }
  held_.push_back({reset, from, host_now_s() + reset.for_s});
}

/// Those that have been held long enough; all of them when it ends.
void ScpiInput::end_resets() {
  for (std::size_t i = 0; i < held_.size();) {
    if (host_now_s() < held_[i].until_s) {
      ++i;
      continue;
    }
    const Held held = held_[i];
    if (held.reset.of_line()) {
      switch_line(held.reset.name, !held.reset.on);
      instrument_.wait_done();
    }
    for (const OutputProfile* o : instrument_.meant_by(held.reset)) switch_output(*o, true);
    // Only now: a link that is lost meanwhile must not leave the device in reset.
    held_.erase(held_.begin() + static_cast<std::ptrdiff_t>(i));
    post_event(
        {EventKind::device_reset, held.from_s, own_now() + interval_s_, "", to_string(held.reset)});
  }
}

/// What became of the outputs by itself: at the limit, switched off by protection or by hand.
void ScpiInput::look_at_status() {
  look_at_joining();
  for (const OutputProfile& o : profile().outputs) {
    Watched& w = watched_[o.name];
    const bool asks = w.on || o.limited.known() || o.tripped.known();
    if (!asks) continue;
    const double at = own_now();
    // Where the limit is known, the recorder sees in the first output's samples what it does.
    if (o.limited.known() && !(current_limit_ && &o == &profile().outputs.front())) {
      const bool now = instrument_.is_limited(o);
      if (now && !w.limited) w.since_s = at;
      if (!now && w.limited) report_limited(o.name, w.since_s, at);
      w.limited = now;
    }
    const bool tripped = instrument_.has_tripped(o);
    const bool on = !tripped && instrument_.is_on(o).value_or(w.on);
    const double from = std::max(0.0, at - kStatusEvery);
    if ((tripped && !w.tripped) || (w.on && !on)) forget_waiting(named(o) + " went off");
    if (tripped && !w.tripped) {
      post_event(
          {EventKind::output_tripped, from, at + interval_s_, subject_of(o.name), "over-current"});
    } else if (w.on && !on && !tripped) {
      post_event({event_of(o, false), from, at + interval_s_, subject_of(o.name),
                  "it went off by itself"});
      note(fmt::format("{}: {} went off by itself", endpoint_.text, named(o)));
    } else if (!w.on && on) {
      post_event({event_of(o, true), from, at + interval_s_, subject_of(o.name),
                  "switched on externally"});
      note(fmt::format("{}: {} was switched on externally", endpoint_.text, named(o)));
    }
    w.tripped = tripped;
    w.on = on;
    set_output(o.name, on);
  }
}

/// Joined or parted at its front while it is recorded: the capture goes on as it was set up.
void ScpiInput::look_at_joining() {
  if (!profile().join || host_now_s() < joining_due_s_) return;
  joining_due_s_ = host_now_s() + kJoiningEvery;
  const Joining now = instrument_.ask_joining();
  if (now != std::exchange(joining_, now))
    note(fmt::format(
        "{}: its outputs {} while it was recorded; what is read of them from then on "
        "may mean something else",
        endpoint_.text, now == Joining::apart ? "were parted" : "were joined " + to_string(now)));
}

void ScpiInput::report_limited(const std::string& output, double from_s, double to_s) {
  post_event({EventKind::current_limited, from_s, to_s, subject_of(output), ""});
}

}  // namespace kuvio::acquire
