// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/written_here.h"

#include <filesystem>
#include <mutex>
#include <set>
#include <utility>

namespace kuvio::book {
namespace {

struct Writers {
  std::mutex mutex;  // held for moments only
  std::set<std::pair<std::string, std::int64_t>> all;
};
Writers& writers() {
  static Writers here;
  return here;
}
std::string real_path(const std::string& path) {
  std::error_code failed;
  const auto out = std::filesystem::canonical(path, failed);
  return failed ? path : out.string();
}

}  // namespace

void WritingMark::begin(const std::string& path, std::int64_t capture) {
  path_ = real_path(path);
  capture_ = capture;
  const std::lock_guard lock(writers().mutex);
  writers().all.emplace(path_, capture_);
}
WritingMark::~WritingMark() {
  const std::lock_guard lock(writers().mutex);
  writers().all.erase({path_, capture_});
}
bool is_written_here(const std::string& path, std::int64_t capture) {
  const std::string real = real_path(path);
  const std::lock_guard lock(writers().mutex);
  return writers().all.count({real, capture}) > 0;
}

}  // namespace kuvio::book
