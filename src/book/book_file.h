// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

namespace kuvio::book {

class Door;

// A book as a file among files: what stands in its first bytes, and what may lie beside it.
//
// While a book is open for writing its header says "write-ahead log" and BOOK-wal and BOOK-shm lie
// beside it. Whoever lets go of it last folds the log in, sets the header back, and removes both.
// The log is made, empty, before the header asks for it, and is there until the header no longer
// does: so wherever a program dies, a book whose header asks for a log that is not there was copied
// alone. (A power cut can leave that, too, on a file system that forgets names.)

/// The first bytes of a file, as far as they show what it is.
struct FileHead {
  std::int64_t size = 0;  ///< bytes; -1 where it cannot be read
  bool sqlite = false;
  bool wants_log = false;        ///< "write-ahead log" by the header
  std::int64_t application = 0;  ///< PRAGMA application_id
  std::int64_t version = 0;      ///< PRAGMA user_version
};
/// Read by way of SQLite: a descriptor of one's own, once closed, would drop the locks that this
/// process's connections hold on the file (sqlite.org/howtocorrupt.html, 2.2).
FileHead file_head(const std::string& path);

/// Whether a write-ahead log with something in it lies beside a book.
bool has_log(const std::string& path);
/// Whether the header of the book behind a door asks for a log that is not there.
bool misses_log(const Door& door);
/// Whether a log lies beside a book that was closed: it is another's, and must not be read into it.
bool has_foreign_log(const Door& door);
/// Makes an empty log beside a book that has none, with the book's owner and mode. Throws Error
/// (cannot_create).
void make_empty_log(const std::string& path);
/// Removes the log of a closed book, if nothing is in it, and its index. Nobody may be able to open
/// the book meanwhile.
void remove_empty_log(const std::string& path);

/// The folder that a file stands in; "." for a bare name.
std::string folder_of(const std::string& path);
/// A name in the same folder that nobody else takes, and that does not begin with the file's.
std::string name_beside(const std::string& path);
/// Gives a finished file its name, durably. False when something has that name by now: nothing is
/// ever replaced. Throws Error (cannot_create) otherwise.
bool move_into_place(const std::string& from, const std::string& path);
/// Makes names in the folder of a file survive a power cut.
void sync_folder_of(const std::string& path);

}  // namespace kuvio::book
