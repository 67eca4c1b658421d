// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/export_formats.h"

#include "formats/hdf5_export.h"
#include "formats/samples_csv.h"
#include "formats/vcd_export.h"
#include "formats/visits_json.h"

#include <array>

namespace kuvio::formats {
namespace {

constexpr std::array kFormats{
    ExportFormat{"csv", "csv", "samples", "text table of samples", export_csv},
    ExportFormat{"hdf5", "h5", "samples", "HDF5 of all channels", export_hdf5},
    ExportFormat{"vcd", "vcd", "changes", "value change dump of logic lines", export_vcd},
    ExportFormat{"json", "json", "visits", "visits and ledger as JSON", export_visits},
};

}  // namespace

std::span<const ExportFormat> export_formats() { return kFormats; }

const ExportFormat* export_format(std::string_view key) {
  for (const ExportFormat& f : kFormats)
    if (f.key == key) return &f;
  return nullptr;
}

const ExportFormat* export_format_of(std::string_view path) {
  for (const ExportFormat& f : kFormats)
    if (path.ends_with("." + std::string(f.ending))) return &f;
  return nullptr;
}

std::string export_keys() {
  std::string out;
  for (std::size_t i = 0; i < kFormats.size(); ++i)
    out += (i == 0 ? "" : i + 1 < kFormats.size() ? ", " : " or ") + std::string(kFormats[i].key);
  return out;
}

}  // namespace kuvio::formats
