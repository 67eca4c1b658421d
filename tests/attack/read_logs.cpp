// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio-read-logs BOOK: reads the text logs whose names come on standard input, one a line, into a
// book, and prints of each what it made of it, as JSON. For tests/attack/logs.py.

#include "book/channel_trace.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/text_import.h"

#include <nlohmann/json.hpp>

#include <cstdio>
#include <iostream>
#include <string>

using namespace kuvio;

int main(int argc, char** argv) {
  if (argc != 2) return 64;
  book::Book book = book::Book::open(argv[1], book::Book::Mode::create);
  std::string file;
  while (std::getline(std::cin, file)) {
    nlohmann::json out;
    try {
      const formats::ImportResult made = formats::import_text(book, file, {});
      const book::CaptureInfo info = book.capture(made.capture);
      out["warnings"] = made.warnings;
      for (const formats::SkippedLine& s : made.skipped) out["warnings"].push_back(s.why);
      for (const formats::ImportGuess& g : made.guesses) {
        if (g.role == "titles" || g.why == "has a unit and no name")
          out["warnings"].push_back(g.why);
      }
      out["channels"] = nlohmann::json::array();
      for (const book::ChannelInfo& channel : info.channels) {
        const SpanFigures all = measure(book::ChannelTrace(book, channel));
        out["channels"].push_back({{"quantity", kuvio::info(channel.quantity).key},
                                   {"charge_c", all.charge},
                                   {"missing_s", all.missing_s},
                                   {"samples", channel.samples}});
      }
      for (const std::int64_t id : made.captures) book.discard(id);
    } catch (const Error& e) {
      out["error"] = e.what();
      out["failure"] = static_cast<int>(e.failure());
    }
    std::puts(out.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace).c_str());
    std::fflush(stdout);
  }
  return 0;
}
