// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/helper_process.h"

#include "core/error.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <filesystem>

namespace kuvio::formats {
namespace {

namespace fs = std::filesystem;
constexpr std::size_t kBuffer = 1 << 20, kLongestLine = 4 << 20;
constexpr auto kSilence = std::chrono::minutes(1);

fs::path place_of(const std::string& program) {
  std::error_code ignored;
  const fs::path here = fs::read_symlink("/proc/self/exe", ignored).parent_path();
  for (const fs::path& place :
       {here / program, here.parent_path() / "libexec" / "kuvio" / program}) {
    if (::access(place.c_str(), X_OK) == 0) return place;
  }
  throw Error(Failure::unavailable, "a part of Kuvio is missing", program,
              "it is neither in " + here.string() + " nor in libexec/kuvio beside it");
}

}  // namespace

HelperProcess::HelperProcess(const std::string& program, const std::vector<std::string>& arguments,
                             std::stop_token stop)
    : program_(program), stop_(std::move(stop)), buffer_(kBuffer) {
  const std::string path = place_of(program);
  int ends[2];
  if (::pipe2(ends, O_CLOEXEC) != 0)
    throw Error(Failure::unavailable, "cannot start", program, std::strerror(errno));
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
  posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
  // A thread of ours may have signals blocked; the program has none.
  posix_spawnattr_t attributes;
  posix_spawnattr_init(&attributes);
  sigset_t none;
  sigemptyset(&none);
  posix_spawnattr_setsigmask(&attributes, &none);
  posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK);
  std::vector<char*> argv{const_cast<char*>(program.c_str())};
  for (const std::string& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
  argv.push_back(nullptr);
  char* environment[] = {nullptr};
  const int failed =
      ::posix_spawn(&pid_, path.c_str(), &actions, &attributes, argv.data(), environment);
  posix_spawn_file_actions_destroy(&actions);
  posix_spawnattr_destroy(&attributes);
  ::close(ends[1]);
  from_ = ends[0];
  if (failed != 0) {
    ::close(from_);
    throw Error(Failure::unavailable, "cannot start", path, std::strerror(failed));
  }
}

HelperProcess::~HelperProcess() {
  kill();
  ::close(from_);
}

void HelperProcess::kill() {
  if (status_) return;
  ::kill(pid_, SIGKILL);
  int status = 0;
  while (::waitpid(pid_, &status, 0) < 0 && errno == EINTR) {
  }
  status_ = status;
}

/// More of what it says; false at its end.
bool HelperProcess::fill() {
  if (at_ < have_) return true;
  const auto until = std::chrono::steady_clock::now() + kSilence;
  for (;;) {
    if (stop_.stop_requested())
      throw Error(Failure::io, "cancelled", program_, "nothing of it was kept");
    pollfd one{from_, POLLIN, 0};
    const int ready = ::poll(&one, 1, 50);
    if (ready < 0 && errno != EINTR)
      throw Error(Failure::unavailable, "cannot hear", program_, std::strerror(errno));
    if (ready > 0) break;
    if (std::chrono::steady_clock::now() > until)
      throw Error(Failure::unavailable, "no answer", program_, "it has said nothing for a minute");
  }
  ssize_t n = 0;
  while ((n = ::read(from_, buffer_.data(), buffer_.size())) < 0 && errno == EINTR) {
  }
  at_ = 0;
  have_ = n > 0 ? static_cast<std::size_t>(n) : 0;
  return have_ > 0;
}

std::optional<std::string> HelperProcess::line() {
  std::string out;
  while (fill()) {
    const auto begin = buffer_.begin() + static_cast<std::ptrdiff_t>(at_),
               end = buffer_.begin() + static_cast<std::ptrdiff_t>(have_);
    const auto stop = std::find(begin, end, '\n');
    out.append(begin, stop);
    if (out.size() > kLongestLine)
      throw Error(Failure::bad_data, "makes no sense", program_, "what it says has no end");
    at_ = static_cast<std::size_t>(stop - buffer_.begin());
    if (stop == end) continue;
    ++at_;
    return out;
  }
  return std::nullopt;
}

void HelperProcess::bytes(void* into, std::size_t count) {
  auto* to = static_cast<char*>(into);
  while (count > 0) {
    if (!fill())
      throw Error(Failure::bad_data, "broke off", program_, "it ended in the midst of samples");
    const std::size_t n = std::min(count, have_ - at_);
    std::memcpy(to, buffer_.data() + at_, n);
    at_ += n;
    to += n;
    count -= n;
  }
}

std::string HelperProcess::ended() {
  if (!status_) {
    int status = 0;
    while (::waitpid(pid_, &status, 0) < 0 && errno == EINTR) {
    }
    status_ = status;
  }
  if (WIFSIGNALED(*status_)) return fmt::format("it fell by signal {}", WTERMSIG(*status_));
  return WEXITSTATUS(*status_) == 0 ? "" : fmt::format("it exited with {}", WEXITSTATUS(*status_));
}

}  // namespace kuvio::formats
