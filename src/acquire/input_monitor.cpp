// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/input_monitor.h"

#include "core/error.h"
#include "core/special_value.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace kuvio::acquire {
namespace {
constexpr double kFresh = 0.5, kKept = 10;  // s
constexpr double kReadingEvery = 0.1, kRateOver = 1;
constexpr std::size_t kMostCame = 2000;  // where times stand still
}  // namespace

InputMonitor::InputMonitor(Endpoint endpoint, InputSettings settings)
    : endpoint_(std::move(endpoint)), settings_(std::move(settings)) {
  state_.address = endpoint_.text;
  state_.learned = endpoint_;
  settings_.heard = heard_;
  thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

InputState InputMonitor::state() const {
  const std::lock_guard lock(mutex_);
  InputState out = state_;
  out.readings.assign(readings_.begin(), readings_.end());
  out.heard = heard_->last();
  return out;
}

void InputMonitor::take(const Packet& packet, const Input& input, double at_s) {
  const std::lock_guard lock(mutex_);
  if (input.interval_s() > 0) {
    state_.rate_hz = 1 / input.interval_s();
  } else {
    // By the times that samples carry, where they carry any.
    const double to_s =
        packet.times.empty() ? at_s : static_cast<double>(packet.times.back()) * 1e-9;
    came_.emplace_back(to_s, static_cast<std::int64_t>(packet.samples()));
    while (came_.size() > kMostCame || came_.front().first < to_s - kKept) came_.pop_front();
    std::int64_t after_first = 0;
    for (std::size_t i = 1; i < came_.size(); ++i) after_first += came_[i].second;
    const double since = to_s - came_.front().first;
    if (since > kRateOver) state_.rate_hz = static_cast<double>(after_first) / since;
  }
  LiveReading reading{at_s, {}, {}};
  bool current = false, voltage = false;
  for (std::size_t c = 0; c < packet.columns.size(); ++c) {
    LiveChannel& live = state_.channels[c];
    Mean& mean = means_[c];
    for (const double v : packet.columns[c]) {
      const auto flag = flag_of_value(v);
      live.out_of_range = flag;
      if (flag) continue;
      live.min = mean.samples > 0 ? std::min(live.min, v) : v;
      live.max = mean.samples > 0 ? std::max(live.max, v) : v;
      live.last = v;
      mean.sum += v;
      ++mean.samples;
    }
    const Quantity quantity = input.channels()[c].quantity;
    const auto mean_now = live.out_of_range ? std::nullopt : mean.value();
    if (quantity == Quantity::current && !std::exchange(current, true)) reading.current = mean_now;
    if (quantity == Quantity::voltage && !std::exchange(voltage, true)) reading.voltage = mean_now;
  }
  if (!readings_.empty() && at_s - readings_.back().at_s < kReadingEvery) return;
  readings_.push_back(reading);
  while (readings_.front().at_s < at_s - kKept) readings_.pop_front();
}

void InputMonitor::run(const std::stop_token& stop) {
  try {
    const auto input = open_input(endpoint_, settings_);
    {
      const std::lock_guard lock(mutex_);
      state_.identity = input->identity();
      state_.learned = input->learned();
      for (const InputChannel& c : input->channels())
        state_.channels.push_back({c.name, c.quantity, c.unit});
      means_.resize(state_.channels.size());
      state_.phase = LinkPhase::ready;
    }
    input->start();
    const double begun = host_now_s();
    double fresh = begun;
    while (!stop.stop_requested() && !input->ended()) {
      const double now = host_now_s();
      if (now - fresh > kFresh) {
        fresh = now;
        const std::lock_guard lock(mutex_);
        means_.assign(means_.size(), {});
      }
      while (const auto packet = input->ring().pop()) take(*packet, *input, now - begun);
      input->take_sync_points();  // nobody needs them
      input->take_events();
      input->take_texts();
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    input->stop();
    if (const auto failure = input->failure()) {
      const std::lock_guard lock(mutex_);
      state_.phase = LinkPhase::lost;
      state_.trouble = *failure;
    }
  } catch (const std::exception& e) {
    const std::lock_guard lock(mutex_);
    state_.phase = LinkPhase::lost;
    state_.trouble = e.what();
  }
}

}  // namespace kuvio::acquire
