// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/arrival_watch.h"

#include <algorithm>
#include <cmath>

namespace kuvio::acquire {
namespace {

constexpr double kSilent = 5;                    // s without a sample, or
constexpr double kIntervals = 20;                // so many of those that are usual
constexpr double kQueues = 10;                   // s that queues may hold
constexpr double kClockError = 0.05;             // part by which two clocks may differ
constexpr double kContradicted = 2;              // s: a pause of this program is shorter
constexpr double kPace = 2, kSampled = 0.1;      // s that the pace is judged over, and how finely
constexpr double kComes = 0.1;                   // of what should come: it goes on coming
constexpr double kGrace = 2, kGracePart = 0.01;  // s, and part of the length
constexpr double kLate = 10;                     // s more than twice the length: enough

}  // namespace

ArrivalWatch::Finding ArrivalWatch::look(const Seen& seen) {
  if (seen.samples != samples_) {
    if (samples_ == 0) {
      first_host_s_ = seen.now_s;
      first_own_s_ = seen.recorded_s;
    }
    samples_ = seen.samples;
    last_host_s_ = seen.now_s;
    silent_.restart(seen.now_s);
    waited_s_ = 0;
    reported_silent_ = false;
    return compare(seen, false);
  }
  waited_s_ = silent_.waited_s(seen.now_s);
  const double usual = samples_ > 0 ? seen.recorded_s / static_cast<double>(samples_) / scale_ : 0;
  if (reported_silent_ || seen.accounted_for || waited_s_ < std::max(kSilent, kIntervals * usual))
    return Finding::none;
  reported_silent_ = true;
  return Finding::silent;
}

ArrivalWatch::Finding ArrivalWatch::settle(const Seen& seen) { return compare(seen, true); }

ArrivalWatch::Finding ArrivalWatch::compare(const Seen& seen, bool settled) {
  if (reported_clock_ || samples_ == 0 || !seen.has_rate) return Finding::none;
  const double real = real_s();
  const bool far = std::fabs(own_s(seen) - real) > kQueues * scale_ + kClockError * real;
  if (!far && !seen.rate_is_wrong) {
    contradicted_.restart(seen.now_s);
    return Finding::none;
  }
  if (contradicted_.waited_s(seen.now_s) < kContradicted && !settled) return Finding::none;
  reported_clock_ = true;
  return Finding::clock_contradicts;
}

bool TimeLimit::is_up(double now_s, double recorded_s, double until_s, bool any) {
  if (!std::isfinite(until_s)) return false;
  const double waited = begun_.waited_s(now_s);
  if (pace_.empty() || waited - pace_.back().waited_s > kSampled)
    pace_.push_back({waited, recorded_s});
  while (waited - pace_.front().waited_s > kPace) pace_.pop_front();
  const double wanted = until_s / scale_;
  const double first = any ? 0 : kSilent;
  if (waited < wanted + first + std::max(kGrace, kGracePart * wanted)) return false;
  const double gained = (recorded_s - pace_.front().recorded_s) / scale_;
  if (scale_ != 1) return gained <= 0;
  return gained < kComes * (waited - pace_.front().waited_s) || waited > 2 * wanted + kLate;
}

}  // namespace kuvio::acquire
