// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <cstdio>
#include <fstream>
#include <memory>
#include <stop_token>
#include <string>
#include <string_view>

namespace kuvio::formats {

/// A text log that can be read as often as it takes, as UTF-8. What comes by a pipe can be read
/// once, and UTF-16 and ISO 8859-1 have to be turned: they are kept in a file without a name first.
class TextSource {
public:
  /// Error no_input where there is none, io where it cannot be read or kept, bad_data where what
  /// comes is no text.
  TextSource(const std::string& path, const std::stop_token& stop);

  const std::string& path() const { return path_; }
  const std::string& at() const { return at_; }  ///< where it lies
  bool latin1() const { return latin1_; }        ///< it is no UTF-8, and taken as ISO 8859-1

private:
  void keep_here();
  void kept_is_whole();
  void keep_as_utf8(std::istream& in, const char* coding, const std::stop_token& stop);
  struct Close {
    void operator()(std::FILE* file) const { std::fclose(file); }
  };
  std::string path_, at_;
  bool latin1_ = false;
  std::unique_ptr<std::FILE, Close> kept_;
};

/// Lines of a file with their numbers; says whether the last one had an end.
class TextLines {
public:
  /// `path` is what people call it, `at` where it lies.
  TextLines(const std::string& path, const std::string& at);

  /// The next line without its end; false when there is none. Error bad_data where it is no text.
  bool next(std::string_view& line);

  /// Throws Error bad_data at a line.
  [[noreturn]] void complain(std::int64_t line, const std::string& why) const;
  std::int64_t number() const { return number_; }
  /// The byte behind the lines given.
  std::int64_t offset() const { return static_cast<std::int64_t>(read_ - (filled_ - at_)); }
  bool torn() const { return torn_; }  ///< the last line given had no end
  double share() const { return size_ > 0 ? static_cast<double>(read_) / size_ : 1; }

private:
  bool refill();
  bool counted(std::string_view& line);

  std::string path_;
  std::ifstream in_;
  std::string buffer_;
  std::size_t at_ = 0, filled_ = 0, read_ = 0;
  std::int64_t number_ = 0;
  double size_ = 0;
  bool torn_ = false;
};

}  // namespace kuvio::formats
