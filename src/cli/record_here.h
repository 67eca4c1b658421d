// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/recorder.h"

#include <nlohmann/json.hpp>

namespace kuvio::cli {

/// Records with progress on standard error; SIGINT and SIGTERM end the capture properly.
acquire::RecordResult record_here(book::Book& book, const acquire::RecordSettings& settings);

/// "600 s: uplink"
acquire::ScheduledLine parse_send(const std::string& text);

}  // namespace kuvio::cli
