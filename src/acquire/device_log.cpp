// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/device_log.h"

#include "acquire/host_clock.h"
#include "core/error.h"

#include <array>
#include <charconv>
#include <cstdlib>
#include <utility>

namespace kuvio::acquire {
namespace {
constexpr std::size_t kLongestLine = 4096;

/// Ten bits on a serial line: a start, eight, a stop.
double byte_time(const Endpoint& endpoint) {
  if (endpoint.over != "serial") return 0;
  const double baud = std::strtod(endpoint.option("baud", "115200").c_str(), nullptr);
  return baud > 0 ? 10 / baud : 0;
}

}  // namespace

void LineCutter::line_ended(std::vector<DeviceLine>& out) {
  DeviceLine line{first_s_, {}, false, std::move(line_)};
  line_.clear();
  if (stamped_ && line.text.starts_with('[')) {
    const auto close = line.text.find(']');
    double uptime = 0;
    if (close != std::string::npos) {
      const auto [end, failed] =
          std::from_chars(line.text.data() + 1, line.text.data() + close, uptime);
      if (failed == std::errc{} && end == line.text.data() + close) {
        line.uptime_s = uptime;
        line.text.erase(0, line.text.find_first_not_of(' ', close + 1) == std::string::npos
                               ? line.text.size()
                               : line.text.find_first_not_of(' ', close + 1));
      }
    }
  }
  out.push_back(std::move(line));
}

void LineCutter::take(std::string_view bytes, double now_s, std::vector<DeviceLine>& out) {
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    const char c = bytes[i];
    if (c == '\n' || c == '\r') {
      if (!line_.empty()) line_ended(out);
      continue;
    }
    if (line_.empty()) first_s_ = now_s - byte_s_ * static_cast<double>(bytes.size() - i);
    line_ += c;
    if (line_.size() >= kLongestLine) line_ended(out);
  }
}

void LineCutter::finish(std::vector<DeviceLine>& out) {
  if (!line_.empty()) line_ended(out);
}

DeviceLog::DeviceLog(const Endpoint& endpoint)
    : link_(open_link(endpoint)),
      cutter_(endpoint.options.count("stamped") > 0, byte_time(endpoint)) {
  thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

void DeviceLog::send(const std::string& line) {
  const std::lock_guard lock(mutex_);
  outgoing_.push_back(line);
}

std::vector<DeviceLine> DeviceLog::take() {
  const std::lock_guard lock(mutex_);
  return std::exchange(lines_, {});
}

std::optional<std::string> DeviceLog::failure() const {
  const std::lock_guard lock(mutex_);
  return failure_;
}

void DeviceLog::stop() {
  if (!thread_.joinable()) return;
  thread_.request_stop();
  thread_.join();
}

void DeviceLog::run(const std::stop_token& stop) {
  std::array<char, 4096> buffer;
  std::vector<DeviceLine> fresh;
  try {
    while (!stop.stop_requested()) {
      std::vector<std::string> outgoing;
      {
        const std::lock_guard lock(mutex_);
        outgoing.swap(outgoing_);
      }
      for (const std::string& line : outgoing) {
        link_->write(line + "\n");
        fresh.push_back({host_now_s(), {}, true, line});
      }
      const std::size_t n = link_->read(buffer, std::chrono::milliseconds(10));
      if (n > 0) cutter_.take({buffer.data(), n}, host_now_s(), fresh);
      if (!fresh.empty()) {
        const std::lock_guard lock(mutex_);
        lines_.insert(lines_.end(), fresh.begin(), fresh.end());
        fresh.clear();
      }
    }
  } catch (const std::exception& e) {
    const std::lock_guard lock(mutex_);
    failure_ = e.what();
  }
  cutter_.finish(fresh);
  const std::lock_guard lock(mutex_);
  lines_.insert(lines_.end(), fresh.begin(), fresh.end());
}

}  // namespace kuvio::acquire
