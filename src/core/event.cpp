// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/event.h"

#include <algorithm>
#include <array>

namespace kuvio {
namespace {

using enum EventClass;

constexpr std::array kKinds{
    EventKindInfo{EventKind::output_on, "output_on", switching, "output", "on"},
    EventKindInfo{EventKind::output_off, "output_off", switching, "output", "off"},
    EventKindInfo{EventKind::output_found_on, "output_found_on", trouble, "output",
                  "was already on"},
    EventKindInfo{EventKind::output_tripped, "output_tripped", trouble, "output",
                  "switched itself off"},
    EventKindInfo{EventKind::auxiliary_on, "auxiliary_on", switching, "auxiliary output", "on"},
    EventKindInfo{EventKind::auxiliary_off, "auxiliary_off", switching, "auxiliary output", "off"},
    EventKindInfo{EventKind::line_high, "line_high", switching, "line", "high"},
    EventKindInfo{EventKind::line_low, "line_low", switching, "line", "low"},
    EventKindInfo{EventKind::device_reset, "device_reset", switching, "device", "reset"},
    EventKindInfo{EventKind::current_limited, "current_limited", trouble, "output",
                  "held the current at its limit"},
    EventKindInfo{EventKind::device_reset_loop, "device_reset_loop", trouble, "", ""},
    EventKindInfo{EventKind::samples_lost, "samples_lost", trouble, "", ""},
    EventKindInfo{EventKind::link_lost, "link_lost", trouble, "", ""},
    EventKindInfo{EventKind::input_silent, "input_silent", trouble, "", ""},
    EventKindInfo{EventKind::input_lost, "input_lost", trouble, "", ""},
    EventKindInfo{EventKind::log_lost, "log_lost", trouble, "", ""},
    EventKindInfo{EventKind::machine_slept, "machine_slept", trouble, "", ""},
    EventKindInfo{EventKind::disk_full, "disk_full", trouble, "", ""},
    EventKindInfo{EventKind::mark, "mark", EventClass::mark, "", ""},
    EventKindInfo{EventKind::armed_start, "armed_start", timing, "", ""},
    EventKindInfo{EventKind::clock_anchor, "clock_anchor", timing, "", ""},
    EventKindInfo{EventKind::stream_began, "stream_began", timing, "", ""},
    EventKindInfo{EventKind::other, "other", timing, "", ""},
};

constexpr bool in_order() {
  for (std::size_t i = 0; i < kKinds.size(); ++i)
    if (static_cast<std::size_t>(kKinds[i].kind) != i) return false;
  return kKinds.size() == static_cast<std::size_t>(EventKind::other) + 1;
}
static_assert(in_order(), "a line for each kind, in the order of EventKind");

}  // namespace

std::span<const EventKindInfo> event_kinds() { return kKinds; }

const EventKindInfo& info(EventKind kind) { return kKinds[static_cast<std::size_t>(kind)]; }

EventKind event_kind(std::string_view key) {
  const auto* it = std::find_if(kKinds.begin(), kKinds.end(),
                                [&](const EventKindInfo& k) { return k.key == key; });
  return it == kKinds.end() ? EventKind::other : it->kind;
}

std::string event_text(EventKind kind, std::string_view subject, std::string_view why) {
  const EventKindInfo& k = info(kind);
  std::string out(subject.empty() ? k.subject : subject);
  if (!k.words.empty()) out += (out.empty() ? "" : " ") + std::string(k.words);
  if (!why.empty()) out += (out.empty() ? "" : ": ") + std::string(why);
  return out;
}

}  // namespace kuvio
