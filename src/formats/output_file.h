// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace kuvio::formats {

/// Writes a whole file by way of a neighbour and a rename: either all of it is there, or what was
/// before. Error (cannot_create) when it cannot be written.
void write_file(const std::string& path, const std::string& content);

}  // namespace kuvio::formats
