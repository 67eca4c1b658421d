// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"

#include <functional>
#include <string>
#include <vector>

namespace kuvio::book {

struct Problem {
  std::string capture;  ///< name, or "" for the book as a whole
  std::string where, what;
};

/// Checks a book from end to end: SQLite's own structure, references, every segment, chunk, stride
/// node and CRC against the samples, the tail, splits. Reads everything; changes nothing.
/// `progress` gets the share done (0 … 1) and returns false to stop.
std::vector<Problem> verify(const Book& book, const std::function<bool(double)>& progress = {});

}  // namespace kuvio::book
