// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"
#include "core/visit.h"

#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <random>
#include <string>
#include <vector>

namespace kuvio::test {

/// A folder that goes with the test.
class Folder {
public:
  Folder() {
    std::string name = (std::filesystem::temp_directory_path() / "kuvio-test-XXXXXX").string();
    path_ = ::mkdtemp(name.data());
  }
  ~Folder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;
  std::string operator/(const std::string& name) const { return (path_ / name).string(); }
  std::string write(const std::string& name, const std::string& text) const {
    std::ofstream(path_ / name, std::ios::binary) << text;
    return *this / name;
  }
  std::vector<std::string> files() const {
    std::vector<std::string> out;
    for (const auto& e : std::filesystem::directory_iterator(path_))
      out.push_back(e.path().filename().string());
    return out;
  }

private:
  std::filesystem::path path_;
};

/// When a trace first lies above a level, from a moment on (s); -1 if never.
inline double first_above(const Trace& trace, double level, double from_s = 0) {
  for (const Block& b : trace.blocks()) {
    std::vector<double> v(static_cast<std::size_t>(b.count));
    trace.read(b, 0, v);
    for (std::size_t i = 0; i < v.size(); ++i) {
      const double t = trace.time_base().seconds(tick_of(trace, b, static_cast<std::int64_t>(i)));
      if (t >= from_s && v[i] > level) return t;
    }
  }
  return -1;
}

/// Levels one after another, each for so many samples of a millisecond that stand for their own
/// interval.
inline MemoryTrace trace_of(const std::vector<std::pair<double, int>>& levels,
                            std::int64_t start = 0) {
  MemoryTrace trace(SampleKind::averaged, {1, 1000});
  std::vector<double> values;
  for (const auto& [level, ms] : levels)
    values.insert(values.end(), static_cast<std::size_t>(ms), level);
  trace.append(start, 1, values);
  return trace;
}

inline std::vector<std::string> names(const Visits& visits) {
  std::vector<std::string> out;
  for (const Visit& v : visits) out.push_back(v.state);
  return out;
}

/// A random trace: blocks with gaps, evenly spaced or not, levels over seven decades, some of it
/// negative.
inline MemoryTrace random_trace(std::mt19937_64& random, SampleKind kind, bool explicit_times) {
  MemoryTrace out(kind, {1, 1'000'000});
  std::uniform_real_distribution<double> unit(0, 1);
  std::int64_t at = static_cast<std::int64_t>(unit(random) * 1e6);
  const int blocks = 1 + static_cast<int>(unit(random) * 5);
  for (int b = 0; b < blocks; ++b) {
    const auto n = static_cast<std::size_t>(1 + unit(random) * 3000);
    std::vector<double> values(n);
    double level = std::pow(10, -7 + 7 * unit(random));
    for (double& v : values) {
      if (unit(random) < 0.01)
        level = std::pow(10, -7 + 7 * unit(random)) * (unit(random) < 0.1 ? -1 : 1);
      v = level * (1 + 0.05 * (unit(random) - 0.5));
    }
    if (explicit_times) {
      std::vector<std::int64_t> times(n);
      for (auto& t : times) {
        t = at;
        at += 1 + static_cast<std::int64_t>(unit(random) * 2000);
      }
      out.append(times, values, at);
      at += 1;
    } else {
      const auto period = 1 + static_cast<std::int64_t>(unit(random) * 1000);
      out.append(at, period, values);
      at += static_cast<std::int64_t>(n) * period;
    }
    at += static_cast<std::int64_t>(unit(random) * 500000);
  }
  return out;
}

/// Integral of |value| over a trace, for tolerances.
inline double absolute_charge(const Trace& trace) {
  double sum = 0;
  for (const Block& b : trace.blocks()) {
    for (std::int64_t i = 0; i < b.count; ++i) {
      double v = 0;
      trace.read(b, i, {&v, 1});
      sum +=
          std::fabs(v) * trace.time_base().seconds(tick_of(trace, b, i + 1) - tick_of(trace, b, i));
    }
  }
  return sum;
}

}  // namespace kuvio::test
