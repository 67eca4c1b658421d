// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include <cmath>
#include <optional>

namespace kuvio::formats {

/// A number in a document; null where it is not known, or no number.
inline nlohmann::ordered_json json_number(const std::optional<double>& value) {
  return value && std::isfinite(*value) ? nlohmann::ordered_json(*value)
                                        : nlohmann::ordered_json(nullptr);
}

}  // namespace kuvio::formats
