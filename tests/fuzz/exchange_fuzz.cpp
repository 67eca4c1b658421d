// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: whatever a value change dump, or samples that somebody has changed, may hold.

#include "book/channel_trace.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/samples_csv_import.h"
#include "formats/vcd_import.h"

#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

using namespace kuvio;

namespace {

const std::string kFolder = [] {
  std::string name = std::filesystem::temp_directory_path() / "kuvio-exchange-fuzz-XXXXXX";
  return std::string(mkdtemp(name.data()));
}();

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static book::Book book = book::Book::open(kFolder + "/b.kuvio", book::Book::Mode::create);
  const std::string file = kFolder + "/file";
  std::ofstream(file, std::ios::binary)
      .write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
  const std::string_view head(reinterpret_cast<const char*>(data), size);
  try {
    const auto made = formats::is_samples_csv(head) ? formats::import_samples_csv(book, file, {})
                                                    : formats::import_vcd(book, file, {});
    for (const book::ChannelInfo& c : book.capture(made.capture).channels) {
      const SpanFigures all = measure(book::ChannelTrace(book, c));
      if (std::isnan(all.charge)) std::abort();
    }
    book.discard(made.capture);
  } catch (const Error&) {
  }
  if (!book.captures().empty()) std::abort();  // nothing stays of what was refused
  return 0;
}
