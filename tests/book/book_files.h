// SPDX-License-Identifier: GPL-3.0-or-later
// Books as files: small ones, and what lies beside them.
#pragma once

#include "book/capture_writer.h"

#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>
#include <vector>

namespace kuvio::test {

/// What stands in a folder whose name begins with the book's, and all that is hidden there.
inline std::vector<std::string> beside(const std::string& path) {
  std::vector<std::string> out;
  const std::string name = std::filesystem::path(path).filename().string();
  for (const auto& entry :
       std::filesystem::directory_iterator(std::filesystem::path(path).parent_path())) {
    const std::string other = entry.path().filename().string();
    if (other != name && (other.starts_with(name) || other.starts_with("."))) out.push_back(other);
  }
  return out;
}

inline book::ChannelInfo channel_of_ms() {
  book::ChannelInfo c;
  c.name = "I";
  c.time_base = {1, 1000};
  return c;
}

/// A capture of `n` samples of 1 mA, a millisecond each.
inline std::int64_t add_capture(book::Book& book, std::size_t n, const std::string& build = "1") {
  book::CaptureWriter writer(book, {"c", build, {}, false}, {channel_of_ms()});
  writer.append(0, 0, 1, std::vector<double>(n, 1e-3));
  writer.log({0.001, false, "hello"});
  writer.finish("made", false);
  return writer.id();
}

inline std::string read_file(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

/// Of all channels of all captures.
inline std::int64_t samples(const std::string& path) {
  std::int64_t out = 0;
  for (const auto& c : book::Book::open(path, book::Book::Mode::read).captures())
    for (const auto& channel : c.channels) out += channel.samples;
  return out;
}

}  // namespace kuvio::test
