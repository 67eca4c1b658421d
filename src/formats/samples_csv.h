// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "formats/export_formats.h"

namespace kuvio {
class Trace;
}

namespace kuvio::formats {

/// A channel to be written, with its name and unit.
struct SampleColumn {
  std::string name, unit;
  const Trace* trace = nullptr;
  bool float32 = false;  ///< its values are no more than that: as many digits as distinguish them
  Quantity quantity = Quantity::other;
  std::string accuracy{};
};

/// The first line of what `described` makes: Kuvio reads such a file back as it was
/// (samples_csv_import.h).
inline constexpr const char* kSamplesCsv = "# kuvio: samples/1";

/// Writes samples inside [from_s, to_s] as text: a head line "time_s,I_A,V_V", then a line a
/// sample, times with every digit that their time base needs, values so that they read back as they
/// are. All channels that stand on the first one's moments are written beside it. A gap is a line
/// "# gap from A to B s", flagged stretches are such gaps and named. With `described` (lines that
/// begin with #, the first of them kSamplesCsv) a preamble tells what is not in the samples: exact
/// periods, flags, what a sample is.
///
/// The file appears when all of it is written; `going_on` is asked now and then with the share
/// done, false ends it without a file. Error cannot_create.
Exported write_samples_csv(const std::string& path, const std::vector<SampleColumn>& columns,
                           double from_s, double to_s,
                           const std::function<bool(double)>& going_on = {},
                           const std::string& described = {});

/// The same of a capture's channels: those named, or the main current and all that have samples.
Exported export_csv(const std::string& path, const book::Book& book,
                    const book::CaptureInfo& capture, const ExportRequest& request);

}  // namespace kuvio::formats
