// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/typed_reading.h"

#include <string>
#include <vector>

namespace kuvio::book {

// Readings that people typed stand in a capture that has no channels (its end_reason is "typed"),
// in its note "typed"; docs/book-format.md has its text. As a note they can be undone.

/// The readings of a capture, none where it was recorded. Error bad_data when they are damaged.
std::vector<TypedReading> typed_readings(const Book& book, std::int64_t capture);
/// The note that makes these its readings.
Note typed_note(std::int64_t capture, const std::vector<TypedReading>& readings);
/// The capture that a build's readings under these conditions go into: the one there is, with that
/// name where one is given, or a new one. Error bad_data for a name that a recorded capture of the
/// build has.
std::int64_t typed_capture(Book& book, const std::string& build, const std::string& name,
                           const Conditions& conditions);

}  // namespace kuvio::book
