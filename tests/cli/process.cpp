// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/process.h"

#include "support.h"

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <sstream>

extern char** environ;  // NOLINT

namespace kuvio::test {
namespace {

int spawn(const std::string& program, const std::vector<std::string>& arguments, int out,
          const std::string& err) {
  // Kuvio's own programs by name, others as they are on this machine.
  std::vector<std::string> text{program.starts_with("kuvio") ? KUVIO_BIN "/" + program : program};
  text.insert(text.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& t : text) argv.push_back(t.data());
  argv.push_back(nullptr);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, out, 1);
  if (!err.empty())
    posix_spawn_file_actions_addopen(&actions, 2, err.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
  int pid = -1;
  if (::posix_spawnp(&pid, text.front().c_str(), &actions, nullptr, argv.data(), environ) != 0)
    pid = -1;
  posix_spawn_file_actions_destroy(&actions);
  return pid;
}

std::string text_of(const std::string& path) {
  std::ostringstream out;
  out << std::ifstream(path).rdbuf();
  return out.str();
}

int status_of(int pid) {
  int status = 0;
  ::waitpid(pid, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

}  // namespace

Ran cli(const std::vector<std::string>& arguments) {
  const Folder folder;
  const std::string out = folder / "out";
  const int file = ::open(out.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
  const int pid = spawn("kuvio-cli", arguments, file, folder / "err");
  ::close(file);
  Ran ran;
  ran.status = status_of(pid);
  ran.out = text_of(out);
  ran.err = text_of(folder / "err");
  return ran;
}

Process::Process(const std::string& program, const std::vector<std::string>& arguments) {
  int ends[2];
  if (::pipe2(ends, O_CLOEXEC) != 0) throw std::runtime_error("pipe");
  pid_ = spawn(program, arguments, ends[1], "");
  ::close(ends[1]);
  out_ = ends[0];
  if (pid_ > 0) return;
  // A signal to process -1 would go to everybody.
  ::close(out_);
  throw std::runtime_error("cannot start " + program);
}

Process::~Process() {
  if (!waited_) {
    ::kill(pid_, SIGKILL);
    wait();
  }
  ::close(out_);
}

std::string Process::line() {
  std::string out;
  char c = 0;
  while (::read(out_, &c, 1) == 1 && c != '\n') out += c;
  return out;
}

void Process::signal(int number) const { ::kill(pid_, number); }

int Process::wait() {
  waited_ = true;
  return status_of(pid_);
}

}  // namespace kuvio::test
