// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/recording_report.h"

#include "acquire/input_track.h"
#include "core/number_text.h"

#include <fmt/format.h>

namespace kuvio::acquire {

void RecordingReport::warn(const std::string& text) {
  result.warnings.push_back(text);
  if (call_) messages_.push_back(text);
}

void RecordingReport::event(const InputEvent& what, double a, double b) {
  if (what.kind == EventKind::output_tripped) {
    warn(fmt::format("over-current at {}: {} switched itself off", duration(a),
                     what.subject.empty() ? "the output" : what.subject));
  } else if (what.kind == EventKind::link_lost) {
    warn(fmt::format("{}; unreachable from {} on, reconnected after {}", what.why, duration(a),
                     duration(b - a)));
  } else if (what.kind == EventKind::input_silent && ++trouble_[{what.kind, what.subject}] == 1) {
    warn(fmt::format("no reading came from {} to {}: a gap", duration(a), duration(b)));
  }
}

void RecordingReport::line(const book::LogLine& line) {
  if (call_) lines_.push_back(line);
}

void RecordingReport::text(const book::LogLine& text) {
  ++texts_;
  line(text);
}

void RecordingReport::send(const Tracks& tracks, const std::vector<book::ChannelInfo>& channels,
                           const Standing& standing) {
  if (!call_) return;
  RecordProgress out;
  out.armed = standing.armed;
  out.away = standing.away;
  out.disk_free = standing.disk_free;
  out.recorded_s = standing.armed ? 0 : tracks.front()->recorded_s();
  for (const auto& t : tracks) {
    const Input& input = t->input();
    out.samples += t->samples();
    out.bytes_per_s += t->bytes_per_s() * standing.time_scale;
    out.output_on |= input.output_on();
    for (const auto& output : input.outputs()) out.outputs.push_back(output);
    for (const auto& line : input.lines()) out.driven.push_back(line);
    for (const LiveChannel& c : t->live()) out.channels.push_back(calibrated(c, channels[c.place]));
    t->fresh_extremes();
  }
  out.log_lines = standing.log_lines + texts_;
  out.capture = result.capture;
  out.lines = std::exchange(lines_, {});
  out.messages = std::exchange(messages_, {});
  call_(out);
}

LiveChannel calibrated(LiveChannel c, const book::ChannelInfo& channel) {
  if (c.quantity == Quantity::logic) return c;
  const double gain = channel.calibration.gain, offset = channel.calibration.offset;
  c.quantity = channel.quantity;
  c.unit = channel.unit;
  c.last = gain * c.last + offset;
  c.min = gain * c.min + offset;
  c.max = gain * c.max + offset;
  if (gain < 0) std::swap(c.min, c.max);
  c.sum = gain * c.sum + offset * c.observed_s;
  return c;
}

}  // namespace kuvio::acquire
