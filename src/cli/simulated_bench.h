// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>

#include <string>
#include <vector>

namespace kuvio::cli {

/// The simulated bench in a process of its own, ended with this object.
class SimulatedBench {
public:
  /// Starts the kuvio-sim beside this program and waits for its endpoints. Error (unavailable) when
  /// it does not come up.
  explicit SimulatedBench(const std::vector<std::string>& arguments);
  ~SimulatedBench();
  SimulatedBench(const SimulatedBench&) = delete;
  SimulatedBench& operator=(const SimulatedBench&) = delete;

  std::string scpi() const { return endpoints_.value("scpi", ""); }
  std::string log() const { return endpoints_.value("log", ""); }

private:
  int pid_ = -1;
  nlohmann::json endpoints_;
};

/// Folder of the program that runs.
std::string own_folder();

}  // namespace kuvio::cli
