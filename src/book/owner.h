// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace kuvio::book {

/// Identity of this process, and whether the one that wrote an identity still runs.
std::string own_identity();
bool is_alive(const std::string& identity);

}  // namespace kuvio::book
