// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/sysfs_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <array>
#include <charconv>

namespace kuvio::acquire {

std::optional<std::string> text_of(const std::filesystem::path& file) {
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC);
  if (fd < 0) return std::nullopt;
  std::array<char, 1024> buffer;
  const ssize_t n = ::read(fd, buffer.data(), buffer.size());
  ::close(fd);
  if (n < 0) return std::nullopt;
  std::string out(buffer.data(), static_cast<std::size_t>(n));
  while (!out.empty() && static_cast<unsigned char>(out.back()) <= ' ') out.pop_back();
  return out;
}

std::optional<double> number_in(const std::filesystem::path& file) {
  const auto text = text_of(file);
  if (!text) return std::nullopt;
  double v = 0;
  const auto [end, failed] = std::from_chars(text->data(), text->data() + text->size(), v);
  if (failed != std::errc{} || end != text->data() + text->size()) return std::nullopt;
  return v;
}

}  // namespace kuvio::acquire
