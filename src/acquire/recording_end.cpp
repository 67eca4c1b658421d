// SPDX-License-Identifier: GPL-3.0-or-later
// The end of a recording, wanted or not, and what is reported while it runs.

#include "acquire/recording.h"
#include "book/disk.h"
#include "book/sqlite.h"
#include "core/error.h"
#include "core/number_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <thread>
#include <utility>

namespace kuvio::acquire {

bool Recording::disk_is_full() {
  const auto disk = settings_.disk ? settings_.disk() : book::disk_of(book_.path());
  if (!disk) return false;
  live_.disk_free = disk->free;
  const std::uint64_t reserve = std::min(settings_.keep_free, disk->size / 10);
  return disk->free < reserve + static_cast<std::uint64_t>(book_.database().wal_bytes());
}

void Recording::out_of_disk(const Error& why) {
  for (auto& t : tracks_) {
    t->input().set_failed(true);
    t->input().stop();
  }
  writer_.reset();
  result_.interrupted = result_.disk_full = true;
  result_.end_reason = "the disk is full";
  book_.mark_interrupted(result_.capture, result_.end_reason);
  warn(
      fmt::format("the book could not be written any further ({}); everything up to the last "
                  "second is safe. Free some disk space",
                  why.why()));
}

void Recording::finish(const std::string& reason,
                       const std::function<void(const RecordProgress&)>& progress) {
  for (auto& t : tracks_) {
    t->input().set_failed(result_.interrupted);
    t->input().stop();
  }
  for (auto& t : tracks_) drain(*t);  // what was fetched until the stop
  take_events();
  if (log_) {
    log_->log().stop();
    log_->drain(until_s_);
    log_->finish(until_s_);
    if (const auto failure = log_->log().failure()) {
      warn("the device log was lost: " + *failure);
      writer_->event({EventKind::log_lost, axis().recorded_s(), axis().recorded_s(), *failure});
    }
    for (const std::string& note : log_->take_notes()) warn(note);
  }
  for (std::size_t i = 0; i < tracks_.size(); ++i) compare_clocks(i, true);
  mark_missing();
  for (auto& t : tracks_) t->finish(axis());
  report_losses();
  const double at = axis().recorded_s();
  if (result_.disk_full) {
    writer_->event({EventKind::disk_full, at, at, reason});
    warn(
        fmt::format("stopped after {}: the disk is nearly full; everything recorded is safe. Free "
                    "some space or record to another disk",
                    duration(at)));
  } else if (result_.interrupted) {
    writer_->event({EventKind::input_lost, at, at, reason});
    warn(fmt::format("{}; {} saved{}", reason, duration(at), what_of_outputs()));
  }
  result_.end_reason = reason;
  writer_->finish(reason, result_.interrupted);
  follow_new_book();
  reported_.clear();  // what it ended with, its result says
  report(progress, false);
}

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
  double end = axis().recorded_s();
  if (progress_.front().reported_silent) end = std::max(end, axis().axis_of_host(host_now_s()));
  if (std::isfinite(until_s_) && (time_was_up_ || end > until_s_)) end = until_s_;
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    InputTrack& t = *tracks_[i];
    if (t.samples() == 0 && i > 0) continue;
    // Inputs that are asked to stop do so within some tens of milliseconds of each other, and those
    // that print readings owe one from time to time.
    const bool asked = std::isfinite(until_s_) && end >= until_s_ && t.period() > 0;
    const double usual = t.samples() > 0 ? t.recorded_s() / static_cast<double>(t.samples()) : 0;
    const double late = end - own_on_axis(t, t.recorded_s());
    const double least = time_was_up_ ? 0 : 2 * settings_.time_scale;
    if (asked || late > std::max(least, 20 * usual)) t.miss(axis(), end);
  }
}

void Recording::report_losses() {
  for (auto& t : tracks_) {
    if (t->lost() == 0) continue;
    warn(fmt::format("{}: {} samples lost in {} gap{}, the first at {}; they are marked",
                     t->input().endpoint().text, t->lost(), t->gaps(), t->gaps() == 1 ? "" : "s",
                     duration(t->first_lost_s())));
  }
  if (limits_) limits_->finish();
}

LiveChannel Recording::as_meant(LiveChannel c) const {
  const book::ChannelInfo& info = channels_[c.place];
  if (c.quantity == Quantity::logic || info.calibration.identity()) return c;
  const auto& [gain, offset, text] = info.calibration;
  c.quantity = info.quantity;
  c.unit = info.unit;
  c.last = gain * c.last + offset;
  c.min = gain * c.min + offset;
  c.max = gain * c.max + offset;
  if (gain < 0) std::swap(c.min, c.max);
  c.sum = gain * c.sum + offset * c.observed_s;
  return c;
}

void Recording::report(const std::function<void(const RecordProgress&)>& progress, bool armed) {
  if (!progress) {
    fresh_lines_.clear();  // nobody takes them
    reported_.clear();
    return;
  }
  live_.armed = armed;
  live_.away = away_;
  live_.recorded_s = armed ? 0 : axis().recorded_s();
  live_.samples = 0;
  live_.bytes_per_s = 0;
  live_.channels.clear();
  live_.output_on = false;
  live_.outputs.clear();
  live_.driven.clear();
  for (auto& t : tracks_) {
    live_.samples += t->samples();
    live_.bytes_per_s += t->bytes_per_s() * settings_.time_scale;
    live_.output_on |= t->input().output_on();
    for (const auto& output : t->input().outputs()) live_.outputs.push_back(output);
    for (const auto& line : t->input().lines()) live_.driven.push_back(line);
    for (const LiveChannel& c : t->live()) live_.channels.push_back(as_meant(c));
    t->fresh_extremes();
  }
  live_.log_lines = (log_ ? log_->lines() : 0) + texts_;
  live_.capture = result_.capture;
  live_.lines = std::exchange(fresh_lines_, {});
  live_.messages = std::exchange(reported_, {});
  if (!live_.disk_free) {
    if (const auto disk = book::disk_of(book_.path())) live_.disk_free = disk->free;
  }
  progress(live_);
}

}  // namespace kuvio::acquire
