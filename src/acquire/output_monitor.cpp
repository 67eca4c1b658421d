// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/output_monitor.h"

#include "book/text.h"
#include "core/error.h"

#include <fmt/format.h>

#include <cmath>
#include <utility>

namespace kuvio::acquire {
namespace {

using Clock = std::chrono::steady_clock;
constexpr auto kEvery = std::chrono::milliseconds(100);
constexpr double kKept = 10;  // s
constexpr std::size_t kMostErrors = 50, kLines = 10000;

}  // namespace

OutputMonitor::OutputMonitor(Endpoint output, std::optional<Endpoint> log,
                             std::vector<Profile> profiles)
    : output_(std::move(output)), log_(std::move(log)), profiles_(std::move(profiles)) {
  thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
  if (log_) log_thread_ = std::jthread([this](const std::stop_token& stop) { watch_log(stop); });
}

OutputMonitor::~OutputMonitor() = default;

void OutputMonitor::order(Order order) {
  const std::lock_guard lock(mutex_);
  orders_.push_back(std::move(order));
}
void OutputMonitor::set_voltage(double volts, const std::string& output) {
  order({Order::What::voltage, volts, output, {}});
}
void OutputMonitor::set_current_limit(double amperes, const std::string& output) {
  order({Order::What::limit, amperes, output, {}});
}
void OutputMonitor::set_cut_off(bool cut_off, const std::string& output) {
  order({Order::What::cut_off, cut_off ? 1.0 : 0.0, output, {}});
}
void OutputMonitor::execute(const SwitchCommand& what) {
  order({Order::What::switching, 0, {}, what});
}

void OutputMonitor::send(const std::string& line) {
  const std::lock_guard lock(mutex_);
  lines_to_send_.push_back(line);
}

OutputMonitorState OutputMonitor::state() const {
  const std::lock_guard lock(mutex_);
  OutputMonitorState out = state_;
  out.readings.assign(readings_.begin(), readings_.end());
  out.silent_s = std::chrono::duration<double>(Clock::now() - answered_).count();
  return out;
}

std::vector<DeviceLine> OutputMonitor::take_lines() {
  const std::lock_guard lock(mutex_);
  return std::exchange(lines_, {});
}

std::vector<std::string> OutputMonitor::take_errors() {
  const std::lock_guard lock(mutex_);
  return std::exchange(errors_, {});
}

void OutputMonitor::read_settings(Scpi& scpi, const Profile& profile) {
  const auto ask = [&](const Setting& s, Dimension d) {
    return s.query.empty() ? 0 : scpi.query_number(s.query, d, s.factor);
  };
  std::vector<OutputState> all;
  for (const OutputProfile& o : profile.outputs) {
    OutputState set{o.name, o.auxiliary, 0, 0, true};
    set.voltage = ask(o.voltage, Dimension::voltage);
    set.current_limit = ask(o.current_limit, Dimension::current);
    set.cut_off = !o.cut_off_state.empty() && scpi.query_on(o.cut_off_state);
    all.push_back(std::move(set));
  }
  const std::lock_guard lock(mutex_);
  state_.set = std::move(all);
}

void OutputMonitor::read_once(Scpi& scpi, const Profile& profile, double at_s) {
  LiveReading reading{at_s, 0, 0};
  bool current = false, voltage = false;
  for (const ChannelProfile& c : profile.channels) {
    if (c.query.empty()) continue;
    if (c.quantity == Quantity::current && !current) {
      reading.current = scpi.query_number(c.query, Dimension::current, c.factor);
      current = true;
    } else if (c.quantity == Quantity::voltage && !voltage) {
      reading.voltage = scpi.query_number(c.query, Dimension::voltage, c.factor);
      voltage = true;
    }
  }
  bool on = false;
  std::vector<std::pair<std::string, bool>> outputs;
  for (const OutputProfile& o : profile.outputs) {
    outputs.emplace_back(o.name, !o.state.empty() && scpi.query_on(o.state));
    on |= outputs.back().second;
  }
  std::vector<std::pair<std::string, bool>> lines;
  for (const LineProfile& l : profile.lines)
    lines.emplace_back(l.name, !l.query.empty() && scpi.query_on(l.query));
  const auto errors =
      profile.errors.empty() ? std::vector<std::string>{} : scpi.errors(profile.errors);
  const std::lock_guard lock(mutex_);
  state_.output_on = on;
  state_.outputs = std::move(outputs);
  state_.lines = std::move(lines);
  readings_.push_back(reading);
  while (readings_.front().at_s < at_s - kKept) readings_.pop_front();
  errors_.insert(errors_.end(), errors.begin(), errors.end());
  if (errors_.size() > kMostErrors) errors_.erase(errors_.begin(), errors_.end() - kMostErrors);
  answered_ = Clock::now();
}

int OutputMonitor::carry_out_all(Scpi& scpi, const Profile& profile,
                                 const std::vector<Order>& orders, const std::stop_token& stop) {
  int refused = 0;
  for (const Order& order : orders) {
    const bool switching = order.what == Order::What::switching;
    if (switching && order.switching.is_reset()) {
      reset(scpi, profile, order.switching, stop);
      continue;
    }
    if (switching && order.switching.on && !order.switching.of_line() && refused > 0) {
      const std::lock_guard lock(mutex_);
      errors_.emplace_back("the output was not switched on: a setting before it was refused");
      continue;
    }
    carry_out(scpi, profile, order);
    if (switching || profile.errors.empty()) continue;
    const auto errors = scpi.errors(profile.errors);
    if (errors.empty()) continue;
    ++refused;
    const std::lock_guard lock(mutex_);
    for (const std::string& e : errors) errors_.push_back("a setting was refused: " + e);
  }
  return refused;
}

void OutputMonitor::carry_out(Scpi& scpi, const Profile& profile, const Order& order) {
  if (profile.outputs.empty() && order.what != Order::What::switching) return;
  OutputProfile of = profile.outputs.empty() ? OutputProfile{} : profile.outputs.front();
  for (const OutputProfile& o : profile.outputs) {
    if (o.name == order.output) of = o;
  }
  const auto set = [&](const Setting& s) {
    if (s.can_set()) scpi.send(filled(s.set, order.value / s.factor));
  };
  switch (order.what) {
    case Order::What::voltage:
      set(of.voltage);
      break;
    case Order::What::limit:
      set(of.current_limit);
      break;
    case Order::What::cut_off: {
      const std::string& command = order.value > 0 ? of.cut_off : of.hold;
      if (!command.empty()) scpi.send(command);
      break;
    }
    case Order::What::switching:
      execute(scpi, profile, order.switching);
      break;
  }
  if (!profile.done.empty()) scpi.query(profile.done);
}

void OutputMonitor::execute(Scpi& scpi, const Profile& profile, const SwitchCommand& what) {
  if (what.of_line()) {
    for (const LineProfile& line : profile.lines) {
      if (line.name == what.name) scpi.send(what.on ? line.high : line.low);
    }
    return;
  }
  for (const OutputProfile& o : profile.outputs) {
    const bool first = &o == &profile.outputs.front();
    const bool all = !what.on && !what.is_reset();  // off is meant for all of them
    if (o.name != what.name && !(what.name.empty() && (all || first))) continue;
    // A protection that has tripped is set back only by an order to switch on again.
    if (what.on && !o.clear.empty()) scpi.send(o.clear);
    scpi.send(what.on ? o.on : o.off);
  }
}

void OutputMonitor::reset(Scpi& scpi, const Profile& profile, const SwitchCommand& what,
                          const std::stop_token& stop) {
  if (!what.of_line()) {  // to let go of an output that is off would be to switch it on
    for (const OutputProfile& o : profile.outputs) {
      const bool meant = what.name.empty() ? &o == &profile.outputs.front() : o.name == what.name;
      if (meant && !o.state.empty() && !scpi.query_on(o.state)) {
        const std::lock_guard lock(mutex_);
        errors_.push_back("the output is off: the device was not reset by it");
        return;
      }
    }
  }
  SwitchCommand back = what;
  back.on = !what.on;
  back.what = what.of_line() ? SwitchCommand::What::line : SwitchCommand::What::output;
  execute(scpi, profile, what);
  const auto until = Clock::now() + std::chrono::duration<double>(what.for_s);
  while (Clock::now() < until && !stop.stop_requested()) {
    if (until - Clock::now() < 3 * kEvery) {
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
    } else {  // what it draws meanwhile is of interest
      read_once(scpi, profile, std::chrono::duration<double>(Clock::now() - begun_).count());
      std::this_thread::sleep_for(kEvery);
    }
  }
  // Reported to stop meanwhile: a line is let go, an output stays off.
  if (!stop.stop_requested() || what.of_line()) execute(scpi, profile, back);
}

void OutputMonitor::run(const std::stop_token& stop) {
  begun_ = Clock::now();
  try {
    Profile profile;
    if (profiles_.size() == 1) profile = profiles_.front();
    const auto framing = [](const Profile& p) {
      return Framing{p.terminator, std::chrono::milliseconds(std::llround(p.timeout_s * 1000))};
    };
    Scpi scpi(open_link(output_), output_.text, framing(profile));
    const std::string identity =
        profile.identity.empty() ? profile.name : scpi.query(profile.identity);
    profile = profile_for(identity, profiles_);
    scpi.set_framing(framing(profile));
    for (const std::string& command : profile.init) scpi.send(command);
    bool on = false;
    for (const OutputProfile& o : profile.outputs) on |= !o.state.empty() && scpi.query_on(o.state);
    read_settings(scpi, profile);
    {
      const std::lock_guard lock(mutex_);
      state_.identity = identity;
      state_.profile = profile.name;
      state_.has_output = !profile.outputs.empty();
      for (const ChannelProfile& c : profile.channels) {
        if (c.quantity == Quantity::current && state_.currents.empty()) {
          for (const Range& range : c.ranges) state_.ranges.push_back(range.name);
        }
        if (c.quantity == Quantity::current) state_.currents.push_back(c.name);
        if (c.quantity == Quantity::voltage) state_.voltages.push_back(c.name);
      }
      state_.on_at_connect = state_.output_on = on;
      state_.phase = LinkPhase::ready;
      answered_ = Clock::now();
    }
    while (!stop.stop_requested()) {
      std::vector<Order> orders;
      {
        const std::lock_guard lock(mutex_);
        orders.swap(orders_);
      }
      const int refused = carry_out_all(scpi, profile, orders, stop);
      read_once(scpi, profile, std::chrono::duration<double>(Clock::now() - begun_).count());
      if (!orders.empty()) read_settings(scpi, profile);
      if (refused > 0) {
        const std::lock_guard lock(mutex_);
        state_.refusals += refused;
      }
      std::this_thread::sleep_for(kEvery);
    }
  } catch (const std::exception& e) {  // whatever it was, a thread of ours does not end the program
    const std::lock_guard lock(mutex_);
    state_.phase = LinkPhase::lost;
    state_.trouble = e.what();
  }
}

void OutputMonitor::watch_log(const std::stop_token& stop) {
  try {
    DeviceLog log(*log_);
    while (!stop.stop_requested()) {
      std::vector<std::string> lines;
      {
        const std::lock_guard lock(mutex_);
        lines.swap(lines_to_send_);
      }
      for (const std::string& line : lines) log.send(line);
      std::vector<DeviceLine> fresh = log.take();
      if (const auto failure = log.failure()) {
        const std::lock_guard lock(mutex_);
        state_.trouble = "The device log was lost: " + *failure;
        return;
      }
      {
        const std::lock_guard lock(mutex_);
        lines_.insert(lines_.end(), fresh.begin(), fresh.end());
        if (lines_.size() > kLines) lines_.erase(lines_.begin(), lines_.end() - kLines);
      }
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    log.stop();
  } catch (const std::exception& e) {  // whatever it was, a thread of ours does not end the program
    const std::lock_guard lock(mutex_);
    // What became of the output matters more.
    if (state_.trouble.empty())
      state_.trouble = std::string("The device log was lost: ") + e.what();
  }
}

}  // namespace kuvio::acquire
