// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/door.h"

#include "book/book_file.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <thread>
#include <utility>

namespace kuvio::book {

namespace {
using Clock = std::chrono::steady_clock;
constexpr std::chrono::seconds kPatience{3};
constexpr std::chrono::milliseconds kAgain{2}, kAside{10};
}  // namespace

Door::Door(const std::string& path)
    : path_(path), folder_(::open(folder_of(path).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)) {
  enter();
}

Door::Door(Door&& other) noexcept
    : path_(std::move(other.path_)),
      folder_(std::exchange(other.folder_, -1)),
      held_(std::exchange(other.held_, false)) {}

Door::~Door() {
  if (folder_ >= 0) ::close(folder_);
}

void Door::enter() {
  if (folder_ < 0) return;
  const auto until = Clock::now() + kPatience;
  while (!(held_ = ::flock(folder_, LOCK_EX | LOCK_NB) == 0)) {
    if ((errno != EWOULDBLOCK && errno != EINTR) || Clock::now() > until) return;
    std::this_thread::sleep_for(kAgain);
  }
}

void Door::step_aside() {
  if (held_) ::flock(folder_, LOCK_UN);
  held_ = false;
  std::this_thread::sleep_for(kAside);
  enter();
}

}  // namespace kuvio::book
