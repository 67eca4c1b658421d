// SPDX-License-Identifier: GPL-3.0-or-later
#include "record_here.h"

#include "core/number_text.h"

#include "command.h"

#include <fmt/format.h>
#include <unistd.h>

namespace kuvio::cli {

acquire::ScheduledLine parse_send(const std::string& text) {
  const auto colon = text.find(':');
  if (colon == std::string::npos)
    usage("--send \"" + text + "\" is not \"TIME: LINE\", e.g. \"600 s: uplink\"");
  auto line = text.substr(colon + 1);
  line.erase(0, line.find_first_not_of(' ') == std::string::npos ? line.size()
                                                                 : line.find_first_not_of(' '));
  if (line.empty()) usage("--send \"" + text + "\" has no line to send");
  return {option_quantity("--send", text.substr(0, colon), Dimension::time), line};
}

acquire::RecordResult record_here(book::Book& book, const acquire::RecordSettings& settings) {
  const StopOnSignal signals;
  const bool terminal = ::isatty(2) != 0;
  const auto progress = [&](const acquire::RecordProgress& p) {
    for (const std::string& t : p.messages) {
      if (terminal) fmt::print(stderr, "\r{}\n", t);
    }
    if (terminal && p.armed)
      fmt::print(stderr, "\r◌ armed ");
    else if (terminal)
      fmt::print(stderr, "\r● {}  {} samples  {} log lines ", duration(p.recorded_s), p.samples,
                 p.log_lines);
  };
  const auto restore = [&] {
    if (terminal) fmt::print(stderr, "\n");
  };
  try {
    auto result = acquire::record(book, settings, signals.token(), progress);
    restore();
    return result;
  } catch (...) {
    restore();
    throw;
  }
}

}  // namespace kuvio::cli
