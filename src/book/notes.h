// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/edits.h"

#include <optional>
#include <string>
#include <vector>

namespace kuvio::book {

// What people put into a book besides captures is kept as notes: single values that can be put
// back, which is what makes every edit undoable. docs/book-format.md lists the keys.

/// What stood at a note's place and what stands there now; put either back with `put`.
struct Change {
  Note before, after;
};

/// A split that counts for a capture from now on; the one that counted stays in the book.
struct NewSplit {
  std::int64_t capture = 0;
  StoredSplit split;
};

/// What a change puts into a book.
struct ChangeRequest {
  std::vector<Note> notes;
  std::vector<NewSplit> splits{};
  std::vector<Change> made{};  ///< put already, step by step; they are part of it
};

/// Writes a change in one transaction and says what stood there before. A note without a value is
/// removed. The keys "name" and "build" of a capture are those of the capture itself and cannot be
/// removed. Error bad_data when the capture is not there; then nothing was written.
std::vector<Change> put(const Book& book, const ChangeRequest& change);
inline std::vector<Change> put(const Book& book, const std::vector<Note>& notes) {
  return put(book, ChangeRequest{notes});
}

/// A capture's condition as it counts from now on; nothing or "" takes it away. What was recorded
/// stays in the book.
Note condition_note(std::int64_t capture, const std::string& key,
                    const std::optional<std::string>& value);
/// Deletes a capture, or puts it back. All it holds stays in the book.
Note deleted_note(std::int64_t capture, bool deleted);

/// The build that others are held against: `chosen` (what the note "reference" says) where it is
/// one of them, else the first; "" without any.
std::string reference_among(const std::vector<std::string>& builds, const std::string& chosen);

/// The corrections made by hand to a capture's states. Error bad_data when they are damaged.
std::vector<Edit> edits(const Book& book, std::int64_t capture);
Note edits_note(std::int64_t capture, const std::vector<Edit>& edits);

/// Where a capture lies when it is drawn with others: its time 0 on an axis they share.
struct LinedUp {
  double offset_s = 0;
  std::string how;  ///< how that was found, for people

  bool operator==(const LinedUp&) const = default;
};
/// At 0 when nobody has lined it up, or what is noted makes no sense.
LinedUp lined_up(const Book& book, std::int64_t capture);
Note lined_up_note(std::int64_t capture, const LinedUp& place);

/// A capture's split as it counts: the recipe's, with the hand edits on top.
struct EditedSplit {
  StoredSplit split;
  std::size_t edits = 0;
  std::vector<Conflict> conflicts;
};
/// Nothing when the capture is not split, or rests on what is no current.
std::optional<EditedSplit> edited_split(const Book& book, const CaptureInfo& capture);
/// How far an edge may have wandered and still be the one that was edited (s): five samples.
double edit_reach(const CaptureInfo& capture, std::int64_t channel);

}  // namespace kuvio::book
