// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/capture_files.h"

#include "core/error.h"
#include "formats/hdf5_import.h"
#include "formats/samples_csv_import.h"
#include "formats/vcd_import.h"

#include <array>
#include <filesystem>
#include <fstream>

namespace kuvio::formats {
namespace {

constexpr std::array kFormats{
    ImportFormat{"hdf5", "HDF5 file", "*.h5 *.hdf5", is_hdf5, import_hdf5},
    ImportFormat{"vcd", "value change dump", "*.vcd", is_vcd, import_vcd},
    ImportFormat{"csv", "samples exported by Kuvio", "*.csv", is_samples_csv, import_samples_csv},
    ImportFormat{"text", "text log", "*.csv *.tsv *.txt *.log *.dat *.asc", nullptr, import_text},
};

}  // namespace

std::span<const ImportFormat> import_formats() { return kFormats; }

const ImportFormat& import_format_of(const std::string& file) {
  std::error_code ignored;
  std::string head;
  if (std::filesystem::is_regular_file(file, ignored)) {
    std::ifstream in(file, std::ios::binary);
    head.resize(512);
    in.read(head.data(), static_cast<std::streamsize>(head.size()));
    head.resize(static_cast<std::size_t>(in.gcount()));
  }
  for (const ImportFormat& f : kFormats) {
    if (!f.begins || f.begins(head)) return f;
  }
  return kFormats.back();
}

ImportResult import_file(book::Book& book, const std::string& file, const ImportSettings& settings,
                         const std::stop_token& stop, const std::function<void(double)>& progress) {
  const ImportFormat* format = &import_format_of(file);
  const bool of_text = !settings.columns.empty() || settings.rate_hz || settings.shunt_ohm ||
                       settings.decimal || settings.kind != SampleKind::instant;
  if (of_text && format->key == "csv") format = &kFormats.back();
  if (of_text && format->key != "text")
    throw Error(Failure::usage, "not for this file", file,
                "columns, rate, shunt, decimal mark and what a sample is are for text logs; this "
                "is a " +
                    std::string(format->words) + ", which says them itself");
  ImportSettings named = settings;
  // What others name themselves keep their names.
  if (named.name.empty() && (format->key == "text" || format->key == "vcd"))
    named.name = std::filesystem::path(file).stem().string();
  return format->read(book, file, named, stop, progress);
}

}  // namespace kuvio::formats
