// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/export_formats.h"

namespace kuvio::formats {

/// Writes a capture's logic lines as a value change dump (IEEE 1364-2005, 18): a wire a line, `x`
/// where a line was not sampled, `z` where its samples were flagged. The timescale is the coarsest
/// one in which all changes stand where they are, a picosecond at the finest. Error bad_data where
/// there is no logic line, cannot_create.
Exported export_vcd(const std::string& path, const book::Book& book,
                    const book::CaptureInfo& capture, const ExportRequest& request);

}  // namespace kuvio::formats
