// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_source.h"

#include "core/error.h"

#include <cstring>
#include <filesystem>

namespace kuvio::formats {
namespace {

namespace fs = std::filesystem;
constexpr std::size_t kLongestLine = 1 << 20;

}  // namespace

TextSource::TextSource(const std::string& path, const std::stop_token& stop)
    : path_(path), at_(path) {
  std::error_code ignored;
  if (!fs::exists(path, ignored))
    throw Error(Failure::no_input, "no such file", path, "check the path");
  if (fs::is_directory(path, ignored))
    throw Error(Failure::no_input, "not a file", path, "it is a folder");
  if (fs::is_regular_file(path, ignored)) return;
  std::ifstream in(path, std::ios::binary);
  if (!in) throw Error(Failure::io, "cannot read", path, "permission denied");
  kept_.reset(std::tmpfile());
  if (!kept_) throw Error(Failure::io, "cannot read", path, "there is no place to keep it");
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
  if (std::fflush(kept_.get()) != 0)
    throw Error(Failure::io, "cannot read", path, "there is no room to keep it");
  at_ = "/proc/self/fd/" + std::to_string(fileno(kept_.get()));
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
    if (line.starts_with("\xff\xfe") || line.starts_with("\xfe\xff"))
      complain(1, "UTF-16 is not yet supported; save it as UTF-8");
  }
  if (line.find('\0') != std::string_view::npos)
    complain(number_, "it contains binary data; not a text log");
  return true;
}

}  // namespace kuvio::formats
