// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: whatever a text log may hold. All are looked at as the import page does; one in
// sixteen goes into a book.

#include "book/channel_trace.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/log_plan.h"
#include "formats/text_import.h"

#include <unistd.h>

#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

using namespace kuvio;

namespace {

const std::string kFolder = [] {
  std::string name = std::filesystem::temp_directory_path() / "kuvio-log-fuzz-XXXXXX";
  return std::string(mkdtemp(name.data()));
}();

void import_it(const std::string& file) {
  const std::string path = kFolder + "/b.kuvio";
  {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    try {
      const auto made = formats::import_text(book, file, {});
      if (made.captures.empty()) std::abort();
      for (const std::int64_t id : made.captures) {
        for (const book::ChannelInfo& c : book.capture(id).channels) {
          const SpanFigures all = measure(book::ChannelTrace(book, c));
          if (std::isnan(all.charge)) std::abort();
        }
      }
    } catch (const Error&) {
      if (!book.captures().empty()) std::abort();  // nothing stays of what was refused
    }
  }
  ::unlink(path.c_str());
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string file = kFolder + "/log";
  std::ofstream(file, std::ios::binary)
      .write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
  try {
    const formats::TextSource source(file, {});
    const formats::LogDraft draft = formats::draft_log(source, {}, {});
    if (draft.trouble.empty() && draft.plan.channels.empty()) std::abort();
    std::uint32_t hash = 2166136261U;
    for (std::size_t i = 0; i < size; ++i) hash = (hash ^ data[i]) * 16777619U;
    if (draft.trouble.empty() && hash % 16 == 0) import_it(file);
  } catch (const Error&) {  // no text
  }
  return 0;
}
