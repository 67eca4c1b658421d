// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/sqlite.h"

#include <cstdint>
#include <string>
#include <vector>

namespace kuvio::book {

// Checksums over rows, so that verify can find a changed one: CRC-32 over all values of the rows a
// figure rests on, written in the transaction that makes them final. Samples and strides have their
// own. They find accidents; whoever means to deceive can make them anew.

/// What one of them covers.
struct Covered {
  std::string kind;     ///< "capture", "names", "split", "splits", "note:KEY"
  std::int64_t id = 0;  ///< of the capture or split
};

/// Of the rows as they are now.
std::uint32_t checksum_of(const Database& db, const Covered& what);
/// Stores it. Does nothing in a book whose version has none.
void write_checksum(const Database& db, const Covered& what);
void forget_checksum(const Database& db, const Covered& what);
/// All that a capture that has ended has.
void seal_capture(const Database& db, std::int64_t capture);
/// What a book should have, and what it has too much: described for people where it does not agree.
struct ChecksumFault {
  std::int64_t capture = 0;
  std::string where, what;
};
std::vector<ChecksumFault> check_checksums(const Database& db);
/// Seals everything that is final in a book of an older version.
void seal_all(const Database& db);

}  // namespace kuvio::book
