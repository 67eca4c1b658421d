// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include <string>
#include <vector>

namespace kuvio::test {

/// What a command left behind.
struct Ran {
  int status = -1;
  std::string out, err;
  nlohmann::json json() const { return nlohmann::json::parse(out); }
};

/// Runs kuvio-cli to its end.
Ran cli(const std::vector<std::string>& arguments);

/// A program that goes on beside the test.
class Process {
public:
  Process(const std::string& program, const std::vector<std::string>& arguments);
  ~Process();
  Process(const Process&) = delete;
  Process& operator=(const Process&) = delete;
  std::string line();  ///< next line of its standard output
  void signal(int number) const;
  int wait();  ///< exit status, or 128 + the signal that ended it

private:
  int pid_ = -1, out_ = -1;
  bool waited_ = false;
};

/// kuvio-sim in a process of its own, with its endpoints.
struct Bench {
  explicit Bench(const std::vector<std::string>& arguments)
      : process("kuvio-sim", arguments), endpoints(nlohmann::json::parse(process.line())) {}
  std::string scpi() const { return endpoints["scpi"]; }
  std::string log() const { return endpoints["log"]; }
  Process process;
  nlohmann::json endpoints;
};

}  // namespace kuvio::test
