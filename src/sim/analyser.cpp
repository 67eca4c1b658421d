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

namespace kuvio::sim {
namespace {

constexpr std::int64_t kMemory = 8 << 20;  // samples the instrument keeps
constexpr std::int64_t kLargestBlock = 1 << 16;
constexpr double kLeads = 0.35;  // Ohm, between output and device
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
      {"SOURCE", "SOUR"},   {"DIGITAL", "DIG"}};
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

Analyser::Analyser(Satchel& device, std::uint64_t seed, Faults faults)
    : device_(device), seed_(mix(seed)), faults_(faults) {
  gain_error_ = (2 * uniform(mix(seed_ + 1)) - 1) * 0.0008;
  offset_error_ = (2 * uniform(mix(seed_ + 2)) - 1) * 40e-9;
}

void Analyser::error(int code, const std::string& text) {
  if (errors_.size() < 20) errors_.push_back(fmt::format("{},\"{}\"", code, text));
}

bool Analyser::stalled(double now_s) const {
  return log_start_ >= 0 && now_s - log_start_ >= faults_.stall_at;
}
bool Analyser::hung_up(double now_s) const {
  return log_start_ >= 0 && now_s - log_start_ >= faults_.hang_up_at;
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
double Analyser::sample(std::int64_t index) {
  const double since = static_cast<double>(index) * interval_;
  if (since >= faults_.over_from && since < faults_.over_to) return kOverRange;
  if (since >= faults_.odd_from && since < faults_.odd_to) return kNotANumber;
  const double a = log_start_ + since;
  const double mean = mean_current(a, a + interval_);
  const double noise = gauss(seed_, index) * (30e-9 + 0.004 * std::fabs(mean));
  return mean * (1 + gain_error_) + offset_error_ + noise;
}

double Analyser::mean_current(double a, double b) {
  const auto& stretches = device_.stretches();
  if (cursor_ >= stretches.size() || stretches[cursor_].from_s > a) cursor_ = 0;
  if (cursor_ == 0) {
    cursor_ = static_cast<std::size_t>(
        std::partition_point(stretches.begin(), stretches.end(),
                             [&](const Stretch& s) { return s.to_s <= a; }) -
        stretches.begin());
  }
  while (cursor_ < stretches.size() && stretches[cursor_].to_s <= a) ++cursor_;
  double charge = 0;
  for (std::size_t i = cursor_; i < stretches.size() && stretches[i].from_s < b; ++i) {
    const Stretch& s = stretches[i];
    const double from = std::max(a, s.from_s), to = std::min(b, s.to_s);
    if (to > from) charge += s.charge(from, to);
  }
  return charge / (b - a);
}

/// The voltage at the device: what the output gives, less the drop over its leads.
double Analyser::voltage_sample(std::int64_t index) {
  const double a = log_start_ + static_cast<double>(index) * interval_;
  const auto after = std::partition_point(voltages_.begin(), voltages_.end(),
                                          [&](const auto& v) { return v.first <= a; });
  const double volts = after == voltages_.begin() ? 0 : std::prev(after)->second;
  const double noise = gauss(seed_ ^ 0x5851f42d4c957f2dU, index) * 0.4e-3;
  return volts > 0 ? volts - kLeads * mean_current(a, a + interval_) + noise : noise;
}

/// Bit 0: the radio is on, bit 1: the locator is.
double Analyser::digital_sample(std::int64_t index) {
  const double a = log_start_ + (static_cast<double>(index) + 0.5) * interval_;
  const auto& stretches = device_.stretches();
  const auto it = std::partition_point(stretches.begin(), stretches.end(),
                                       [&](const Stretch& s) { return s.to_s <= a; });
  if (it == stretches.end()) return 0;
  return (it->state == "Uplink" ? 1 : 0) + (it->state == "Locate" ? 2 : 0);
}

void Analyser::note_voltage(double now_s) { voltages_.emplace_back(now_s, output_ ? volts_ : 0); }

double Analyser::measure_now(double now_s) {
  device_.advance(now_s);
  return device_.current_at(now_s) * (1 + gain_error_) + offset_error_;
}

void Analyser::switch_output(double now_s, bool on) {
  if (on && tripped_) {
    error(-221, "Settings conflict; protection has tripped");
    return;
  }
  output_ = on;
  note_voltage(now_s);
  device_.set_voltage(now_s, volts_);
  device_.power(now_s, on);
}

void Analyser::advance(double now_s) {
  device_.advance(now_s);
  if (output_ && device_.current_at(now_s) > limit_) {
    if (protection_) {
      tripped_ = true;
      switch_output(now_s, false);
      error(-300, "Device-specific error; over-current, output switched off");
    } else {  // held at the limit, the voltage falls away and the device starts over
      device_.power(now_s, false);
      device_.power(now_s, true);
    }
  }
}

std::string Analyser::block(double now_s, const std::string& argument, Array array) {
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
    const auto value = static_cast<float>(array == Array::current   ? sample(first + i)
                                          : array == Array::voltage ? voltage_sample(first + i)
                                                                    : digital_sample(first + i));
    std::memcpy(data.data() + i * 4, &value, 4);
  }
  if (count > 0) fetched_ = std::max(fetched_, first + count);
  const std::string length = std::to_string(data.size());
  return "#" + std::to_string(length.size()) + length + data;
}

std::string Analyser::one(double now_s, const std::string& header, const std::string& argument) {
  if (header == "*IDN?")
    return "Kuvio,Simulated analyser," + std::to_string(seed_ % 100000) + ",1.0";
  if (header == "*OPC?") return "1";
  if (header == "*RST") {
    switch_output(now_s, false);
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
    const std::string first = errors_.front();
    errors_.pop_front();
    return first;
  }
  if (header == "VOLT?") return fmt::format("{:.6E}", volts_);
  if (header == "VOLT") {
    const double v = number(argument);
    if (v < 0 || v > 20) throw std::out_of_range("voltage");
    volts_ = v;
    note_voltage(now_s);
    if (output_) device_.set_voltage(now_s, v);
    return "";
  }
  if (header == "CURR?") return fmt::format("{:.6E}", limit_);
  if (header == "CURR") {
    const double a = number(argument);
    if (a <= 0 || a > 3) throw std::out_of_range("current");
    limit_ = a;
    return "";
  }
  if (header == "CURR:PROT:STAT?") return protection_ ? "1" : "0";
  if (header == "CURR:PROT:STAT") {
    protection_ = boolean(argument);
    return "";
  }
  if (header == "OUTP:PROT:CLE") {
    tripped_ = false;
    return "";
  }
  if (header == "OUTP?") return output_ ? "1" : "0";
  if (header == "OUTP") {
    switch_output(now_s, boolean(argument));
    return "";
  }
  if (header == "MEAS:CURR?") return fmt::format("{:.6E}", measure_now(now_s));
  if (header == "MEAS:VOLT?") {
    device_.advance(now_s);
    return fmt::format("{:.6E}", output_ ? volts_ - kLeads * device_.current_at(now_s) : 0.0);
  }
  if (header == "SENS:CURR:RANG?") return "AUTO";
  if (header == "SENS:CURR:RANG") {
    if (argument != "AUTO") throw std::invalid_argument("only AUTO: it ranges seamlessly");
    return "";
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
    cursor_ = 0;
    fetched_ = 0;
    return "";
  }
  if (header == "ABOR") {
    if (logging_) log_stop_ = now_s;
    logging_ = false;
    return "";
  }
  if (header == "FETC:ARR:POIN?") return fmt::format("{},{}", oldest(now_s), logged(now_s));
  if (header == "FETC:ARR:CURR?") return block(now_s, argument, Array::current);
  if (header == "FETC:ARR:VOLT?") return block(now_s, argument, Array::voltage);
  if (header == "FETC:ARR:DIG?") return block(now_s, argument, Array::digital);
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
