// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/meter.h"

#include "sim/analyser.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <stdexcept>

namespace kuvio::sim {

std::int64_t Meter::taken(double now_s) const {
  if (start_ < 0) return 0;
  if (!running_) return until_;
  return static_cast<std::int64_t>(std::max(0.0, (now_s - start_) / interval_));
}

std::string Meter::reading(std::int64_t index) {
  const double a = start_ + static_cast<double>(index) * interval_;
  const double mean = mean_current(device_, 0, a, a + interval_, cursor_);
  return fmt::format("{:+.7E}", mean + 200e-9 * gauss(seed_, index));
}

std::string Meter::one(double now_s, const std::string& header, const std::string& argument) {
  if (header == "*IDN?") return "Kuvio,Simulated meter,1,1.0";
  if (header == "*OPC?") return "1";
  if (header == "*CLS") {
    errors_.clear();
    return "";
  }
  if (header == "SYST:ERR?") {
    if (errors_.empty()) return "+0,\"No error\"";
    std::string first = errors_.front();
    errors_.pop_front();
    return first;
  }
  if (header == "MEAS:CURR:DC?") {
    std::size_t cursor = 0;
    device_.advance(now_s + 1e-3);
    return fmt::format("{:+.7E}", mean_current(device_, 0, now_s, now_s + 1e-3, cursor));
  }
  if (header == "CONF:CURR:DC" || header == "CURR:DC:RANG:AUTO" || header == "CURR:DC:RANG")
    return "";
  if (header == "TRIG:TIM?") return fmt::format("{:.6E}", interval_);
  if (header == "TRIG:TIM") {
    const double s = std::strtod(argument.c_str(), nullptr);
    if (s < 1e-4 || s > 10) {
      errors_.push_back("-222,\"Data out of range\"");
    } else {
      interval_ = s;
    }
    return "";
  }
  if (header == "INIT") {
    running_ = true;
    start_ = now_s;
    given_ = 0;
    return "";
  }
  if (header == "ABOR") {
    until_ = taken(now_s);
    running_ = false;
    return "";
  }
  if (header == "FETC:COUN?") return std::to_string(taken(now_s) - given_);
  if (header == "FETC:NEXT?") {
    const auto n = std::min<std::int64_t>(std::atoll(argument.c_str()), taken(now_s) - given_);
    std::string out;
    for (std::int64_t i = 0; i < n; ++i) out += (i > 0 ? "," : "") + reading(given_++);
    return out.empty() ? " " : out;
  }
  errors_.push_back("-113,\"Undefined header\"");
  return "";
}

std::string Meter::command(double now_s, std::string_view message) {
  device_.advance(now_s);
  while (!message.empty() && (message.back() == '\r' || message.back() == ' '))
    message.remove_suffix(1);
  const auto space = message.find(' ');
  const std::string argument(space == std::string_view::npos ? "" : message.substr(space + 1));
  const std::string answer = one(now_s, std::string(message.substr(0, space)), argument);
  return answer.empty() ? "" : answer + "\n";
}

std::string TextLogger::header() const {
  return with_time_ ? "t [ms],I [mA],U [V]\r\n" : "I [mA],U [V]\r\n";
}

std::string TextLogger::send(double now_s, double volts) {
  std::string out;
  while (static_cast<double>(next_ + 1) * interval_ <= now_s) {
    const double a = static_cast<double>(next_) * interval_;
    const double mean = mean_current(device_, 0, a, a + interval_, cursor_);
    if (with_time_) out += fmt::format("{:.3f},", a * 1e3);
    const double left = fed_volts(device_, 0, a + interval_ / 2, volts);
    out += fmt::format("{:.6f},{:.4f}\r\n", mean * 1e3, left + 0.5e-3 * gauss(seed_, next_));
    ++next_;
  }
  return out;
}

SensorTree::SensorTree(std::string folder) : folder_(std::move(folder)) {
  std::error_code failed;
  std::filesystem::create_directories(hwmon(), failed);
  std::filesystem::create_directories(iio(), failed);
  if (failed) throw std::runtime_error("cannot make " + folder_ + ": " + failed.message());
  write("hwmon0/name", "simulated_monitor\n");
  write("hwmon0/curr1_label", "supply\n");
  write("iio0/name", "simulated_adc\n");
  write("iio0/in_current0_scale", "0.001000000\n");
  write("iio0/in_voltage0_scale", "0.500000000\n");
  show(0, 0);
}

/// As long as before, so that whoever reads never finds half a number.
void SensorTree::write(const std::string& name, const std::string& text) const {
  const std::string file = folder_ + "/" + name;
  const int fd = ::open(file.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0644);
  if (fd < 0) throw std::runtime_error("cannot write " + file);
  const bool good = ::pwrite(fd, text.data(), text.size(), 0) == static_cast<ssize_t>(text.size());
  ::close(fd);
  if (!good) throw std::runtime_error("cannot write " + file);
}

void SensorTree::show(double amperes, double volts) const {
  write("hwmon0/curr1_input", fmt::format("{:<12d}\n", std::llround(amperes * 1e3)));
  write("hwmon0/in1_input", fmt::format("{:<12d}\n", std::llround(volts * 1e3)));
  write("iio0/in_current0_raw", fmt::format("{:<12d}\n", std::llround(amperes * 1e6)));
  write("iio0/in_voltage0_raw", fmt::format("{:<12d}\n", std::llround(volts * 2e3)));
}

}  // namespace kuvio::sim
