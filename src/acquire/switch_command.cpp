// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/switch_command.h"

#include "core/quantity.h"

#include <fmt/format.h>

#include <stdexcept>

namespace kuvio::acquire {
namespace {

constexpr double kLongest = 60;  // s that a device is held in reset

[[noreturn]] void wrong(const std::string& text) {
  throw std::invalid_argument("\"" + text +
                              "\" is not a reset; write it as \"line RST low for 100 ms\" or "
                              "\"output off for 1 s\"");
}

}  // namespace

SwitchCommand released(const SwitchCommand& reset) {
  SwitchCommand out = reset;
  out.on = !reset.on;
  out.for_s = 0;
  out.what = reset.of_line() ? SwitchCommand::What::line : SwitchCommand::What::output;
  return out;
}

SwitchCommand parse_reset(const std::string& text) {
  const auto how_long = text.rfind(" for ");
  if (how_long == std::string::npos) wrong(text);
  SwitchCommand out;
  out.for_s = parse_quantity(text.substr(how_long + 5), Dimension::time);
  if (!(out.for_s > 0 && out.for_s <= kLongest))
    throw std::invalid_argument("a reset must last more than 0 s and at most 60 s");
  std::string rest = text.substr(0, how_long);
  const auto level = rest.rfind(' ');
  if (level == std::string::npos) wrong(text);
  const std::string word = rest.substr(level + 1);
  rest.erase(level);
  const auto named = [&](const std::string& kind) {
    if (rest == kind) return true;
    if (!rest.starts_with(kind + " ")) return false;
    out.name = rest.substr(kind.size() + 1);
    return true;
  };
  if (named("line") && !out.name.empty() && (word == "low" || word == "high")) {
    out.what = SwitchCommand::What::reset_by_line;
    out.on = word == "high";
  } else if (named("output") && word == "off") {
    out.what = SwitchCommand::What::reset_by_output;
  } else {
    wrong(text);
  }
  return out;
}

std::string to_string(const SwitchCommand& reset) {
  const std::string name = reset.name.empty() ? "" : " " + reset.name;
  return fmt::format("{}{} {} for {}", reset.of_line() ? "line" : "output", name,
                     reset.of_line() ? reset.on ? "high" : "low" : "off",
                     reset.for_s < 1 ? fmt::format("{:g} ms", 1000 * reset.for_s)
                                     : fmt::format("{:g} s", reset.for_s));
}

SwitchCommand parse_line_level(const std::string& text) {
  const auto equals = text.find('=');
  const std::string level = equals == std::string::npos ? "" : text.substr(equals + 1);
  if (equals == 0 || (level != "high" && level != "low"))
    throw std::invalid_argument("\"" + text + "\" is not LINE=high or LINE=low");
  return {SwitchCommand::What::line, text.substr(0, equals), level == "high", 0};
}

}  // namespace kuvio::acquire
