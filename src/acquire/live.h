// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/sample.h"

#include <cstddef>
#include <optional>
#include <string>

namespace kuvio::acquire {

/// How a watched input or output stands.
enum class LinkPhase { connecting, ready, lost };

/// What a channel does right now, for people who watch.
struct LiveChannel {
  std::string name;
  Quantity quantity = Quantity::other;
  std::string unit;
  double last = 0, min = 0, max = 0;   ///< extremes since it was last reported
  double sum = 0, observed_s = 0;      ///< of a recording: integral and time since its start
  std::optional<Flag> out_of_range{};  ///< why the last sample was no data
  std::size_t place = 0;               ///< among the capture's channels
  std::string own_name{};  ///< within its input, where `name` tells it from others; else ""
};

/// One reading of an output that is watched and not recorded.
struct LiveReading {
  double at_s = 0;  ///< s since the monitor connected
  std::optional<double> current,
      voltage;  ///< nothing where it read no data, or has no such channel
};

}  // namespace kuvio::acquire
