// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/recorder.h"

#include <string>

namespace kuvio::acquire {

/// A named bench set-up: what is wired up, what it is set to, how it is recorded
/// (docs/bench-setup.md).
struct BenchSetup {
  std::string name;
  std::string file;  ///< it was read from
  /// All but what is of one capture: its name, build and length may be missing.
  RecordSettings record;
  /// Files of the profiles that inputs are spoken to with, by address.
  std::map<std::string, std::string> profiles;
};

/// Reads a set-up, and the profiles it names, which stand beside it. Error: bad_data with
/// "file:line", no_input.
BenchSetup read_bench_setup(const std::string& file);
BenchSetup parse_bench_setup(const std::string& text, const std::string& file);

/// The file's text. `file`: where it will be kept, so that profiles can be named from there.
std::string write_bench_setup(const BenchSetup& setup, const std::string& file);

}  // namespace kuvio::acquire
