// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/owner.h"

#include <unistd.h>

#include <fstream>

namespace kuvio::book {
namespace {

std::string read_word(const std::string& path, int word) {
  std::ifstream in(path);
  std::string text, all;
  std::getline(in, all);
  const auto close = all.rfind(')');  // the command's name may hold spaces
  if (close == std::string::npos) return {};
  std::size_t at = close + 2;
  for (int i = 3; i < word && at != std::string::npos; ++i) at = all.find(' ', at) + 1;
  return all.substr(at, all.find(' ', at) - at);
}

std::string boot_id() {
  std::ifstream in("/proc/sys/kernel/random/boot_id");
  std::string id;
  std::getline(in, id);
  return id;
}

std::string start_time(const std::string& pid) { return read_word("/proc/" + pid + "/stat", 22); }

}  // namespace

std::string own_identity() {
  const std::string pid = std::to_string(::getpid());
  return boot_id() + ":" + pid + ":" + start_time(pid);
}

bool is_alive(const std::string& identity) {
  const auto a = identity.find(':'), b = identity.rfind(':');
  if (a == std::string::npos || a == b || identity.substr(0, a) != boot_id()) return false;
  const std::string pid = identity.substr(a + 1, b - a - 1), started = identity.substr(b + 1);
  if (pid.empty() || pid.find_first_not_of("0123456789") != std::string::npos) return false;
  return !started.empty() && start_time(pid) == started &&
         read_word("/proc/" + pid + "/stat", 3) != "Z";
}

}  // namespace kuvio::book
