// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/scpi_instrument.h"

#include "book/text.h"
#include "core/special_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>
#include <utility>

namespace kuvio::acquire {
namespace {

using std::chrono::milliseconds;
constexpr double kInfinite = std::numeric_limits<double>::infinity();
constexpr double kMostSamples = 9e15;  // whole numbers up to here are exact in a double
constexpr double kWords = 4294967296;  // values of a status word of 32 bits

milliseconds patience_of(const Profile& profile) {
  return milliseconds(std::llround(profile.timeout_s * 1000));
}

}  // namespace

LogWindow parse_log_window(const std::string& answer, LogProfile::Ready means, std::int64_t next) {
  std::vector<double> values;
  try {
    values = parse_values(answer);
  } catch (const std::invalid_argument&) {
    throw std::invalid_argument("is not numeric");
  }
  const bool window = means == LogProfile::Ready::window;
  if (values.size() != (window ? 2U : 1U))
    throw std::invalid_argument(window ? "expected two numbers, oldest and end"
                                       : "should be one number");
  for (const double v : values) {
    if (!(v >= 0 && v < kMostSamples) || v != std::floor(v))
      throw std::invalid_argument("is no count of samples");
  }
  const auto last = static_cast<std::int64_t>(values.back());
  if (window) return {static_cast<std::int64_t>(values.front()), last};
  if (means == LogProfile::Ready::count) return {0, last};
  return {next, next + last};
}

ScpiInstrument::ScpiInstrument(std::unique_ptr<Link> link, std::string where, Profile profile)
    : where_(std::move(where)),
      profile_(std::move(profile)),
      scpi_(std::move(link), where_, framing()) {}

Framing ScpiInstrument::framing() const { return {profile_.terminator, patience_of(profile_)}; }

void ScpiInstrument::set_stop(const std::stop_token& stop) {
  stop_ = stop;
  scpi_.set_stop(stop);
}

void ScpiInstrument::limit_patience(milliseconds most) {
  scpi_.set_framing({profile_.terminator, std::min(patience_of(profile_), most)});
}

void ScpiInstrument::on_unasked(std::function<void(const std::string&)> call) {
  unasked_ = std::move(call);
  scpi_.unasked = unasked_;
}

std::string ScpiInstrument::ask_identity() {
  return profile_.identity.empty() ? profile_.name
                                   : book::printable(scpi_.query(profile_.identity));
}

void ScpiInstrument::identify(const std::vector<Profile>& given) {
  identity_ = ask_identity();
  profile_ = profile_for(identity_, given);
  scpi_.set_framing(framing());
}

void ScpiInstrument::begin() {
  for (const std::string& command : profile_.init) scpi_.send(command);
  apart_ = profile_;
  rejoin();
}

Joining ScpiInstrument::ask_joining() {
  if (!apart_.join) return joining_;
  const std::string answer = scpi_.query(apart_.join->query);
  if (!apart_.join->series.empty() && answer == apart_.join->series) return Joining::series;
  if (!apart_.join->parallel.empty() && answer == apart_.join->parallel) return Joining::parallel;
  return Joining::apart;
}

bool ScpiInstrument::rejoin() {
  const Joining now = ask_joining();
  if (now == joining_) return false;
  joining_ = now;
  profile_ = joined(apart_, now);
  return true;
}

void ScpiInstrument::keep_talk(std::shared_ptr<TalkLog> talk) {
  talk_ = std::move(talk);
  scpi_.set_talk(talk_);
}

void ScpiInstrument::resume(std::unique_ptr<Link> link) {
  scpi_ = Scpi(std::move(link), where_, framing());
  scpi_.set_stop(stop_);
  scpi_.unasked = unasked_;
  scpi_.set_talk(talk_);
  const std::string now = ask_identity();
  if (now != identity_) {
    throw Error(Failure::bad_data, "another instrument answers", where_,
                "it is " + now + ", not " + identity_);
  }
}

std::optional<ScpiInstrument::Refusal> ScpiInstrument::refused() {
  wait_done();
  const std::vector<std::string> said = errors();
  if (said.empty()) return std::nullopt;
  std::string why;
  for (const std::string& one : said) why += (why.empty() ? "" : "; ") + one;
  return Refusal{Failure::unavailable, why};
}

std::optional<ScpiInstrument::Refusal> ScpiInstrument::set(const Setting& s, double value) {
  if (!s.can_set())
    return Refusal{Failure::usage, "the profile \"" + profile_.name + "\" has no command for it"};
  if ((s.min && value < *s.min) || (s.max && value > *s.max)) {
    return Refusal{
        Failure::usage,
        fmt::format("{:g} is outside what the profile \"{}\" allows ({:g} to {:g})", value,
                    profile_.name, s.min.value_or(-kInfinite), s.max.value_or(kInfinite))};
  }
  scpi_.send(filled(s.set, value / s.factor));
  return refused();
}

std::optional<ScpiInstrument::Refusal> ScpiInstrument::set_cut_off(const OutputProfile& output,
                                                                   bool cut_off) {
  const std::string& command = cut_off ? output.cut_off : output.hold;
  if (command.empty())
    return Refusal{Failure::usage, "the profile \"" + profile_.name + "\" has no command for it"};
  scpi_.send(command);
  return refused();
}

std::optional<double> ScpiInstrument::get(const Setting& s, Dimension dimension) {
  if (s.query.empty()) return std::nullopt;
  return scpi_.query_number(s.query, dimension, s.factor);
}

bool ScpiInstrument::cuts_off(const OutputProfile& output) {
  return !output.cut_off_state.empty() && scpi_.query_on(output.cut_off_state);
}

void ScpiInstrument::set_range(const ChannelProfile& channel, const Range* range) {
  const std::string& command = range ? range->set : channel.range_auto;
  if (!command.empty()) scpi_.send(command);
}

std::vector<const OutputProfile*> ScpiInstrument::meant_by(const SwitchCommand& what) const {
  std::vector<const OutputProfile*> out;
  if (what.of_line()) return out;
  const bool all = what.name.empty() && !what.on && !what.is_reset();
  for (const OutputProfile& o : profile_.outputs) {
    const bool first = what.name.empty() && &o == &profile_.outputs.front();
    if (all || first || (!what.name.empty() && o.name == what.name)) out.push_back(&o);
  }
  return out;
}

const LineProfile* ScpiInstrument::line_named(const std::string& name) const {
  for (const LineProfile& line : profile_.lines) {
    if (line.name == name) return &line;
  }
  return nullptr;
}

void ScpiInstrument::send(const OutputProfile& output, bool on) {
  // A protection that has tripped is set back only by an order to switch on again.
  if (on && !output.clear.empty()) scpi_.send(output.clear);
  scpi_.send(on ? output.on : output.off);
}

bool ScpiInstrument::send(const SwitchCommand& what) {
  if (what.of_line()) {
    const LineProfile* line = line_named(what.name);
    if (line) scpi_.send(what.on ? line->high : line->low);
    return line != nullptr;
  }
  const auto outputs = meant_by(what);
  for (const OutputProfile* o : outputs) send(*o, what.on);
  return !outputs.empty();
}

std::optional<bool> ScpiInstrument::is_on(const OutputProfile& output) {
  if (output.state.empty()) return std::nullopt;
  return scpi_.query_on(output.state);
}

bool ScpiInstrument::is_high(const LineProfile& line) {
  return !line.query.empty() && scpi_.query_on(line.query);
}

bool ScpiInstrument::bit_set(const StatusBits& status) {
  if (!status.known()) return false;
  const double value = scpi_.query_number(status.query);
  return value >= 0 && value < kWords && (static_cast<std::uint32_t>(value) & status.bits) != 0;
}

bool ScpiInstrument::has_tripped(const OutputProfile& output) { return bit_set(output.tripped); }

bool ScpiInstrument::is_limited(const OutputProfile& output) { return bit_set(output.limited); }

double ScpiInstrument::read(const ChannelProfile& channel) {
  return scpi_.query_number(channel.query, info(channel.quantity).dimension, channel.factor);
}

void ScpiInstrument::start_log() {
  scpi_.send(profile_.log->start);
  wait_done();
}

void ScpiInstrument::stop_log() {
  if (profile_.log && !profile_.log->stop.empty()) scpi_.send(profile_.log->stop);
}

LogWindow ScpiInstrument::logged(std::int64_t next) {
  const LogProfile& log = *profile_.log;
  const std::string answer = scpi_.query(log.ready);
  try {
    return parse_log_window(answer, log.means, next);
  } catch (const std::invalid_argument& e) {
    throw Error(
        Failure::bad_data, "garbled answer", where_,
        fmt::format("{} was answered by \"{}\": {}", log.ready, answer.substr(0, 60), e.what()));
  }
}

std::vector<double> ScpiInstrument::fetch(const ChannelProfile& channel, std::int64_t first,
                                          std::int64_t count) {
  const std::string command = filled(channel.array, first, count);
  std::vector<double> values = scpi_.query_values(command, profile_.log->format);
  if (values.size() > static_cast<std::size_t>(count)) {
    throw Error(Failure::bad_data, "garbled answer", where_,
                fmt::format("{} was answered by {} samples", command, values.size()));
  }
  for (double& v : values) v = standard_value(v, channel.factor);
  return values;
}

void ScpiInstrument::wait_done() {
  if (!profile_.done.empty()) scpi_.query(profile_.done);
}

std::vector<std::string> ScpiInstrument::errors() {
  return profile_.errors.empty() ? std::vector<std::string>{} : scpi_.errors(profile_.errors);
}

}  // namespace kuvio::acquire
