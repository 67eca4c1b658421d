// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/analyser.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <numbers>
#include <random>
#include <stdexcept>
#include <utility>

namespace kuvio::sim {
namespace {

constexpr std::int64_t kMemory = 8 << 20;  // samples the instrument keeps
constexpr std::int64_t kLargestBlock = 1 << 16;
constexpr double kLeads = 0.35;        // Ohm, between output and device
constexpr double kTripDelay = 0.5e-3;  // s
constexpr double kMostVolts = 15, kMostAmperes = 2;
constexpr double kFed = 4.4;  // V at which a service port counts as fed
constexpr double kOverRange = 9.9e37, kNotANumber = 9.91e37;

std::uint64_t mix(std::uint64_t x) {  // SplitMix64 (Steele, Lea, Flood 2014)
  x += 0x9e3779b97f4a7c15U;
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9U;
  x = (x ^ (x >> 27)) * 0x94d049bb133111ebU;
  return x ^ (x >> 31);
}

double uniform(std::uint64_t bits) { return (static_cast<double>(bits >> 11) + 0.5) * 0x1p-53; }

double number(std::string_view text) {
  double value = 0;
  const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (failed != std::errc{} || end != text.data() + text.size())
    throw std::invalid_argument("not a number");
  return value;
}

bool boolean(const std::string& text) {
  if (text == "ON" || text == "1") return true;
  if (text == "OFF" || text == "0") return false;
  throw std::invalid_argument("not a boolean");
}

/// Brings a header to its short form: "SENSe:SWEep:TINTerval" and "SENS:SWE:TINT" are one.
std::string short_form(std::string_view header) {
  static const std::map<std::string, std::string> kWords{
      {"SENSE", "SENS"},    {"SWEEP", "SWE"},    {"TINTERVAL", "TINT"},  {"OUTPUT", "OUTP"},
      {"VOLTAGE", "VOLT"},  {"CURRENT", "CURR"}, {"PROTECTION", "PROT"}, {"STATE", "STAT"},
      {"MEASURE", "MEAS"},  {"FETCH", "FETC"},   {"ARRAY", "ARR"},       {"POINTS", "POIN"},
      {"INITIATE", "INIT"}, {"ABORT", "ABOR"},   {"SYSTEM", "SYST"},     {"ERROR", "ERR"},
      {"FORMAT", "FORM"},   {"RANGE", "RANG"},   {"CLEAR", "CLE"},       {"IMMEDIATE", "IMM"},
      {"SOURCE", "SOUR"},   {"DIGITAL", "DIG"},  {"STATUS", "STAT"},     {"QUESTIONABLE", "QUES"},
      {"TRIPPED", "TRIP"},  {"DEVICE", "DEV"},   {"RESET", "RES"}};
  std::string out, word;
  const auto flush = [&] {
    const auto it = kWords.find(word);
    out += it == kWords.end() ? word : it->second;
    word.clear();
  };
  for (const char c : header) {
    if (c == ':' || c == '?') {
      flush();
      if (!(c == ':' && out.empty())) out += c;
    } else {
      word += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    }
  }
  flush();
  if (out.starts_with("SOUR:")) out.erase(0, 5);
  return out;
}

}  // namespace

double gauss(std::uint64_t seed, std::int64_t index) {
  const std::uint64_t a = mix(seed ^ mix(static_cast<std::uint64_t>(index)));
  return std::sqrt(-2 * std::log(uniform(a))) * std::cos(2 * std::numbers::pi * uniform(mix(a)));
}

void add_fault(Faults& faults, const std::string& text) {
  const auto at = text.find('@');
  const std::string kind = text.substr(0, at);
  if (at == std::string::npos)
    throw std::invalid_argument("a fault looks like hang-up@30, not \"" + text + "\"");
  const std::string when = text.substr(at + 1);
  const auto colon = when.find(':');
  double from = 0, length = 1;
  try {
    from = number(when.substr(0, colon));
    if (colon != std::string::npos) length = number(when.substr(colon + 1));
  } catch (const std::invalid_argument&) {
    throw std::invalid_argument("a fault looks like lost@30:2, not \"" + text + "\"");
  }
  if (kind == "hang-up") {
    faults.hang_up_at = from;
    if (colon != std::string::npos) faults.hang_up_to = from + length;
  } else if (kind == "stall") {
    faults.stall_at = from;
  } else if (kind == "lost") {
    faults.lost_from = from;
    faults.lost_to = from + length;
  } else if (kind == "over-range") {
    faults.over_from = from;
    faults.over_to = from + length;
  } else if (kind == "nan") {
    faults.odd_from = from;
    faults.odd_to = from + length;
  } else {
    throw std::invalid_argument("no fault \"" + kind +
                                "\"; there are hang-up, stall, lost, over-range, nan");
  }
}

Analyser::Analyser(Device& device, std::uint64_t seed, std::uint64_t instrument_seed, Faults faults)
    : device_(device),
      seed_(mix(seed)),
      instrument_(mix(instrument_seed)),
      faults_(faults),
      outputs_(static_cast<std::size_t>(device.ports() == 1 ? 2 : device.ports())) {
  // Beside a device with one port the second output is free: for what stands next to it.
  if (device.ports() == 1) outputs_[1].volts = 5;
  gain_error_ = (2 * uniform(mix(instrument_ + 1)) - 1) * 0.0008;
  offset_error_ = (2 * uniform(mix(instrument_ + 2)) - 1) * 40e-9;
}

void Analyser::error(int code, const std::string& text) {
  if (errors_.size() < 20) errors_.push_back(fmt::format("{},\"{}\"", code, text));
}

bool Analyser::stalled(double now_s) const {
  return log_start_ >= 0 && now_s - log_start_ >= faults_.stall_at;
}
bool Analyser::hung_up(double now_s) const {
  return log_start_ >= 0 && now_s - log_start_ >= faults_.hang_up_at &&
         now_s - log_start_ < faults_.hang_up_to;
}

double Analyser::waits_at(double ahead_s) const {
  if (!logging_ || fetched_ == 0) return Faults::kNever;
  return log_start_ + static_cast<double>(fetched_) * interval_ + ahead_s;
}

std::int64_t Analyser::logged(double now_s) const {
  if (log_start_ < 0) return 0;
  const double end = logging_ ? now_s : log_stop_;
  return static_cast<std::int64_t>(std::max(0.0, (end - log_start_) / interval_));
}

std::int64_t Analyser::oldest(double now_s) const {
  std::int64_t first = std::max<std::int64_t>(0, logged(now_s) - kMemory);
  const double lost_to = faults_.lost_to;
  if (std::isfinite(lost_to) &&
      static_cast<double>(logged(now_s)) * interval_ >= faults_.lost_from) {
    first = std::max(
        first, static_cast<std::int64_t>(std::llround(
                   std::min(lost_to, static_cast<double>(logged(now_s)) * interval_) / interval_)));
  }
  return first;
}

/// The instrument's reading of one logging interval: the device's mean current in it, its own error
/// and noise.
double Analyser::sample(std::int64_t index, int output) {
  const double since = static_cast<double>(index) * interval_;
  if (since >= faults_.over_from && since < faults_.over_to) return kOverRange;
  if (since >= faults_.odd_from && since < faults_.odd_to) return kNotANumber;
  const double a = log_start_ + since;
  const double mean = drawn(output, a, a + interval_);
  const auto mine = seed_ ^ static_cast<std::uint64_t>(output) * 0x9e37U;
  const double noise = gauss(mine, index) * (30e-9 + 0.004 * std::fabs(mean));
  return mean * (1 + gain_error_) + offset_error_ + noise;
}

/// What the device draws from an output; nothing from one that stands beside it.
double Analyser::drawn(int output, double a, double b) {
  if (!feeds(output)) return 0;
  return mean_current(device_, output, a, b, outputs_[static_cast<std::size_t>(output)].cursor);
}

/// The voltage at the device: what the output gives, less the drop over its leads.
double Analyser::voltage_sample(std::int64_t index, int output) {
  Output& o = outputs_[static_cast<std::size_t>(output)];
  const double a = log_start_ + static_cast<double>(index) * interval_;
  const auto after = std::partition_point(o.voltages.begin(), o.voltages.end(),
                                          [&](const auto& v) { return v.first <= a; });
  double volts = after == o.voltages.begin() ? 0 : std::prev(after)->second;
  const double noise = gauss(seed_ ^ 0x5851f42d4c957f2dU, index) * 0.4e-3;
  if (feeds(output)) volts = fed_volts(device_, output, a + interval_ / 2, volts);
  return volts > 0 ? volts - kLeads * drawn(output, a, a + interval_) + noise : noise;
}

double Analyser::digital_sample(std::int64_t index) {
  return device_.lines(log_start_ + (static_cast<double>(index) + 0.5) * interval_);
}

double Analyser::terminal_volts(int output) const {
  const Output& o = outputs_[static_cast<std::size_t>(output)];
  return o.on ? o.volts : 0;
}

void Analyser::note_voltage(double now_s, int output) {
  outputs_[static_cast<std::size_t>(output)].voltages.emplace_back(now_s, terminal_volts(output));
}

double Analyser::measure_now(double now_s, int output) {
  device_.advance(now_s + interval_);
  std::size_t cursor = 0;
  const double mean =
      feeds(output) ? mean_current(device_, output, now_s, now_s + 1e-4, cursor) : 0;
  return mean * (1 + gain_error_) + offset_error_;
}

void Analyser::switch_output(double now_s, int output, bool on) {
  Output& o = outputs_[static_cast<std::size_t>(output)];
  if (on && o.tripped) {
    error(-221, "Settings conflict; protection has tripped");
    return;
  }
  o.on = on;
  note_voltage(now_s, output);
  if (!feeds(output)) return device_.auxiliary(now_s, on && o.volts >= kFed);
  apply_limit(now_s, output);
  device_.set_voltage(now_s, output, o.volts);
  device_.power(now_s, output, on);
  o.checked = device_.stretches(output).size();
}

/// Holding, the device is held; switching off, it is not: the output goes away altogether.
void Analyser::apply_limit(double now_s, int output) {
  if (!feeds(output)) return;
  const Output& o = outputs_[static_cast<std::size_t>(output)];
  device_.set_limit(now_s, output, o.protection ? 1e9 : o.limit);
}

/// Looks through what the device drew since the last time, whose samples nobody has seen yet.
void Analyser::advance(double now_s) {
  device_.advance(now_s);
  for (int k = 0; k < device_.ports(); ++k) {
    Output& o = outputs_[static_cast<std::size_t>(k)];
    const auto& all = device_.stretches(k);
    for (std::size_t i = o.checked > 0 ? o.checked - 1 : 0; o.on && i < all.size(); ++i) {
      if (all[i].from_s > now_s) break;
      o.checked = i + 1;
      if (all[i].state == "Held") o.held = true;
      if (!o.protection || all[i].level_a <= o.limit) continue;
      const double at = std::min(now_s, all[i].from_s + kTripDelay);
      o.tripped = true;
      device_.cut(at);
      switch_output(at, k, false);
      device_.advance(now_s);
      error(-300, "Device-specific error; over-current, output switched off");
      break;
    }
  }
}

std::string Analyser::block(double now_s, const std::string& argument, Array array, int output) {
  const auto comma = argument.find(',');
  if (comma == std::string::npos) throw std::invalid_argument("needs FIRST,COUNT");
  const auto first = static_cast<std::int64_t>(number(argument.substr(0, comma)));
  auto count = static_cast<std::int64_t>(number(argument.substr(comma + 1)));
  if (first < oldest(now_s) || count < 0 || first + count > logged(now_s)) {
    error(-222, "Data out of range");
    count = 0;
  }
  count = std::min(count, kLargestBlock);
  std::string data(static_cast<std::size_t>(count) * 4, '\0');
  for (std::int64_t i = 0; i < count; ++i) {
    const auto value =
        static_cast<float>(array == Array::current   ? sample(first + i, output)
                           : array == Array::voltage ? voltage_sample(first + i, output)
                                                     : digital_sample(first + i));
    std::memcpy(data.data() + i * 4, &value, 4);
  }
  if (count > 0) fetched_ = std::max(fetched_, first + count);
  const std::string length = std::to_string(data.size());
  return "#" + std::to_string(length.size()) + length + data;
}

/// Commands that an output has: the first one's, unless "(@2)" names another.
std::string Analyser::one_of_output(double now_s, const std::string& header,
                                    const std::string& argument, int output, bool& known) {
  Output& o = outputs_[static_cast<std::size_t>(output)];
  known = true;
  if (header == "VOLT?") return fmt::format("{:.6E}", o.volts);
  if (header == "VOLT") {
    const double v = number(argument);
    if (v < 0 || v > kMostVolts * (joined_ == "SER" ? 2 : 1)) throw std::out_of_range("voltage");
    o.volts = v;
    note_voltage(now_s, output);
    if (feeds(output) && o.on) device_.set_voltage(now_s, output, v);
    if (!feeds(output)) device_.auxiliary(now_s, o.on && o.volts >= kFed);
    return "";
  }
  if (header == "CURR?") return fmt::format("{:.6E}", o.limit);
  if (header == "CURR") {
    const double a = number(argument);
    if (a <= 0 || a > kMostAmperes * (joined_ == "PAR" ? 2 : 1)) throw std::out_of_range("current");
    o.limit = a;
    apply_limit(now_s, output);
    return "";
  }
  if (header == "CURR:PROT:STAT?") return o.protection ? "1" : "0";
  if (header == "CURR:PROT:STAT") {
    o.protection = boolean(argument);
    apply_limit(now_s, output);
    return "";
  }
  if (header == "OUTP:PROT:CLE") {
    o.tripped = false;
    return "";
  }
  if (header == "OUTP:PROT:TRIP?") return o.tripped ? "1" : "0";
  if (header == "STAT:QUES?") {  // bit 1: the limit was reached since it was last asked
    const bool held = std::exchange(o.held, false);
    return held ? "2" : "0";
  }
  if (header == "OUTP?") return o.on ? "1" : "0";
  if (header == "OUTP") {
    switch_output(now_s, output, boolean(argument));
    return "";
  }
  if (header == "MEAS:CURR?") return fmt::format("{:.6E}", measure_now(now_s, output));
  if (header == "MEAS:VOLT?") {
    const double drop = o.on ? kLeads * measure_now(now_s, output) : 0.0;
    return fmt::format("{:.6E}", terminal_volts(output) - drop);
  }
  if (header == "FETC:ARR:CURR?") return block(now_s, argument, Array::current, output);
  if (header == "FETC:ARR:VOLT?") return block(now_s, argument, Array::voltage, output);
  known = false;
  return "";
}

void Analyser::join(const std::string& how) {
  if (how != "NONE" && how != "SER" && how != "PAR")
    throw std::invalid_argument("NONE, SER or PAR");
  for (const Output& o : outputs_) {
    if (o.on) return error(-221, "Settings conflict; an output is on");
  }
  if (device_.ports() > 1) return error(-221, "Settings conflict; each feeds a port of its own");
  joined_ = how;
  Output& first = outputs_.front();
  first.volts = std::min(first.volts, kMostVolts);
  first.limit = std::min(first.limit, kMostAmperes);
}

std::string Analyser::line(double now_s, Device::Pin which, bool asked,
                           const std::string& argument) {
  bool& high = lines_[which == Device::Pin::wake ? 1 : 0];
  if (asked) return high ? "1" : "0";
  high = argument == "HIGH" || (argument != "LOW" && boolean(argument));
  device_.pin(now_s, which, high);
  return "";
}

std::string Analyser::one(double now_s, const std::string& header, const std::string& given) {
  std::string argument = given;
  int output = 0;
  if (const auto list = argument.find("(@"); list != std::string::npos) {
    const double which = number(argument.substr(list + 2, argument.find(')', list) - list - 2));
    argument.erase(list);
    while (!argument.empty() && (argument.back() == ',' || argument.back() == ' '))
      argument.pop_back();
    if (which < 1 || which > static_cast<double>(outputs_.size()))
      throw std::out_of_range("output");
    output = static_cast<int>(which) - 1;
    if (output > 0 && joined_ != "NONE") {
      error(-221, "Settings conflict; its outputs are joined");
      return "";
    }
  }
  if (header == "OUTP:JOIN?") return joined_;
  if (header == "OUTP:JOIN") {
    join(argument);
    return "";
  }
  bool known = false;
  if (std::string answer = one_of_output(now_s, header, argument, output, known); known)
    return answer;
  if (header == "*IDN?")
    return "Kuvio," + model_ + "," + std::to_string(instrument_ % 100000) + ",1.0";
  if (header == "*OPC?") return "1";
  if (header == "*RST") {
    for (std::size_t k = 0; k < outputs_.size(); ++k)
      switch_output(now_s, static_cast<int>(k), false);
    logging_ = false;
    log_start_ = -1;
    return "";
  }
  if (header == "*CLS") {
    errors_.clear();
    return "";
  }
  if (header == "SYST:ERR?") {
    if (errors_.empty()) return "0,\"No error\"";
    std::string first = errors_.front();
    errors_.pop_front();
    return first;
  }
  if (header == "SENS:CURR:RANG?") return "AUTO";
  if (header == "SENS:CURR:RANG") {
    if (argument != "AUTO") throw std::invalid_argument("only AUTO: it changes range by itself");
    return "";
  }
  for (const auto& [name, which] :
       {std::pair{"DEV:RES", Device::Pin::reset}, std::pair{"DEV:WAKE", Device::Pin::wake}}) {
    if (header == name || header == std::string(name) + "?")
      return line(now_s, which, header.back() == '?', argument);
  }
  if (header == "FORM?") return "REAL,32";
  if (header == "FORM") {
    if (argument != "REAL,32") throw std::invalid_argument("only REAL,32");
    return "";
  }
  if (header == "SENS:SWE:TINT?") return fmt::format("{:.9E}", interval_);
  if (header == "SENS:SWE:TINT") {
    const double s = number(argument);
    if (s < 2e-6 || s > 10) throw std::out_of_range("interval");
    if (logging_) throw std::logic_error("logging");
    interval_ = s;
    return "";
  }
  if (header == "INIT" || header == "INIT:IMM") {
    if (logging_) throw std::logic_error("logging");
    logging_ = true;
    log_start_ = now_s;
    log_stop_ = -1;
    fetched_ = 0;
    return "";
  }
  if (header == "ABOR") {
    if (logging_) log_stop_ = now_s;
    logging_ = false;
    return "";
  }
  if (header == "FETC:ARR:POIN?") return fmt::format("{},{}", oldest(now_s), logged(now_s));
  if (header == "FETC:ARR:DIG?") return block(now_s, argument, Array::digital, 0);
  throw std::domain_error("header");
}

std::string Analyser::command(double now_s, std::string_view message) {
  advance(now_s);
  std::string answer;
  while (!message.empty()) {
    const auto cut = message.find(';');
    std::string_view part = message.substr(0, cut);
    message = cut == std::string_view::npos ? std::string_view{} : message.substr(cut + 1);
    while (!part.empty() && part.front() == ' ') part.remove_prefix(1);
    while (!part.empty() && (part.back() == ' ' || part.back() == '\r')) part.remove_suffix(1);
    if (part.empty()) continue;
    const auto space = part.find(' ');
    const std::string header = short_form(part.substr(0, space));
    const std::string argument(space == std::string_view::npos ? "" : part.substr(space + 1));
    try {
      const std::string one_answer = one(now_s, header, argument);
      if (!one_answer.empty()) answer += (answer.empty() ? "" : ";") + one_answer;
    } catch (const std::out_of_range&) {
      error(-222, "Data out of range; " + header);
    } catch (const std::domain_error&) {
      error(-113, "Undefined header; " + header);
    } catch (const std::invalid_argument& e) {
      error(-224, std::string("Illegal parameter value; ") + header + " " + e.what());
    } catch (const std::logic_error&) {
      error(-221, "Settings conflict; " + header + " while logging");
    }
  }
  return answer.empty() ? "" : answer + "\n";
}

}  // namespace kuvio::sim
