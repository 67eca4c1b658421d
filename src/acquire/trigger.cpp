// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/trigger.h"

#include "core/error.h"
#include "core/quantity.h"

#include <fmt/format.h>
#include <re2/re2.h>

#include <stdexcept>

namespace kuvio::acquire {
namespace {

constexpr const char* kHow =
    "write it as \"I above 5 mA\", \"V below 3 V for 2 s\", \"I steady within 5 % for 2 "
    "s\", \"radio_on rising\" or \"log: ^boot\"";

double level_of(const std::string& text, Trigger& out) {
  for (const Dimension d : {Dimension::current, Dimension::voltage}) {
    try {
      const double level = parse_quantity(text, d);
      out.unit = unit_symbol(d);
      return level;
    } catch (const std::invalid_argument&) {  // perhaps the other
    }
  }
  throw std::invalid_argument("\"" + text + "\" is neither a current nor a voltage; " + kHow);
}

/// "5 %" or "2 uA".
void read_tolerance(const std::string& text, Trigger& out) {
  try {
    out.relative = parse_quantity(text, Dimension::ratio);
  } catch (const std::invalid_argument&) {
    out.level = level_of(text, out);
  }
  if (!(out.relative > 0 || out.level > 0))
    throw std::invalid_argument(std::string("a tolerance must be greater than zero; ") + kHow);
}

}  // namespace

Trigger parse_trigger(const std::string& text) {
  Trigger out;
  if (text.starts_with("log:")) {
    out.kind = Trigger::Kind::log_line;
    out.pattern = text.substr(4);
    out.pattern.erase(0, out.pattern.find_first_not_of(' ') == std::string::npos
                             ? out.pattern.size()
                             : out.pattern.find_first_not_of(' '));
    if (out.pattern.empty()) throw std::invalid_argument(kHow);
    if (!RE2(out.pattern, RE2::Quiet).ok())
      throw std::invalid_argument("\"" + out.pattern + "\" is not a regular expression");
    return out;
  }
  for (const auto& [word, kind] : {std::pair{" rising", Trigger::Kind::rising},
                                   std::pair{" falling", Trigger::Kind::falling}}) {
    if (!text.ends_with(word)) continue;
    out.kind = kind;
    out.channel = text.substr(0, text.size() - std::string(word).size());
    return out;
  }
  for (const auto& [word, kind] :
       {std::pair{"above ", Trigger::Kind::above}, std::pair{"below ", Trigger::Kind::below},
        std::pair{"steady within ", Trigger::Kind::steady}}) {
    const auto at = text.find(word);
    if (at == std::string::npos || (at > 0 && text[at - 1] != ' ')) continue;
    out.kind = kind;
    out.channel = at > 0 ? text.substr(0, at - 1) : "";
    std::string level = text.substr(at + std::string(word).size());
    if (const auto how_long = level.find(" for "); how_long != std::string::npos) {
      out.for_s = parse_quantity(level.substr(how_long + 5), Dimension::time);
      level.erase(how_long);
    }
    if (kind == Trigger::Kind::steady) {
      read_tolerance(level, out);
      if (!(out.for_s > 0)) throw std::invalid_argument(kHow);
    } else {
      out.level = level_of(level, out);
    }
    return out;
  }
  throw std::invalid_argument("\"" + text + "\" is not a trigger; " + kHow);
}

std::string to_string(const Trigger& t) {
  using Kind = Trigger::Kind;
  const std::string channel = t.channel.empty() ? "" : t.channel + " ";
  // Which of the two a level is, its channel decides; both are read.
  const auto level = [&] { return fmt::format("{:.12g} {}", t.level, t.unit); };
  const std::string how_long = t.for_s > 0 ? fmt::format(" for {:.12g} s", t.for_s) : "";
  switch (t.kind) {
    case Kind::none:
      return "";
    case Kind::above:
      return channel + "above " + level() + how_long;
    case Kind::below:
      return channel + "below " + level() + how_long;
    case Kind::steady:
      return channel + "steady within " +
             (t.relative > 0 ? fmt::format("{:.12g} %", 100 * t.relative) : level()) + how_long;
    case Kind::rising:
      return t.channel + " rising";
    case Kind::falling:
      return t.channel + " falling";
    case Kind::log_line:
      return "log: " + t.pattern;
  }
  return "";
}

TriggerWatch::TriggerWatch(const Trigger& trigger) : trigger_(trigger) {
  if (trigger.kind == Trigger::Kind::steady)
    steady_.emplace(trigger.for_s, trigger.relative, trigger.level);
  if (trigger.kind != Trigger::Kind::log_line) return;
  pattern_ = std::make_shared<const RE2>(trigger.pattern, RE2::Quiet);
  if (!pattern_->ok()) {
    throw Error(Failure::usage, "bad trigger", trigger.pattern, "it is not a regular expression");
  }
}

/// A level must be *passed*: one that holds from the beginning is no event, unless it holds for a
/// time that was asked for.
bool TriggerWatch::sample(double t, double value) {
  if (at_) return true;
  if (steady_) {
    steady_->add(t, value);
    if (steady_->steady()) at_ = t;
    return at_.has_value();
  }
  using Kind = Trigger::Kind;
  const Kind k = trigger_.kind;
  bool now = false;
  if (k == Kind::above) now = value > trigger_.level;
  if (k == Kind::below) now = value < trigger_.level;
  if (k == Kind::rising) now = value > 0.5;
  if (k == Kind::falling) now = value < 0.5;
  if (trigger_.for_s > 0) {
    if (!now) {
      since_.reset();
    } else {
      if (!since_) since_ = t;
      if (t - *since_ >= trigger_.for_s) at_ = t;
    }
  } else if (now && before_ && !*before_) {
    at_ = t;
  }
  before_ = now;
  return at_.has_value();
}

bool TriggerWatch::line(double t, const std::string& text) {
  if (!at_ && pattern_ && RE2::PartialMatch(text, *pattern_)) at_ = t;
  return at_.has_value();
}

}  // namespace kuvio::acquire
