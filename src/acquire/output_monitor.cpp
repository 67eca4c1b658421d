// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/output_monitor.h"

#include "acquire/scpi_instrument.h"
#include "core/error.h"
#include "core/special_value.h"

#include <fmt/format.h>

#include <cmath>
#include <utility>

namespace kuvio::acquire {
namespace {

using Clock = std::chrono::steady_clock;
constexpr auto kEvery = std::chrono::milliseconds(100);
constexpr double kKept = 10;       // s
constexpr int kJoiningEvery = 10;  // turns
constexpr std::size_t kMostErrors = 50, kLines = 10000;

LiveChannel live(const ChannelProfile& of, double value) {
  LiveChannel out;
  out.name = of.name;
  out.quantity = of.quantity;
  out.unit = of.unit;
  out.last = out.min = out.max = value;
  out.out_of_range = flag_of_value(value);
  return out;
}

}  // namespace

OutputMonitor::OutputMonitor(Endpoint output, std::optional<Endpoint> log,
                             std::vector<Profile> profiles, LinkOpener open,
                             std::shared_ptr<TalkLog> talk)
    : output_(std::move(output)),
      log_(std::move(log)),
      profiles_(std::move(profiles)),
      open_(open ? std::move(open) : link_opener(output_)),
      talk_(std::move(talk)) {
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

void OutputMonitor::report(std::string error) {
  const std::lock_guard lock(mutex_);
  errors_.push_back(std::move(error));
}

void OutputMonitor::read_settings(ScpiInstrument& instrument) {
  std::vector<OutputState> all;
  for (const OutputProfile& o : instrument.profile().outputs) {
    OutputState set{o.name, o.auxiliary, 0, 0, true};
    set.voltage = instrument.get(o.voltage, Dimension::voltage).value_or(0);
    set.current_limit = instrument.get(o.current_limit, Dimension::current).value_or(0);
    set.cut_off = instrument.cuts_off(o);
    all.push_back(std::move(set));
  }
  const std::lock_guard lock(mutex_);
  state_.set = std::move(all);
}

std::optional<LiveChannel> OutputMonitor::read_next(ScpiInstrument& instrument) {
  std::vector<const ChannelProfile*> others;
  bool current = false, voltage = false;
  for (const ChannelProfile& c : instrument.profile().channels) {
    if (c.query.empty()) continue;
    bool& seen = c.quantity == Quantity::current ? current : voltage;
    if (c.quantity != Quantity::current && c.quantity != Quantity::voltage) continue;
    if (std::exchange(seen, true)) others.push_back(&c);
  }
  if (others.empty()) return std::nullopt;
  const ChannelProfile& c = *others[next_++ % others.size()];
  return live(c, instrument.read(c));
}

void OutputMonitor::keep(const LiveChannel& channel) {
  for (LiveChannel& known : state_.channels) {
    if (known.name != channel.name) continue;
    known = channel;
    return;
  }
  state_.channels.push_back(channel);
}

void OutputMonitor::read_once(ScpiInstrument& instrument) {
  const double at_s = std::chrono::duration<double>(Clock::now() - begun_).count();
  LiveReading reading{at_s, {}, {}};
  std::vector<LiveChannel> read;
  const auto first_of = [&](Quantity quantity) -> std::optional<double> {
    for (const ChannelProfile& c : instrument.profile().channels) {
      if (c.quantity != quantity || c.query.empty()) continue;
      read.push_back(live(c, instrument.read(c)));
      if (read.back().out_of_range) return std::nullopt;
      return read.back().last;
    }
    return std::nullopt;
  };
  reading.current = first_of(Quantity::current);
  reading.voltage = first_of(Quantity::voltage);
  if (auto one = read_next(instrument)) read.push_back(std::move(*one));
  bool on = false;
  std::vector<std::pair<std::string, bool>> outputs, lines;
  for (const OutputProfile& o : instrument.profile().outputs) {
    outputs.emplace_back(o.name, instrument.is_on(o).value_or(false));
    on |= outputs.back().second;
  }
  for (const LineProfile& l : instrument.profile().lines)
    lines.emplace_back(l.name, instrument.is_high(l));
  const auto errors = instrument.errors();
  const std::lock_guard lock(mutex_);
  // Whoever sees it ready knows its outputs: before, it would seem to have none.
  state_.phase = LinkPhase::ready;
  state_.output_on = on;
  state_.outputs = std::move(outputs);
  state_.lines = std::move(lines);
  for (const LiveChannel& channel : read) keep(channel);
  readings_.push_back(reading);
  while (readings_.front().at_s < at_s - kKept) readings_.pop_front();
  errors_.insert(errors_.end(), errors.begin(), errors.end());
  if (errors_.size() > kMostErrors) errors_.erase(errors_.begin(), errors_.end() - kMostErrors);
  answered_ = Clock::now();
}

int OutputMonitor::carry_out_all(ScpiInstrument& instrument, const std::vector<Order>& orders,
                                 const std::stop_token& stop) {
  int refused = 0;
  for (const Order& order : orders) {
    if (order.what != Order::What::switching) {
      const std::string why = set(instrument, order);
      if (why.empty()) continue;
      ++refused;
      report("a setting was refused: " + why);
    } else if (order.switching.is_reset()) {
      reset(instrument, order.switching, stop);
    } else if (order.switching.on && !order.switching.of_line() && refused > 0) {
      report("the output was not switched on: a setting before it was refused");
    } else {
      instrument.send(order.switching);
      instrument.wait_done();
    }
  }
  return refused;
}

std::string OutputMonitor::set(ScpiInstrument& instrument, const Order& order) {
  const auto meant = instrument.meant_by(output_switched(true, order.output));
  if (meant.empty())
    return order.output.empty() ? "it has no output" : "it has no output \"" + order.output + "\"";
  const OutputProfile& of = *meant.front();
  std::optional<ScpiInstrument::Refusal> refusal;
  switch (order.what) {
    case Order::What::voltage:
      refusal = instrument.set(of.voltage, order.value);
      break;
    case Order::What::limit:
      refusal = instrument.set(of.current_limit, order.value);
      break;
    default:
      refusal = instrument.set_cut_off(of, order.value > 0);
  }
  return refusal ? refusal->why : "";
}

void OutputMonitor::reset(ScpiInstrument& instrument, const SwitchCommand& what,
                          const std::stop_token& stop) {
  for (const OutputProfile* o : instrument.meant_by(what)) {
    if (!instrument.is_on(*o).value_or(true)) {  // to let go of it would be to switch it on
      report("the output is off: the device was not reset by it");
      return;
    }
  }
  instrument.send(what);
  const auto until = Clock::now() + std::chrono::duration<double>(what.for_s);
  while (Clock::now() < until && !stop.stop_requested()) {
    if (until - Clock::now() < 3 * kEvery) {
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
    } else {  // what it draws meanwhile is of interest
      read_once(instrument);
      std::this_thread::sleep_for(kEvery);
    }
  }
  // Asked to stop meanwhile: a line is let go, an output stays off.
  if (!stop.stop_requested() || what.of_line()) instrument.send(released(what));
}

void OutputMonitor::connected(ScpiInstrument& instrument) {
  const Profile& profile = instrument.profile();
  bool on = false;
  for (const OutputProfile& o : profile.outputs) on |= instrument.is_on(o).value_or(false);
  read_settings(instrument);
  const std::lock_guard lock(mutex_);
  state_.identity = instrument.identity();
  state_.profile = profile.name;
  state_.has_output = !profile.outputs.empty();
  const bool joined = instrument.joining() != Joining::apart && profile.join;
  state_.joined = joined ? profile.join->name : "";
  state_.joined_how = to_string(instrument.joining());
  state_.currents.clear();
  state_.voltages.clear();
  state_.ranges.clear();
  state_.channels.clear();
  for (const ChannelProfile& c : profile.channels) {
    if (c.quantity == Quantity::current && state_.currents.empty()) {
      for (const Range& range : c.ranges) state_.ranges.push_back(range.name);
    }
    if (c.quantity == Quantity::current) state_.currents.push_back(c.name);
    if (c.quantity == Quantity::voltage) state_.voltages.push_back(c.name);
  }
  state_.on_at_connect = state_.output_on = on;
  answered_ = Clock::now();
}

void OutputMonitor::run(const std::stop_token& stop) {
  begun_ = Clock::now();
  try {
    ScpiInstrument instrument(open_(kFirstLink), output_.text, first_words(profiles_));
    instrument.keep_talk(talk_);
    instrument.identify(profiles_);
    instrument.begin();
    connected(instrument);
    for (int turn = 1; !stop.stop_requested(); ++turn) {
      // Somebody at its front may join its outputs, or part them.
      if (turn % kJoiningEvery == 0 && instrument.rejoin()) {
        connected(instrument);
        report(instrument.joining() == Joining::apart
                   ? "its outputs are no longer joined"
                   : "its outputs were joined " + to_string(instrument.joining()));
      }
      std::vector<Order> orders;
      {
        const std::lock_guard lock(mutex_);
        orders.swap(orders_);
      }
      const int refused = carry_out_all(instrument, orders, stop);
      read_once(instrument);
      if (!orders.empty()) read_settings(instrument);
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
