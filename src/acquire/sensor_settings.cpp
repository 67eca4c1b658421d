// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/sensor_settings.h"

#include "acquire/sysfs_file.h"
#include "core/error.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <cmath>
#include <cstring>
#include <optional>

namespace kuvio::acquire {
namespace {

namespace fs = std::filesystem;

/// How a file of a driver's is to be read. A name may have a channel's in front of it.
struct Kind {
  const char* tail;
  const char* words;
  const char* unit;
  double factor;  ///< SI value of 1 in the file
};
constexpr Kind kKinds[] = {
    {"update_interval", "update interval", "s", 1e-3},
    {"sampling_frequency", "samples per second", "Hz", 1},
    {"integration_time", "integration time", "s", 1},
    {"oversampling_ratio", "readings averaged", "", 1},
};

struct Found {
  std::string words, unit;
  double factor = 1;
};

std::optional<Found> meaning_of(const std::string& name) {
  // A shunt: in micro-ohms by hwmon, in ohms by iio.
  if (name == "shunt_resistor") return Found{"shunt", "Ohm", 1e-6};
  if (name.starts_with("shunt") && name.ends_with("_resistor"))
    return Found{"shunt " + name.substr(5, name.size() - 14), "Ohm", 1e-6};
  if (name.starts_with("in_") && name.ends_with("shunt_resistor")) return Found{"shunt", "Ohm", 1};
  for (const Kind& k : kKinds) {
    if (name == k.tail || name == std::string("in_") + k.tail)
      return Found{k.words, k.unit, k.factor};
    if (!name.starts_with("in_") || !name.ends_with(std::string("_") + k.tail)) continue;
    const std::string of = name.substr(3, name.size() - 4 - std::strlen(k.tail));
    return Found{std::string(k.words) + " of " + of, k.unit, k.factor};
  }
  return std::nullopt;
}

/// "0.001 0.002": all that is taken. A range ("[1 1 1024]") says no single ones.
std::vector<double> choices_in(const std::optional<std::string>& text, double factor) {
  std::vector<double> out;
  if (!text || text->find('[') != std::string::npos) return out;
  const char *at = text->data(), *const end = text->data() + text->size();
  while (at < end) {
    if (*at == ' ' || *at == '\n' || *at == '\t') {
      ++at;
      continue;
    }
    double v = 0;
    const auto [next, failed] = std::from_chars(at, end, v);
    if (failed != std::errc{}) return {};
    out.push_back(v * factor);
    at = next;
  }
  std::sort(out.begin(), out.end());
  return out;
}

std::optional<SensorSetting> read(const fs::path& folder, const std::string& name) {
  const auto meaning = meaning_of(name);
  if (!meaning) return std::nullopt;
  const auto value = number_in(folder / name);
  if (!value || !std::isfinite(*value)) return std::nullopt;
  SensorSetting out;
  out.file = name;
  out.words = meaning->words;
  out.unit = meaning->unit;
  out.value = *value * meaning->factor;
  out.choices = choices_in(text_of(folder / (name + "_available")), meaning->factor);
  out.writable = ::access((folder / name).c_str(), W_OK) == 0;
  return out;
}

}  // namespace

std::vector<SensorSetting> sensor_settings(const std::string& folder) {
  std::vector<SensorSetting> out;
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(folder, failed)) {
    if (auto one = read(folder, entry.path().filename().string())) out.push_back(std::move(*one));
  }
  std::sort(out.begin(), out.end(),
            [](const SensorSetting& a, const SensorSetting& b) { return a.file < b.file; });
  return out;
}

SensorSetting set_sensor(const std::string& folder, const SensorSetting& setting, double value) {
  const fs::path file = fs::path(folder) / setting.file;
  const auto meaning = meaning_of(setting.file);
  if (!meaning || !std::isfinite(value))
    throw Error(Failure::usage, "no setting of a sensor", file.string(), "nothing was written");
  // Whole numbers as such: many drivers take nothing else.
  const double raw = value / meaning->factor;
  const std::string text = std::fabs(raw - std::round(raw)) < 1e-9 * std::max(1.0, std::fabs(raw))
                               ? fmt::format("{:.0f}", raw)
                               : fmt::format("{:.9g}", raw);
  const int fd = ::open(file.c_str(), O_WRONLY | O_CLOEXEC | O_TRUNC);
  if (fd < 0) {
    throw Error(Failure::unavailable, "setting not written", file.string(),
                fmt::format("{}. It is as it was", std::strerror(errno)));
  }
  const ssize_t n = ::write(fd, text.data(), text.size());
  const int why = errno;
  ::close(fd);
  if (n != static_cast<ssize_t>(text.size())) {
    throw Error(
        Failure::bad_data, "setting refused", file.string(),
        fmt::format("the driver does not take {} ({}). It is as it was", text, std::strerror(why)));
  }
  auto now = read(folder, setting.file);
  if (!now) {
    throw Error(Failure::bad_data, "setting not read back", file.string(),
                "it was written as " + text + " and can't be read");
  }
  return *now;
}

}  // namespace kuvio::acquire
