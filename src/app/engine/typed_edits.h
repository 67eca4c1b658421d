// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/conditions.h"
#include "core/typed_reading.h"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

class Session;

/// What a person has read, as a whole.
struct TypedReadings {
  std::optional<std::int64_t> capture;  ///< whose readings they are from now on; none: a new one's
  std::string build;                    ///< of a new one
  Conditions conditions;
  std::vector<TypedReading> readings;
};

/// Puts readings into the book; undoing it takes a new capture out of every list again.
void type_readings(Session& session, const TypedReadings& what);

}  // namespace kuvio::app
