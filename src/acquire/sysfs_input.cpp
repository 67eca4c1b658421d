// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/sysfs_input.h"

#include "acquire/sensor_settings.h"
#include "acquire/sysfs_file.h"
#include "book/text.h"
#include "core/error.h"
#include "core/quantity.h"
#include "core/special_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <stdexcept>

namespace kuvio::acquire {
namespace {

namespace fs = std::filesystem;
constexpr double kFastest = 1000;  // Hz

bool ends(const std::string& name, const char* tail) { return name.ends_with(tail); }

}  // namespace

SysfsInput::SysfsInput(const Endpoint& endpoint, const InputSettings& settings)
    : Input(endpoint, 1 << 18) {
  const double asked = endpoint.rate_hz();
  rate_hz_ = asked > 0 ? asked : std::min(settings.rate_hz, 100.0);
  if (!(rate_hz_ > 0 && rate_hz_ <= kFastest))
    throw Error(Failure::usage, "bad input address", endpoint.text,
                "the rate of a sensor must be greater than zero and at most 1 kHz");
  std::error_code failed;
  if (!fs::is_directory(endpoint.path, failed))
    throw Error(Failure::unavailable, "cannot open input", endpoint.text,
                "there is no such folder");
  find_sensors();
  if (!settings.channels.empty()) {
    for (std::size_t i = channels_.size(); i-- > 0;) {
      const auto& names = settings.channels;
      if (std::find(names.begin(), names.end(), channels_[i].name) != names.end()) continue;
      channels_.erase(channels_.begin() + static_cast<std::ptrdiff_t>(i));
      sensors_.erase(sensors_.begin() + static_cast<std::ptrdiff_t>(i));
    }
  }
  if (channels_.empty()) {
    throw Error(Failure::unavailable, "no sensors", endpoint.text,
                "the folder has neither currN_input, inN_input nor in_currentN_raw, "
                "in_voltageN_raw (of the channels asked for)");
  }
  identity_ = text_of(fs::path(endpoint.path) / "name").value_or("sensor") + " (" +
              fs::path(endpoint.path).filename().string() + ")";
  // Captures that were taken otherwise are unlike each other.
  for (const SensorSetting& one : sensor_settings(endpoint.path)) {
    conditions_[one.words] = one.unit.empty() ? fmt::format("{:g}", one.value)
                                              : fmt::format("{:g} {}", one.value, one.unit);
  }
}

void SysfsInput::add(const std::string& stem, const std::string& file, Quantity quantity,
                     double scale, double offset) {
  InputChannel c;
  c.quantity = quantity;
  c.unit = info(quantity).unit;
  c.kind = SampleKind::instant;
  c.encoding = book::Encoding::f8;
  const auto label = text_of(fs::path(endpoint_.path) / (stem + "_label"));
  c.name = label && !label->empty() ? book::printable(*label) : stem;
  channels_.push_back(c);
  sensors_.push_back({file, stem, scale, offset, false});
}

void SysfsInput::find_sensors() {
  std::vector<std::string> names;
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(endpoint_.path, failed))
    names.push_back(entry.path().filename().string());
  std::sort(names.begin(), names.end());
  const fs::path folder = endpoint_.path;
  for (const std::string& name : names) {
    const std::string file = (folder / name).string();
    const bool hwmon = ends(name, "_input") && !name.starts_with("in_");
    if (hwmon) {
      const std::string stem = name.substr(0, name.size() - 6);
      if (name.starts_with("curr")) add(stem, file, Quantity::current, 1e-3, 0);
      if (name.starts_with("in") && stem.size() > 2) add(stem, file, Quantity::voltage, 1e-3, 0);
      continue;
    }
    const bool current = name.starts_with("in_current"), voltage = name.starts_with("in_voltage");
    if (!current && !voltage) continue;
    const Quantity quantity = current ? Quantity::current : Quantity::voltage;
    if (ends(name, "_input")) {
      add(name.substr(0, name.size() - 6), file, quantity, 1e-3, 0);
    } else if (ends(name, "_raw")) {
      const std::string stem = name.substr(0, name.size() - 4);
      if (std::find(names.begin(), names.end(), stem + "_input") != names.end()) continue;
      // A scale may be the channel's own or that of all of its kind; so may an offset.
      const std::string all = current ? "in_current" : "in_voltage";
      auto scale = number_in(folder / (stem + "_scale"));
      if (!scale) scale = number_in(folder / (all + "_scale"));
      auto offset = number_in(folder / (stem + "_offset"));
      if (!offset) offset = number_in(folder / (all + "_offset"));
      if (!scale)
        note(endpoint_.text + ": " + stem + " has no scale; its codes are taken as mA/mV");
      add(stem, file, quantity, scale.value_or(1) * 1e-3, offset.value_or(0));
    }
  }
}

/// One reading; not-a-number where the driver has none right now. Error when the sensor is gone.
std::optional<double> SysfsInput::read_sensor(Sensor& sensor) {
  const auto raw = number_in(sensor.file);
  if (raw) return (*raw + sensor.offset) * sensor.scale;
  std::error_code failed;
  if (!fs::exists(sensor.file, failed)) {
    throw Error(Failure::unavailable, "sensor lost", endpoint_.text,
                sensor.stem + " is no longer there");
  }
  if (!sensor.reported) note(endpoint_.text + ": " + sensor.stem + " could not be read at times");
  sensor.reported = true;
  return std::nullopt;
}

void SysfsInput::run(const std::stop_token& stop) {
  const double begun = host_now_s(), every = 1 / rate_hz_;
  std::int64_t tick = 0, last_ns = -1;
  bool behind = false;
  while (!stop.stop_requested()) {
    const double before = host_now_s();
    Packet packet;
    for (Sensor& s : sensors_) packet.columns.push_back({read_sensor(s).value_or(kNotANumber)});
    const double after = host_now_s(), at = (before + after) / 2 - begun;
    const std::int64_t own = std::max<std::int64_t>(last_ns + 1, std::llround(at * 1e9));
    packet.times.push_back(own);
    // A reading that took far longer than the rate leaves a stretch of which nothing is known.
    packet.gap = behind;
    behind = after - before > std::max(0.5, 8 * every);
    last_ns = own;
    sync({static_cast<double>(own) * 1e-9, before, after});
    deliver(std::move(packet));
    ++tick;
    const double due = begun + static_cast<double>(tick) * every;
    if (host_now_s() - due > 1) tick = static_cast<std::int64_t>((host_now_s() - begun) / every);
    while (!stop.stop_requested() && host_now_s() < due)
      std::this_thread::sleep_for(
          std::chrono::duration<double>(std::min(0.02, std::max(0.0, due - host_now_s()))));
  }
}

}  // namespace kuvio::acquire
