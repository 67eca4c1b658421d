// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_source.h"

#include "book/text.h"
#include "core/error.h"

#include <iconv.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <istream>

namespace kuvio::formats {
namespace {

namespace fs = std::filesystem;
constexpr std::size_t kLongestLine = 1 << 20;
constexpr const char* kLatin1 = "ISO-8859-1";

constexpr std::size_t kLooked = 1 << 20;  // bytes in which a file shows what it is written in

/// UTF-16 by its byte-order mark, which is read; ISO 8859-1 where its first part is no UTF-8. Null
/// where it is that. The file stands behind the mark.
const char* coding_of(std::istream& in) {
  char mark[2] = {};
  in.read(mark, 2);
  const bool both = in.gcount() == 2;
  if (both && mark[0] == '\xff' && mark[1] == '\xfe') return "UTF-16LE";
  if (both && mark[0] == '\xfe' && mark[1] == '\xff') return "UTF-16BE";
  in.clear();
  in.seekg(0);
  std::string first(kLooked, '\0');
  in.read(first.data(), static_cast<std::streamsize>(first.size()));
  first.resize(static_cast<std::size_t>(in.gcount()));
  in.clear();
  in.seekg(0);
  return book::is_utf8(first) ? nullptr : kLatin1;
}

}  // namespace

TextSource::TextSource(const std::string& path, const std::stop_token& stop)
    : path_(path), at_(path) {
  std::error_code ignored;
  if (!fs::exists(path, ignored))
    throw Error(Failure::no_input, "no such file", path, "check the path");
  if (fs::is_directory(path, ignored))
    throw Error(Failure::no_input, "not a file", path, "it is a folder");
  std::ifstream in(path, std::ios::binary);
  if (!in) throw Error(Failure::io, "cannot read", path, "permission denied");
  if (fs::is_regular_file(path, ignored)) {
    const char* coding = coding_of(in);
    latin1_ = coding == kLatin1;
    if (coding) keep_as_utf8(in, coding, stop);
    return;
  }
  keep_here();
  std::string piece(1 << 20, '\0');
  while (in.read(piece.data(), static_cast<std::streamsize>(piece.size())), in.gcount() > 0) {
    const auto n = static_cast<std::size_t>(in.gcount());
    if (std::memchr(piece.data(), '\0', n))
      throw Error(Failure::bad_data, "bad file", path, "it contains binary data; not a text log");
    if (stop.stop_requested())
      throw Error(Failure::io, "cancelled", path, "nothing of it was kept");
    if (std::fwrite(piece.data(), 1, n, kept_.get()) != n)
      throw Error(Failure::io, "cannot read", path,
                  "it comes by a pipe, and there is no room to keep it; write it into a file");
  }
  kept_is_whole();
}

void TextSource::keep_here() {
  kept_.reset(std::tmpfile());
  if (!kept_) throw Error(Failure::io, "cannot read", path_, "there is no place to keep it");
}

void TextSource::kept_is_whole() {
  if (std::fflush(kept_.get()) != 0)
    throw Error(Failure::io, "cannot read", path_, "there is no room to keep it");
  at_ = "/proc/self/fd/" + std::to_string(fileno(kept_.get()));
}

/// Turns what comes into UTF-8 and keeps that.
void TextSource::keep_as_utf8(std::istream& in, const char* coding, const std::stop_token& stop) {
  struct Done {
    void operator()(void* with) const { iconv_close(with); }
  };
  const std::unique_ptr<void, Done> with(iconv_open("UTF-8", coding));
  if (with.get() == reinterpret_cast<void*>(-1))  // NOLINT: as iconv(3) has it
    throw Error(Failure::io, "cannot read", path_, std::string("this system knows no ") + coding);
  keep_here();
  std::string piece(1 << 20, '\0'), out(3 << 20, '\0');
  std::size_t left = 0;  // half a character of the piece before
  while (in.read(piece.data() + left, static_cast<std::streamsize>(piece.size() - left)),
         in.gcount() > 0) {
    if (stop.stop_requested())
      throw Error(Failure::io, "cancelled", path_, "nothing of it was kept");
    char* from = piece.data();
    std::size_t n = left + static_cast<std::size_t>(in.gcount());
    char* to = out.data();
    std::size_t room = out.size();
    // Binary data are not turned into something else.
    if (latin1_ && std::memchr(piece.data(), '\0', n))
      throw Error(Failure::bad_data, "bad file", path_, "it contains binary data; not a text log");
    if (iconv(with.get(), &from, &n, &to, &room) == static_cast<std::size_t>(-1) && errno != EINVAL)
      throw Error(Failure::bad_data, "bad file", path_,
                  "it begins as UTF-16 and does not go on so; save it as UTF-8");
    const std::size_t made = out.size() - room;
    if (std::fwrite(out.data(), 1, made, kept_.get()) != made)
      throw Error(Failure::io, "cannot read", path_, "there is no room to keep it as UTF-8");
    std::memmove(piece.data(), from, n);
    left = n;
  }
  kept_is_whole();
}

TextLines::TextLines(const std::string& path, const std::string& at) : path_(path) {
  std::error_code ignored;
  in_.open(at, std::ios::binary);
  if (!in_) throw Error(Failure::io, "cannot read", path, "permission denied");
  size_ = static_cast<double>(fs::file_size(at, ignored));
  buffer_.resize(2 << 20);
}

bool TextLines::next(std::string_view& line) {
  while (true) {
    const auto* begin = buffer_.data() + at_;
    const auto* found = static_cast<const char*>(std::memchr(begin, '\n', filled_ - at_));
    if (found) {
      line = {begin, static_cast<std::size_t>(found - begin)};
      at_ += line.size() + 1;
      return counted(line);
    }
    if (filled_ - at_ > kLongestLine)
      complain(number_ + 1, "the line is longer than 1 MiB: this is not a text log");
    if (!refill()) {
      if (at_ == filled_) return false;
      line = {buffer_.data() + at_, filled_ - at_};
      at_ = filled_;
      torn_ = true;
      return counted(line);
    }
  }
}

void TextLines::complain(std::int64_t line, const std::string& why) const {
  throw Error(Failure::bad_data, "bad file", path_ + ":" + std::to_string(line), why);
}

bool TextLines::refill() {
  std::memmove(buffer_.data(), buffer_.data() + at_, filled_ - at_);
  filled_ -= at_;
  at_ = 0;
  in_.read(buffer_.data() + filled_, static_cast<std::streamsize>(buffer_.size() - filled_));
  const auto n = static_cast<std::size_t>(in_.gcount());
  filled_ += n;
  read_ += n;
  return n > 0;
}

bool TextLines::counted(std::string_view& line) {
  ++number_;
  if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
  if (number_ == 1) {
    if (line.starts_with("\xef\xbb\xbf")) line.remove_prefix(3);
  }
  if (line.find('\0') != std::string_view::npos)
    complain(number_, "it contains binary data; not a text log");
  return true;
}

}  // namespace kuvio::formats
