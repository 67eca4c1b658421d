// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stdexcept>
#include <string>

namespace kuvio {

/// What kind of failure an Error reports. The command line turns each into an exit status.
enum class Failure {
  usage,          ///< the call itself is wrong (64)
  bad_data,       ///< what was read is not what it should be (65)
  no_input,       ///< what should be read is not there (66)
  unavailable,    ///< an instrument or another process does not answer (69)
  cannot_create,  ///< the result cannot be written there (73)
  io,             ///< reading or writing failed half-way (74)
};

/// The one error type of Kuvio's boundaries (files, links, books, the command line).
///
/// It carries what happened, where (file and line, or input and command) and why, with what was
/// kept and what to do as part of the why. `what()` gives "WHAT: WHERE: WHY" on one line.
class Error : public std::runtime_error {
public:
  Error(Failure failure, std::string happened, std::string where, std::string why)
      : std::runtime_error(one_line(happened + ": " + where + ": " + why)),
        failure_(failure),
        happened_(std::move(happened)),
        where_(std::move(where)),
        why_(std::move(why)) {}

  Failure failure() const { return failure_; }
  const std::string& happened() const { return happened_; }
  const std::string& where() const { return where_; }
  const std::string& why() const { return why_; }

private:
  static std::string one_line(std::string text) {
    for (char& c : text) {
      if (static_cast<unsigned char>(c) < 0x20) c = ' ';
    }
    return text;
  }

  Failure failure_;
  std::string happened_, where_, why_;
};

}  // namespace kuvio
