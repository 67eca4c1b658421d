// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/limit_watch.h"

#include <utility>

namespace kuvio {

void LimitWatch::sample(double t, double current) {
  if (current >= kNear * limit_) {
    if (!held_since_) {
      held_since_ = t;
      held_samples_ = 0;
      held_sum_ = 0;
    }
    ++held_samples_;
    held_sum_ += current;
    held_until_ = t;
    fell_at_.reset();
    counted_ = false;
  } else {
    if (held_since_) {
      // One sample may only touch it: two in a row are held.
      if (held_samples_ >= 2) {
        limited_ = LimitedStretch{*held_since_, t, held_sum_ / held_samples_};
        round_began_ = held_since_;
      } else {
        round_began_.reset();  // nor is what comes after it a round
      }
      held_since_.reset();
    }
    if (current <= kNothing * limit_) {
      if (!fell_at_) fell_at_ = t;
      const bool soon = round_began_ && *fell_at_ - held_until_ <= kSoon;
      if (soon && !counted_ && t - *fell_at_ >= kDown) {
        counted_ = true;
        if (loop_.rounds == 0) first_ = *round_began_;
        last_round_ = *round_began_;
        round_ = last_round_;
        ++loop_.rounds;
        loop_.from_s = first_;
        if (loop_.rounds > 1) loop_.period_s = (last_round_ - first_) / (loop_.rounds - 1);
      }
    } else {
      fell_at_.reset();
    }
  }
  last_t_ = t;
}

std::optional<LimitedStretch> LimitWatch::take_limited() {
  return std::exchange(limited_, std::nullopt);
}

std::optional<double> LimitWatch::take_round() { return std::exchange(round_, std::nullopt); }

std::optional<ResetLoop> LimitWatch::take_loop() {
  if (loop_.rounds < (reported_ == 0 ? kRounds : 2 * reported_)) return std::nullopt;
  reported_ = loop_.rounds;
  return loop_;
}

}  // namespace kuvio
