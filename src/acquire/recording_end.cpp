// SPDX-License-Identifier: GPL-3.0-or-later
// The end of a recording, wanted or not.

#include "acquire/recording.h"
#include "core/error.h"
#include "core/number_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace kuvio::acquire {
namespace {
constexpr double kOwed = 2;        // s that an input may owe when another ends the capture
constexpr double kIntervals = 20;  // or so many of its usual intervals
}  // namespace

void Recording::stop_inputs(bool failed) {
  for (auto& t : tracks_) {
    t->input().set_failed(failed);
    t->input().stop();
  }
}

void Recording::out_of_disk(const Error& why) {
  stop_inputs(true);
  writer_.reset();
  RecordResult& result = report_.result;
  result.interrupted = result.disk_full = true;
  result.end_reason = "the disk is full";
  book_.mark_interrupted(result.capture, result.end_reason);
  report_.warn(
      fmt::format("the book could not be written any further ({}); everything up to the last "
                  "second is safe. Free some disk space",
                  why.why()));
}

void Recording::finish(const std::string& reason) {
  RecordResult& result = report_.result;
  stop_inputs(result.interrupted);
  for (auto& t : tracks_) drain(*t);  // what was fetched until the stop
  take_events();
  if (log_) finish_log();
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    const ArrivalWatch::Seen now = seen(*tracks_[i]);
    if (watches_.arrivals[i].settle(now) == ArrivalWatch::Finding::clock_contradicts)
      report_clock(i, now);
  }
  mark_missing();
  for (auto& t : tracks_) t->finish(axis());
  report_losses();
  const double at = axis().recorded_s();
  if (result.disk_full) {
    writer_->event({EventKind::disk_full, at, at, reason});
    report_.warn(
        fmt::format("stopped after {}: the disk is nearly full; everything recorded is safe. Free "
                    "some space or record to another disk",
                    duration(at)));
  } else if (result.interrupted) {
    writer_->event({EventKind::input_lost, at, at, reason});
    report_.warn(fmt::format("{}; {} saved{}", reason, duration(at), what_of_outputs()));
  }
  result.end_reason = reason;
  writer_->finish(reason, result.interrupted);
  follow_new_book();
  report_.forget_messages();
  send_progress(false);
}

void Recording::finish_log() {
  const double until = end_.at.at_s();
  log_->log().stop();
  log_->drain(until);
  log_->finish(until);
  if (const auto failure = log_->log().failure()) {
    report_.warn("the device log was lost: " + *failure);
    writer_->event({EventKind::log_lost, axis().recorded_s(), axis().recorded_s(), *failure});
  }
  for (const std::string& note : log_->take_notes()) report_.warn(note);
}

/// A lost link leaves an output as it was; whoever reads this must know.
std::string Recording::what_of_outputs() {
  std::string out;
  for (auto& t : tracks_) {
    if (!t->input().has_outputs()) continue;
    if (t->input().failure() || t->input().away()) return "; the output may still be on: check it";
    if (t->input().output_on()) out = "; the output is still on";
  }
  return out;
}

/// A capture covers what was asked for: what an input owes at the end is missing, not unasked.
void Recording::mark_missing() {
  const double until = end_.at.at_s();
  double end = axis().recorded_s();
  if (watches_.arrivals.front().is_silent()) end = std::max(end, axis().axis_of_host(host_now_s()));
  if (end_.at.known() && (end_.time_was_up || end > until)) end = until;
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    InputTrack& t = *tracks_[i];
    if (t.samples() == 0 && i > 0) continue;
    // Inputs that are asked to stop do so within some tens of milliseconds of each other, and those
    // that print readings owe one from time to time.
    const bool asked = end_.at.known() && end >= until && t.period() > 0;
    const double usual = t.samples() > 0 ? t.recorded_s() / static_cast<double>(t.samples()) : 0;
    const double late = end - t.axis_s(axis(), t.recorded_s());
    const double least = end_.time_was_up ? 0 : kOwed * settings_.time_scale;
    if (asked || late > std::max(least, kIntervals * usual)) t.miss(axis(), end);
  }
}

void Recording::report_losses() {
  for (auto& t : tracks_) {
    if (t->lost() == 0) continue;
    report_.warn(fmt::format("{}: {} samples lost in {} gap{}, the first at {}; they are marked",
                             t->input().endpoint().text, t->lost(), t->gaps(),
                             t->gaps() == 1 ? "" : "s", duration(t->first_lost_s())));
  }
  if (limits_) limits_->finish();
}

}  // namespace kuvio::acquire
