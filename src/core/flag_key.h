// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/sample.h"

#include <optional>
#include <string_view>

namespace kuvio {

/// A flag as books and exchanged files have it: "over_range".
std::string_view key_of(Flag flag);
std::optional<Flag> flag_of_key(std::string_view key);

}  // namespace kuvio
