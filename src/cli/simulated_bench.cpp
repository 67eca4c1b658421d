// SPDX-License-Identifier: GPL-3.0-or-later
#include "simulated_bench.h"

#include "core/error.h"

#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstring>
#include <filesystem>

extern char** environ;  // NOLINT

namespace kuvio::cli {

std::string own_folder() {
  return std::filesystem::read_symlink("/proc/self/exe").parent_path().string();
}

SimulatedBench::SimulatedBench(const std::vector<std::string>& arguments) {
  const std::string program = own_folder() + "/kuvio-sim";
  const auto refuse = [&](const std::string& why) {
    throw Error(Failure::unavailable, "cannot start the simulated bench", program, why);
  };
  int ends[2];
  if (::pipe(ends) != 0) refuse(std::strerror(errno));
  std::vector<std::string> text{program};
  text.insert(text.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& t : text) argv.push_back(t.data());
  argv.push_back(nullptr);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
  posix_spawn_file_actions_addclose(&actions, ends[0]);
  posix_spawn_file_actions_addclose(&actions, ends[1]);
  const int failed = ::posix_spawn(&pid_, program.c_str(), &actions, nullptr, argv.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  ::close(ends[1]);
  if (failed != 0) {
    ::close(ends[0]);
    refuse(std::strerror(failed));
  }
  std::string line;
  char c = 0;
  pollfd wait{ends[0], POLLIN, 0};
  while (line.find('\n') == std::string::npos && ::poll(&wait, 1, 10000) > 0 &&
         ::read(ends[0], &c, 1) == 1)
    line += c;
  ::close(ends[0]);
  endpoints_ = nlohmann::json::parse(line, nullptr, false);
  if (!endpoints_.is_object()) {
    ::kill(pid_, SIGKILL);
    ::waitpid(pid_, nullptr, 0);
    refuse("it did not report its endpoints");
  }
}

SimulatedBench::~SimulatedBench() {
  ::kill(pid_, SIGTERM);
  ::waitpid(pid_, nullptr, 0);
}

}  // namespace kuvio::cli
