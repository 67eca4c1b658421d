// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/scpi_input.h"

#include "book/text.h"
#include "core/error.h"
#include "core/special_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace kuvio::acquire {
namespace {

using std::chrono::milliseconds;
constexpr auto kPoll = milliseconds(20);
constexpr double kRing = 4e6;                         // samples at least; 8 s of them else
constexpr int kMisread = 20;                          // answers that a capture gets over
constexpr double kShortest = 1e-9, kLongest = 86400;  // s between samples

Dimension dimension_of(const ChannelProfile& c) { return info(c.quantity).dimension; }

}  // namespace

ScpiInput::ScpiInput(const Endpoint& endpoint, const InputSettings& settings)
    : Input(endpoint, static_cast<std::size_t>(std::max(kRing, settings.rate_hz * 8))),
      settings_(settings),
      scpi_(open_link(endpoint), endpoint.text) {
  scpi_.set_stop(settings_.stop);
  // A terminator is spoken before anything can be asked: one given profile decides it.
  if (settings_.profiles.size() == 1) profile_ = settings_.profiles.front();
  connect();
  profile_ = profile_for(identity_, settings_.profiles);
  scpi_.set_framing({profile_.terminator, milliseconds(std::llround(profile_.timeout_s * 1000))});
  for (const std::string& command : profile_.init) scpi_.send(command);
  name_first_output();
  find_outputs();
  set_up_outputs();
  set_up_lines();
  choose_channels();
  if (profile_.log) {
    set_up_log();
  } else {
    interval_s_ = 0;
  }
}

void ScpiInput::connect() {
  scpi_.set_framing({profile_.terminator, milliseconds(std::llround(profile_.timeout_s * 1000))});
  scpi_.unasked = [this](const std::string& text) {
    if (unasked_++ == 0)
      note(fmt::format("{}: it sends what nobody asked for (\"{}\"); it is thrown away",
                       endpoint_.text, book::printable(text)));
  };
  identity_ =
      profile_.identity.empty() ? profile_.name : book::printable(scpi_.query(profile_.identity));
}

void ScpiInput::refuse_on_error(const std::string& doing) {
  if (profile_.errors.empty()) return;
  const auto errors = scpi_.errors(profile_.errors);
  if (errors.empty()) return;
  throw Error(
      Failure::unavailable, "input refused to " + doing, endpoint_.text,
      "it answered " + errors.front() + " (spoken to by the profile \"" + profile_.name + "\")");
}

void ScpiInput::wait_done() {
  if (!profile_.done.empty()) scpi_.query(profile_.done);
}

const OutputSettings* ScpiInput::settings_of(const OutputProfile& output) const {
  const auto it = settings_.outputs.find(output.name);
  return it == settings_.outputs.end() ? nullptr : &it->second;
}

/// What is said of "the output" is meant of the first one, under its own name from here on.
void ScpiInput::name_first_output() {
  const auto said = settings_.outputs.find("");
  if (said == settings_.outputs.end() || profile_.outputs.empty()) return;
  const std::string& name = profile_.outputs.front().name;
  if (name.empty()) return;
  const OutputSettings first = said->second;
  settings_.outputs.erase(said);
  OutputSettings& own = settings_.outputs.try_emplace(name, first).first->second;
  if (!own.voltage) own.voltage = first.voltage;
  if (!own.current_limit) own.current_limit = first.current_limit;
  if (!own.cut_off) own.cut_off = first.cut_off;
  own.power_on |= first.power_on;
  own.power_off |= first.power_off;
  own.off_on_failure |= first.off_on_failure;
}

void ScpiInput::find_outputs() {
  for (const auto& [name, request] : settings_.outputs) {
    const bool known =
        (name.empty() && !profile_.outputs.empty()) ||
        std::any_of(profile_.outputs.begin(), profile_.outputs.end(),
                    [&wanted = name](const OutputProfile& o) { return o.name == wanted; });
    const bool asks =
        request.voltage || request.current_limit || request.cut_off || request.power_on;
    if (!known && asks) {
      throw Error(Failure::usage, "no such output", endpoint_.text,
                  name.empty()
                      ? "the profile \"" + profile_.name + "\" has no output"
                      : "the profile \"" + profile_.name + "\" has no output \"" + name + "\"");
    }
  }
  for (const OutputProfile& o : profile_.outputs) {
    const bool on = !o.state.empty() && scpi_.query_on(o.state);
    set_output(o.name, on);
    watched_[o.name].on = on;
    if (on) on_at_connect_.push_back(o.name);
  }
}

void ScpiInput::set_number(const Setting& s, double value, const std::string& what) {
  const std::string shown = fmt::format("{:g}", value);
  if (!s.can_set()) {
    throw Error(Failure::usage, "cannot set " + what, endpoint_.text,
                "the profile \"" + profile_.name + "\" has no command for it");
  }
  if ((s.min && value < *s.min) || (s.max && value > *s.max)) {
    throw Error(Failure::usage, "cannot set " + what, endpoint_.text,
                fmt::format("{} is outside what the profile \"{}\" allows ({:g} to {:g})", shown,
                            profile_.name, s.min.value_or(-INFINITY), s.max.value_or(INFINITY)));
  }
  scpi_.send(filled(s.set, value / s.factor));
  refuse_on_error("set " + what);
}

void ScpiInput::set_up_outputs() {
  for (const OutputProfile& o : profile_.outputs) {
    const std::string prefix = o.name.empty() ? "" : "output_" + o.name + "_";
    if (const OutputSettings* request = settings_of(o)) {
      if (request->voltage) set_number(o.voltage, *request->voltage, "the voltage");
      if (request->current_limit) {
        set_number(o.current_limit, *request->current_limit, "the current limit");
      }
      if (request->cut_off) {
        const std::string& command = *request->cut_off ? o.cut_off : o.hold;
        if (command.empty()) {
          throw Error(Failure::usage, "cannot set what it does on over-current", endpoint_.text,
                      "the profile \"" + profile_.name + "\" has no command for it");
        }
        scpi_.send(command);
        refuse_on_error("set what it does on over-current");
        conditions_[prefix + "on_over_current"] = *request->cut_off ? "switch off" : "hold";
      }
    }
    const OutputSettings* requested = settings_of(o);
    std::optional<double> limit = requested ? requested->current_limit : std::nullopt;
    // Not every instrument that is spoken to generically answers this; one that reports its limit
    // does.
    if (!limit && o.limited.known() && !o.current_limit.query.empty())
      limit = scpi_.query_number(o.current_limit.query, Dimension::current, o.current_limit.factor);
    if (limit && *limit > 0 && !current_limit_) current_limit_ = limit;
    if (requested && requested->current_limit)
      conditions_[prefix + "current_limit"] = fmt::format("{:g} A", *limit);
    if (!o.voltage.query.empty()) {
      conditions_[prefix + "voltage"] = fmt::format(
          "{:g} V", scpi_.query_number(o.voltage.query, Dimension::voltage, o.voltage.factor));
    }
  }
}

void ScpiInput::set_up_lines() {
  if (settings_.line_level) {
    set_number(profile_.line_level, *settings_.line_level, "the level of the digital lines");
    conditions_["line_level"] = fmt::format("{:g} V", *settings_.line_level);
  }
  for (const LineProfile& line : profile_.lines)
    set_line(line.name, !line.query.empty() && scpi_.query_on(line.query));
  for (const auto& [name, high] : settings_.lines) {
    if (!switch_line(name, high)) {
      std::string known;
      for (const LineProfile& l : profile_.lines) known += (known.empty() ? "" : ", ") + l.name;
      throw Error(Failure::usage, "no such digital line", endpoint_.text,
                  "the profile \"" + profile_.name + "\" drives no line \"" + name + "\"; it has " +
                      (known.empty() ? "none" : known));
    }
    refuse_on_error("set line " + name);
    conditions_["line_" + name] = high ? "high" : "low";
  }
}

/// False when there is no such line.
bool ScpiInput::switch_line(const std::string& name, bool high) {
  for (const LineProfile& line : profile_.lines) {
    if (line.name != name) continue;
    scpi_.send(high ? line.high : line.low);
    set_line(name, high);
    return true;
  }
  return false;
}

const OutputProfile* ScpiInput::output_named(const std::string& name) const {
  for (const OutputProfile& o : profile_.outputs) {
    if (o.name == name || (name.empty() && &o == &profile_.outputs.front())) return &o;
  }
  return nullptr;
}

void ScpiInput::choose_channels() {
  std::vector<std::string> wanted = settings_.channels;
  if (wanted.empty()) {
    for (const ChannelProfile& c : profile_.channels) {
      if (c.quantity == Quantity::current) wanted.push_back(c.name);
    }
  }
  for (const std::string& name : wanted) {
    const auto found = std::find_if(profile_.channels.begin(), profile_.channels.end(),
                                    [&](const ChannelProfile& c) { return c.name == name; });
    if (found == profile_.channels.end() || found->quantity == Quantity::logic) {
      std::string known;
      for (const ChannelProfile& c : profile_.channels) {
        if (c.quantity != Quantity::logic) known += (known.empty() ? "" : ", ") + c.name;
      }
      throw Error(
          Failure::usage, "no such channel", endpoint_.text,
          "the profile \"" + profile_.name + "\" has no channel \"" + name + "\"; it has " + known);
    }
    chosen_.push_back(&*found);
  }
  if (!settings_.logic.empty()) {
    const auto word =
        std::find_if(profile_.channels.begin(), profile_.channels.end(),
                     [](const ChannelProfile& c) { return c.quantity == Quantity::logic; });
    if (word == profile_.channels.end() || static_cast<int>(settings_.logic.size()) > word->lines) {
      throw Error(Failure::usage, "no such logic lines", endpoint_.text,
                  word == profile_.channels.end() ? "the profile \"" + profile_.name + "\" has none"
                                                  : fmt::format("it has {} of them", word->lines));
    }
    chosen_.push_back(&*word);
  }
  for (const ChannelProfile* c : chosen_) {
    InputChannel channel;
    channel.name = c->name;
    channel.quantity = c->quantity;
    channel.unit = c->unit;
    channel.kind = c->instant || !profile_.log ? SampleKind::instant : SampleKind::averaged;
    channel.accuracy = c->accuracy;
    if (c->quantity == Quantity::logic) channel.lines = settings_.logic;
    if (!profile_.log) channel.encoding = book::Encoding::f8;
    const auto request = settings_.range.find(c->name);
    const std::string range = request == settings_.range.end() ? "" : request->second;
    if (!range.empty()) {
      const auto found = std::find_if(c->ranges.begin(), c->ranges.end(),
                                      [&](const Range& r) { return r.name == range; });
      if (found == c->ranges.end()) {
        std::string known;
        for (const Range& r : c->ranges) known += (known.empty() ? "" : ", ") + r.name;
        throw Error(Failure::usage, "no such range", endpoint_.text,
                    "channel " + c->name + " has no range \"" + range + "\"; it has " +
                        (known.empty() ? "none" : known));
      }
      scpi_.send(found->set);
      if (!found->accuracy.empty()) channel.accuracy = found->accuracy;
    } else if (!c->range_auto.empty()) {
      scpi_.send(c->range_auto);
    }
    refuse_on_error("set the range of " + c->name);
    if (c->quantity == Quantity::current)
      conditions_["range"] = range.empty() ? "automatic" : range;
    channels_.push_back(channel);
  }
  if (channels_.empty()) {
    throw Error(Failure::usage, "nothing to record", endpoint_.text,
                "the profile \"" + profile_.name + "\" measures nothing");
  }
}

void ScpiInput::set_up_log() {
  const LogProfile& log = *profile_.log;
  for (const std::string& command : log.setup) scpi_.send(command);
  if (!log.setup.empty()) refuse_on_error("set up its log");
  const double wanted = log.interval_is_rate ? settings_.rate_hz : 1 / settings_.rate_hz;
  if (log.interval.can_set()) set_number(log.interval, wanted, "the rate");
  double answered = wanted;
  if (!log.interval.query.empty()) {
    answered = scpi_.query_number(log.interval.query,
                                  log.interval_is_rate ? Dimension::frequency : Dimension::time,
                                  log.interval.factor);
  }
  interval_s_ = log.interval_is_rate ? 1 / answered : answered;
  if (!(interval_s_ >= kShortest && interval_s_ <= kLongest)) {
    throw Error(
        Failure::bad_data, "garbled answer", endpoint_.text,
        fmt::format("{} was answered by {:g}: no interval between samples (1 ns to a day)",
                    log.interval.query.empty() ? "the rate" : log.interval.query, answered));
  }
}

void ScpiInput::begin() {
  const double before = host_now_s();
  if (profile_.log) {
    scpi_.send(profile_.log->start);
    wait_done();
    sync({0, before, host_now_s()});
    refuse_on_error("start logging");
  }
  started_s_ = before;
}

ScpiInput::Ready ScpiInput::ready() {
  try {
    return ask_ready();
  } catch (const Error& e) {
    // A line that came unasked in just this moment; asked again, it is thrown away.
    if (e.failure() != Failure::bad_data || misread_++ > kMisread) throw;
    note(fmt::format("{}; it is asked again", e.what()));
  }
  return ask_ready();
}

ScpiInput::Ready ScpiInput::ask_ready() {
  const LogProfile& log = *profile_.log;
  const double before = host_now_s();
  const std::string answer = scpi_.query(log.ready);
  const double after = host_now_s();
  Ready out;
  try {
    const std::vector<double> values = parse_values(answer);
    const std::size_t wanted = log.means == LogProfile::Ready::window ? 2 : 1;
    if (values.size() != wanted) throw std::invalid_argument("");
    for (const double v : values) {
      if (!(v >= 0 && v < 9e15) || v != std::floor(v)) throw std::invalid_argument("");
    }
    if (log.means == LogProfile::Ready::window) {
      out = {static_cast<std::int64_t>(values[0]), static_cast<std::int64_t>(values[1])};
    } else if (log.means == LogProfile::Ready::count) {
      out = {0, static_cast<std::int64_t>(values[0])};
    } else {
      out = {next_, next_ + static_cast<std::int64_t>(values[0])};
    }
  } catch (const std::invalid_argument&) {
    throw Error(Failure::bad_data, "garbled answer", endpoint_.text,
                log.ready + " was answered by \"" + answer.substr(0, 60) + "\"");
  }
  if (out.oldest > out.end) return out;  // it counts strangely: nothing is there to fetch yet
  if (log.means != LogProfile::Ready::waiting) go_on_counting(out, after);
  // By the answer, `end` samples were done; when it was asked, the next was not.
  const auto count = static_cast<double>(out.end);
  sync({count * interval_s_, -INFINITY, after});
  // A count that stands still is no slow clock: what stopped is reported elsewhere.
  if (out.end != seen_count_) {
    seen_count_ = out.end;
    seen_at_s_ = before;
  }
  if (before - seen_at_s_ <= 1.5 * interval_s_) sync({(count + 1) * interval_s_, before, INFINITY});
  return out;
}

/// Its count went back: it began again (a power failure, another logging started). What it has now
/// goes on where this computer's clock says.
void ScpiInput::go_on_counting(Ready& r, double now_s) {
  if (r.end + shift_ < next_) {
    const double per_s = next_at_s_ > started_s_  // samples in a second of this computer's
                             ? static_cast<double>(next_) / (next_at_s_ - started_s_)
                             : 1 / interval_s_;
    const std::int64_t end = next_ + std::llround(std::max(0.0, now_s - next_at_s_) * per_s);
    shift_ = std::max(end - r.end, next_ + 1 - r.oldest);
    note(fmt::format("{}: its count of samples began again; what it lost is marked",
                     endpoint_.text));
    restarted_ = true;
  }
  r.oldest += shift_;
  r.end += shift_;
}

std::vector<std::vector<double>> ScpiInput::fetch(std::int64_t first, std::int64_t count) {
  std::vector<std::vector<double>> out;
  for (const ChannelProfile* c : chosen_) {
    std::vector<double> values =
        scpi_.query_values(filled(c->array, first - shift_, count), profile_.log->format);
    for (double& v : values) v = standard_value(v, c->factor);
    if (values.size() > static_cast<std::size_t>(count)) {
      throw Error(Failure::bad_data, "garbled answer", endpoint_.text,
                  fmt::format("{} was answered by {} samples",
                              filled(c->array, first - shift_, count), values.size()));
    }
    out.push_back(std::move(values));
  }
  // Overrun between two of them: only what all have is taken.
  std::size_t least = out.front().size();
  for (const auto& column : out) least = std::min(least, column.size());
  for (auto& column : out) column.resize(least);
  return out;
}

void ScpiInput::fetch_logged(const std::stop_token& stop) {
  const Ready r = ready();
  std::string why;
  if (r.oldest > next_)
    why = restarted_ ? "its count began again"
          : resumed_ ? "the link was lost"
                     : "the input's memory overran";
  next_ = std::max(next_, r.oldest);
  while (next_ < r.end && !stop.stop_requested()) {
    const std::int64_t n = std::min(profile_.log->max_count, r.end - next_);
    if (!ring().has_room(static_cast<std::size_t>(n))) break;  // it keeps them meanwhile
    Packet packet{next_, fetch(next_, n), {}, why, false};
    const auto got = static_cast<std::int64_t>(packet.samples());
    if (got == 0) break;  // overrun in the meantime: ask again what is there
    next_ += got;
    next_at_s_ = host_now_s();
    why.clear();
    resumed_ = restarted_ = false;
    deliver(std::move(packet));
  }
}

/// One reading of every channel, in the middle of the time it took.
void ScpiInput::poll_once() {
  Packet packet;
  const double before = host_now_s();
  for (const ChannelProfile* c : chosen_) {
    packet.columns.push_back({scpi_.query_number(c->query, dimension_of(*c), c->factor)});
  }
  const double after = host_now_s();
  const double own = (before + after) / 2 - started_s_;
  packet.times.push_back(std::llround(own * 1e9));
  packet.gap = resumed_;
  resumed_ = false;
  sync({own, (before + after) / 2, (before + after) / 2});
  deliver(std::move(packet));
}

double ScpiInput::own_now() {
  if (profile_.log) return static_cast<double>(ready().end) * interval_s_;
  return host_now_s() - started_s_;
}

void ScpiInput::run(const std::stop_token& stop) {
  scpi_.set_stop(stop);
  for (const OutputProfile& o : profile_.outputs) {
    const OutputSettings* request = settings_of(o);
    const bool was_on =
        std::find(on_at_connect_.begin(), on_at_connect_.end(), o.name) != on_at_connect_.end();
    if (!request || !request->power_on) continue;
    if (was_on) {
      note(fmt::format("{}: {} was already on; the inrush is not recorded", endpoint_.text,
                       named(o)));
    } else {
      switch_output(o, true);
    }
  }
  double due = host_now_s();
  while (!stop.stop_requested()) {
    try {
      apply_requests();
      if (host_now_s() >= status_due_s_) {
        look_at_status();
        status_due_s_ = host_now_s() + kStatusEvery;
      }
      if (profile_.log) {
        fetch_logged(stop);
        std::this_thread::sleep_for(kPoll);
      } else {
        poll_once();
        due = std::max(due + 1 / settings_.rate_hz, host_now_s());
        while (!stop.stop_requested() && host_now_s() < due)
          std::this_thread::sleep_for(
              std::chrono::duration<double>(std::min(0.02, std::max(0.0, due - host_now_s()))));
      }
    } catch (const Error& e) {
      if (stop.stop_requested()) {
        impatient_ = true;  // it was being waited for
        return;
      }
      if (settings_.reconnect_s <= 0 || e.failure() != Failure::unavailable) throw;
      reconnect(stop, e);
    }
  }
}

}  // namespace kuvio::acquire
