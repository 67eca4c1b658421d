// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/export_formats.h"

namespace kuvio::formats {

/// Writes what `kuvio-cli states --json` says of a capture's visits, with its name, and what
/// `ledger --json` says of its states. Error bad_data where it is not split.
Exported export_visits(const std::string& path, const book::Book& book,
                       const book::CaptureInfo& capture, const ExportRequest& request);

}  // namespace kuvio::formats
