// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>

namespace kuvio {

/// What a capture was made under: "voltage" = "3.6 V", "temperature" = "23 °C"; free names and
/// texts.
using Conditions = std::map<std::string, std::string>;

}  // namespace kuvio
