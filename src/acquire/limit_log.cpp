// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/limit_log.h"

#include "core/number_text.h"

#include <fmt/format.h>

namespace kuvio::acquire {

void LimitLog::watch(double from_s, double step_s, std::span<const double> values,
                     book::CaptureWriter& writer) {
  for (std::size_t i = 0; i < values.size(); ++i) {
    const double at = from_s + static_cast<double>(i) * step_s;
    watch_.sample(at, values[i]);
    if (const auto held = watch_.take_limited()) {
      writer.event({EventKind::current_limited, held->from_s, held->to_s,
                    event_text(EventKind::current_limited, "", "")});
      length_s_ += held->to_s - held->from_s;
      if (++times_ == 1)
        report(
            fmt::format("the output reached its current limit at {}; from there the current is set "
                        "by the limit, not by the device",
                        duration(held->from_s)));
    }
    if (const auto loop = watch_.take_loop()) {
      const std::string text = fmt::format(
          "reset loop: the device restarts every {}, each time at the current limit; {} restarts "
          "by {}",
          duration(loop->period_s), loop->rounds, duration(at));
      writer.event({EventKind::device_reset_loop, loop->from_s, at, text});
      if (!loop_reported_) report(text + ". Raise the limit");
      loop_reported_ = true;
    }
  }
}

void LimitLog::finish() const {
  if (times_ > 1)
    report(fmt::format("the current limit was reached {} times, for {} in all", times_,
                       duration(length_s_)));
}

}  // namespace kuvio::acquire
