// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>

namespace kuvio::formats {

/// A file that grows beside the place it is meant for and stands there once it is committed;
/// before, and when that never happens, what was there stays. Throws Error (cannot_create).
class OutputFile {
public:
  explicit OutputFile(const std::string& path);
  ~OutputFile();
  OutputFile(const OutputFile&) = delete;
  OutputFile& operator=(const OutputFile&) = delete;

  void write(std::string_view content);
  /// The file as long as it is not committed, for a library that writes files of its own. Error
  /// where the target is a pipe or a device.
  const std::string& half();
  void commit();

private:
  [[noreturn]] void fail(const std::string& why);
  std::string path_, half_;
  int file_ = -1;
};

/// Writes a whole file by way of a neighbour and a rename: either all of it is there, or what was
/// before. Error (cannot_create) when it cannot be written.
void write_file(const std::string& path, const std::string& content);

}  // namespace kuvio::formats
