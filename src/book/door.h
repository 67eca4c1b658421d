// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace kuvio::book {

/// One at a time, of all threads and programs, opens a book or lets go of it: what lies beside it
/// and what its header says change in several steps, which nobody else should see half done.
///
/// It is a lock (flock(2)) of the folder that the book stands in, so that nothing is made and
/// nothing is left: whoever dies lets go of it. It is held for a moment; recording, reading and
/// writing take no part in it. Where the folder cannot be read, or somebody has stood in the door
/// for kPatience, it is gone through without: SQLite's own locks keep the book whole all the same.
class Door {
public:
  explicit Door(const std::string& path);
  ~Door();
  Door(Door&& other) noexcept;
  Door& operator=(Door&&) = delete;

  /// Whether nobody else is in it.
  bool is_held() const { return held_; }
  /// Lets others through, for a moment.
  void step_aside();
  const std::string& path() const { return path_; }

private:
  void enter();

  std::string path_;
  int folder_ = -1;
  bool held_ = false;
};

}  // namespace kuvio::book
