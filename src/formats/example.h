// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/documents.h"

#include <vector>

namespace kuvio::formats {

/// The example's document of a kind, of the simulated device Satchel: part of the program, so that
/// it is at hand wherever the program is put. It has no path. Requires a kind that has a file.
book::Document example(book::DocumentKind kind);
/// Those that the example's book holds.
std::vector<book::DocumentKind> example_kinds();

}  // namespace kuvio::formats
