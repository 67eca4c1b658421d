// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/export_formats.h"

namespace kuvio::formats {

/// Writes a capture as HDF5 (docs/exchange.md): every channel's samples with their exact times,
/// flags, log lines and events. Error cannot_create.
Exported export_hdf5(const std::string& path, const book::Book& book,
                     const book::CaptureInfo& capture, const ExportRequest& request);

}  // namespace kuvio::formats
