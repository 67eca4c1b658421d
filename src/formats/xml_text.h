// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace kuvio::formats {

/// "<" and its like escaped for XML and HTML.
std::string escape_xml(const std::string& text);

}  // namespace kuvio::formats
