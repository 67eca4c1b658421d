// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/scpi_input.h"

#include "book/text.h"
#include "core/error.h"

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

std::string list_of(const std::vector<std::string>& names) {
  std::string out;
  for (const std::string& name : names) out += (out.empty() ? "" : ", ") + name;
  return out.empty() ? "none" : out;
}

}  // namespace

ScpiInput::ScpiInput(const Endpoint& endpoint, const InputSettings& settings, LinkOpener open)
    : Input(endpoint, static_cast<std::size_t>(std::max(kRing, settings.rate_hz * 8))),
      settings_(settings),
      open_(open ? std::move(open) : link_opener(endpoint)),
      instrument_(open_(kFirstLink), endpoint.text, first_words(settings.profiles)) {
  instrument_.set_stop(settings_.stop);
  instrument_.keep_talk(settings_.talk);
  instrument_.on_unasked([this](const std::string& text) {
    if (unasked_++ == 0)
      note(fmt::format("{}: it sends what nobody asked for (\"{}\"); it is thrown away",
                       endpoint_.text, book::printable(text)));
  });
  instrument_.identify(settings_.profiles);
  identity_ = instrument_.identity();
  instrument_.begin();
  joining_ = instrument_.joining();
  name_first_output();
  find_outputs();
  set_up_outputs();
  set_up_lines();
  choose_channels();
  if (profile().log) {
    set_up_log();
  } else {
    interval_s_ = 0;
  }
}

void ScpiInput::apply(const std::optional<ScpiInstrument::Refusal>& refusal,
                      const std::string& what) const {
  if (!refusal) return;
  if (refusal->failure == Failure::usage)
    throw Error(Failure::usage, "cannot set " + what, endpoint_.text, refusal->why);
  throw Error(
      Failure::unavailable, "input refused to set " + what, endpoint_.text,
      "it answered " + refusal->why + " (spoken to by the profile \"" + profile().name + "\")");
}

void ScpiInput::refuse_on_error(const std::string& doing) {
  const auto errors = instrument_.errors();
  if (errors.empty()) return;
  throw Error(
      Failure::unavailable, "input refused to " + doing, endpoint_.text,
      "it answered " + errors.front() + " (spoken to by the profile \"" + profile().name + "\")");
}

const OutputSettings* ScpiInput::settings_of(const OutputProfile& output) const {
  const auto it = settings_.outputs.find(output.name);
  return it == settings_.outputs.end() ? nullptr : &it->second;
}

/// What is said of "the output" is meant of the first one, under its own name from here on.
void ScpiInput::name_first_output() {
  const auto said = settings_.outputs.find("");
  if (said == settings_.outputs.end() || profile().outputs.empty()) return;
  const std::string& name = profile().outputs.front().name;
  if (name.empty()) return;
  const OutputSettings first = said->second;
  settings_.outputs.erase(said);
  OutputSettings& own = settings_.outputs.try_emplace(name, first).first->second;
  if (!own.voltage) own.voltage = first.voltage;
  if (!own.current_limit) own.current_limit = first.current_limit;
  if (!own.cut_off) own.cut_off = first.cut_off;
  if (!own.never_above.voltage) own.never_above.voltage = first.never_above.voltage;
  if (!own.never_above.current) own.never_above.current = first.never_above.current;
  own.power_on |= first.power_on;
  own.power_off |= first.power_off;
  own.off_on_failure |= first.off_on_failure;
}

void ScpiInput::find_outputs() {
  for (const auto& [name, request] : settings_.outputs) {
    const bool known =
        (name.empty() && !profile().outputs.empty()) ||
        std::any_of(profile().outputs.begin(), profile().outputs.end(),
                    [&wanted = name](const OutputProfile& o) { return o.name == wanted; });
    const bool asks =
        request.voltage || request.current_limit || request.cut_off || request.power_on;
    if (!known && asks) {
      throw Error(Failure::usage, "no such output", endpoint_.text,
                  name.empty() ? "the profile \"" + profile().name + "\" has no output"
                  : instrument_.joining() != Joining::apart
                      ? fmt::format("its outputs are joined {}: \"{}\", not \"{}\"",
                                    to_string(instrument_.joining()), profile().join->name, name)
                      : "the profile \"" + profile().name + "\" has no output \"" + name + "\"");
    }
  }
  if (instrument_.joining() != Joining::apart)
    conditions_["outputs"] = profile().join->name + " " + to_string(instrument_.joining());
  for (const OutputProfile& o : profile().outputs) {
    const bool on = instrument_.is_on(o).value_or(false);
    set_output(o.name, on);
    watched_[o.name].on = on;
    if (on) on_at_connect_.push_back(o.name);
  }
}

void ScpiInput::set_up_output(const OutputProfile& o) {
  const std::string prefix = o.name.empty() ? "" : "output_" + o.name + "_";
  const OutputSettings* request = settings_of(o);
  // Before anything is sent: what would be too much is not tried.
  if (request && request->voltage)
    refuse_above(request->never_above.refuses_voltage(*request->voltage));
  if (request && request->current_limit)
    refuse_above(request->never_above.refuses_current(*request->current_limit));
  if (request && request->voltage)
    apply(instrument_.set(o.voltage, *request->voltage), "the voltage");
  std::optional<double> limit = request ? request->current_limit : std::nullopt;
  if (limit) {
    apply(instrument_.set(o.current_limit, *limit), "the current limit");
    conditions_[prefix + "current_limit"] = fmt::format("{:g} A", *limit);
  }
  if (request && request->cut_off) {
    apply(instrument_.set_cut_off(o, *request->cut_off), "what it does on over-current");
    conditions_[prefix + "on_over_current"] = *request->cut_off ? "switch off" : "hold";
  }
  // Not every instrument that is spoken to generically answers this; one that reports its limit
  // does.
  if (!limit && o.limited.known()) limit = instrument_.get(o.current_limit, Dimension::current);
  if (limit && *limit > 0 && !current_limit_) current_limit_ = limit;
  if (const auto volts = instrument_.get(o.voltage, Dimension::voltage)) {
    conditions_[prefix + "voltage"] = fmt::format("{:g} V", *volts);
    // Somebody at the instrument may have set it: it is not switched on like that.
    if (request && request->power_on) refuse_above(request->never_above.refuses_voltage(*volts));
  }
}

void ScpiInput::refuse_above(const std::string& why) {
  if (!why.empty())
    throw Error(Failure::usage, "not recorded", endpoint_.text,
                why + "; nothing was switched on. Lower it, or raise never_above of its output");
}

void ScpiInput::set_up_outputs() {
  for (const OutputProfile& o : profile().outputs) set_up_output(o);
}

void ScpiInput::set_up_lines() {
  if (settings_.line_level) {
    apply(instrument_.set(profile().line_level, *settings_.line_level),
          "the level of the digital lines");
    conditions_["line_level"] = fmt::format("{:g} V", *settings_.line_level);
  }
  for (const LineProfile& line : profile().lines) set_line(line.name, instrument_.is_high(line));
  for (const auto& [name, high] : settings_.lines) {
    if (!switch_line(name, high)) {
      std::vector<std::string> known;
      for (const LineProfile& l : profile().lines) known.push_back(l.name);
      throw Error(Failure::usage, "no such digital line", endpoint_.text,
                  "the profile \"" + profile().name + "\" drives no line \"" + name +
                      "\"; it has " + list_of(known));
    }
    refuse_on_error("set line " + name);
    conditions_["line_" + name] = high ? "high" : "low";
  }
}

/// False when there is no such line.
bool ScpiInput::switch_line(const std::string& name, bool high) {
  if (!instrument_.send({SwitchCommand::What::line, name, high, 0})) return false;
  set_line(name, high);
  return true;
}

const ChannelProfile& ScpiInput::channel_named(const std::string& name) const {
  std::vector<std::string> known;
  for (const ChannelProfile& c : profile().channels) {
    if (c.quantity == Quantity::logic) continue;
    if (c.name == name) return c;
    known.push_back(c.name);
  }
  throw Error(Failure::usage, "no such channel", endpoint_.text,
              "the profile \"" + profile().name + "\" has no channel \"" + name + "\"; it has " +
                  list_of(known));
}

const ChannelProfile& ScpiInput::logic_word() const {
  const auto& all = profile().channels;
  const auto word = std::find_if(all.begin(), all.end(), [](const ChannelProfile& c) {
    return c.quantity == Quantity::logic;
  });
  if (word != all.end() && static_cast<int>(settings_.logic.size()) <= word->lines) return *word;
  throw Error(Failure::usage, "no such logic lines", endpoint_.text,
              word == all.end() ? "the profile \"" + profile().name + "\" has none"
                                : fmt::format("it has {} of them", word->lines));
}

/// The range that is asked for; null: by itself.
const Range* ScpiInput::range_of(const ChannelProfile& channel) const {
  const auto request = settings_.range.find(channel.name);
  if (request == settings_.range.end() || request->second.empty()) return nullptr;
  std::vector<std::string> known;
  for (const Range& r : channel.ranges) {
    if (r.name == request->second) return &r;
    known.push_back(r.name);
  }
  throw Error(Failure::usage, "no such range", endpoint_.text,
              "channel " + channel.name + " has no range \"" + request->second + "\"; it has " +
                  list_of(known));
}

void ScpiInput::set_up_channel(const ChannelProfile& c) {
  InputChannel channel;
  channel.name = c.name;
  channel.quantity = c.quantity;
  channel.unit = c.unit;
  channel.kind = c.instant || !profile().log ? SampleKind::instant : SampleKind::averaged;
  channel.accuracy = c.accuracy;
  if (c.quantity == Quantity::logic) channel.lines = settings_.logic;
  if (!profile().log) channel.encoding = book::Encoding::f8;
  const Range* range = range_of(c);
  if (range && !range->accuracy.empty()) channel.accuracy = range->accuracy;
  instrument_.set_range(c, range);
  refuse_on_error("set the range of " + c.name);
  if (c.quantity == Quantity::current) conditions_["range"] = range ? range->name : "automatic";
  channels_.push_back(channel);
}

void ScpiInput::choose_channels() {
  if (settings_.channels.empty()) {
    for (const ChannelProfile& c : profile().channels) {
      if (c.quantity == Quantity::current) chosen_.push_back(&c);
    }
  }
  for (const std::string& name : settings_.channels) chosen_.push_back(&channel_named(name));
  if (!settings_.logic.empty()) chosen_.push_back(&logic_word());
  for (const ChannelProfile* c : chosen_) set_up_channel(*c);
  if (channels_.empty()) {
    throw Error(Failure::usage, "nothing to record", endpoint_.text,
                "the profile \"" + profile().name + "\" measures nothing");
  }
}

void ScpiInput::set_up_log() {
  const LogProfile& log = *profile().log;
  for (const std::string& command : log.setup) instrument_.conversation().send(command);
  if (!log.setup.empty()) refuse_on_error("set up its log");
  const double wanted = log.interval_is_rate ? settings_.rate_hz : 1 / settings_.rate_hz;
  if (log.interval.can_set()) apply(instrument_.set(log.interval, wanted), "the rate");
  const Dimension dimension = log.interval_is_rate ? Dimension::frequency : Dimension::time;
  const double answered = instrument_.get(log.interval, dimension).value_or(wanted);
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
  if (profile().log) {
    instrument_.start_log();
    sync({0, before, host_now_s()});
    refuse_on_error("start logging");
  }
  started_s_ = before;
}

LogWindow ScpiInput::ready() {
  try {
    return ask_ready();
  } catch (const Error& e) {
    // A line that came unasked in just this moment; asked again, it is thrown away.
    if (e.failure() != Failure::bad_data || misread_++ > kMisread) throw;
    note(fmt::format("{}; it is asked again", e.what()));
  }
  return ask_ready();
}

LogWindow ScpiInput::ask_ready() {
  const double before = host_now_s();
  LogWindow out = instrument_.logged(next_);
  const double after = host_now_s();
  if (out.oldest > out.end) return out;  // it counts strangely: nothing is there to fetch yet
  if (profile().log->means != LogProfile::Ready::waiting) go_on_counting(out, after);
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
void ScpiInput::go_on_counting(LogWindow& r, double now_s) {
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
  for (const ChannelProfile* c : chosen_)
    out.push_back(instrument_.fetch(*c, first - shift_, count));
  // Overrun between two of them: only what all have is taken.
  std::size_t least = out.front().size();
  for (const auto& column : out) least = std::min(least, column.size());
  for (auto& column : out) column.resize(least);
  return out;
}

void ScpiInput::fetch_logged(const std::stop_token& stop) {
  const LogWindow r = ready();
  std::string why;
  if (r.oldest > next_)
    why = restarted_ ? "its count began again"
          : resumed_ ? "the link was lost"
                     : "the input's memory overran";
  next_ = std::max(next_, r.oldest);
  while (next_ < r.end && !stop.stop_requested()) {
    const std::int64_t n = std::min(profile().log->max_count, r.end - next_);
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
  for (const ChannelProfile* c : chosen_) packet.columns.push_back({instrument_.read(*c)});
  const double after = host_now_s();
  const double own = (before + after) / 2 - started_s_;
  packet.times.push_back(std::llround(own * 1e9));
  packet.gap = resumed_;
  resumed_ = false;
  sync({own, (before + after) / 2, (before + after) / 2});
  deliver(std::move(packet));
}

double ScpiInput::own_now() {
  if (profile().log) return static_cast<double>(ready().end) * interval_s_;
  return host_now_s() - started_s_;
}

void ScpiInput::power_on() {
  for (const OutputProfile& o : profile().outputs) {
    const OutputSettings* request = settings_of(o);
    if (!request || !request->power_on) continue;
    if (std::count(on_at_connect_.begin(), on_at_connect_.end(), o.name) > 0) {
      note(fmt::format("{}: {} was already on; the inrush is not recorded", endpoint_.text,
                       named(o)));
    } else if (request->on_after_s > 0) {
      waiting_.push_back({&o, own_now() + request->on_after_s});
    } else {
      switch_output(o, true);
    }
  }
}

void ScpiInput::run(const std::stop_token& stop) {
  instrument_.set_stop(stop);
  power_on();
  double due = host_now_s();
  while (!stop.stop_requested()) {
    try {
      apply_requests();
      power_on_waiting();
      if (host_now_s() >= status_due_s_) {
        look_at_status();
        status_due_s_ = host_now_s() + kStatusEvery;
      }
      if (profile().log) {
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
