// SPDX-License-Identifier: GPL-3.0-or-later
// How a SCPI input loses its link and takes it up again, and how it ends.

#include "acquire/host_clock.h"
#include "acquire/scpi_input.h"
#include "book/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <thread>

namespace kuvio::acquire {

using std::chrono::milliseconds;

namespace {
constexpr auto kLastWord = milliseconds(1000), kImpatient = milliseconds(200);
}  // namespace

/// A lost link is tried again; what the instrument logged meanwhile is then still there, as far as
/// its memory reaches.
void ScpiInput::reconnect(const std::stop_token& stop, const Error& why) {
  const double lost_at = host_now_s(), lost_own = static_cast<double>(next_) * interval_s_;
  set_away(why.what());
  while (true) {
    if (stop.stop_requested()) return;
    try {
      instrument_.resume(open_(milliseconds(1000)));
      break;
    } catch (const Error& e) {
      if (e.failure() == Failure::bad_data) throw;
      if (host_now_s() - lost_at > settings_.reconnect_s) throw why;
    }
    for (int i = 0; i < 20 && !stop.stop_requested(); ++i)
      std::this_thread::sleep_for(milliseconds(10));
  }
  resumed_ = true;
  set_away(std::nullopt);
  forget_waiting("the link was lost before its turn");
  const double own = profile().log ? lost_own : lost_at - started_s_;
  post_event({EventKind::link_lost, own, own + host_now_s() - lost_at, "", why.what()});
}

/// What must happen is sent first and waits for no answer; then it is asked how it went, not for
/// long.
void ScpiInput::end() {
  instrument_.set_stop({});
  instrument_.on_unasked({});  // the rest of an answer that was no longer waited for
  instrument_.limit_patience(impatient_ ? kImpatient : kLastWord);
  for (Held& held : held_) {  // nothing is left in reset; an output that is off stays so
    if (held.reset.of_line()) switch_line(held.reset.name, !held.reset.on);
  }
  bool switched_off = false;
  for (const OutputProfile& o : profile().outputs) {
    const OutputSettings* request = settings_of(o);
    if (!request || !(request->power_off || (request->off_on_failure && failed_))) continue;
    instrument_.send(o, false);
    set_output(o.name, false);
    switched_off = true;
  }
  instrument_.stop_log();
  try {
    for (const auto& [name, w] : watched_) {
      if (w.limited) report_limited(name, w.since_s, own_now());
    }
    instrument_.wait_done();
    for (const std::string& e : instrument_.errors())
      note("the input reported " + book::printable(e));
  } catch (const Error& e) {
    note(fmt::format("{}: it did not answer at the end ({}){}", endpoint_.text, e.why(),
                     switched_off ? "; its output was commanded off: check it" : ""));
  }
}

}  // namespace kuvio::acquire
