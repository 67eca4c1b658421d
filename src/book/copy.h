// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"

#include <functional>
#include <string>

namespace kuvio::book {

/// Writes a copy of a book as it is at this moment, also while it is being recorded into: captures
/// that are still growing are *interrupted* in the copy, which says so. The copy is one whole file
/// from the moment it has its name; an existing file is never replaced. `progress` is given the
/// share done; when it returns false the copy is given up and nothing stays. `without_deleted`:
/// captures that people have deleted are not in it, nor is the room they took.
///
/// Throws Error: cannot_create (it exists, no room), io (given up), bad_data (damaged).
void copy(const Book& book, const std::string& to, const std::function<bool(double)>& progress = {},
          bool without_deleted = false);

}  // namespace kuvio::book
