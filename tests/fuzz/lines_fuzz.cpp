// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: whatever lines of text a logger prints, with and without a columns option.

#include "acquire/line_reader.h"

#include <cstdint>
#include <cstdlib>
#include <stdexcept>
#include <string>

using namespace kuvio::acquire;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  // The first line is a columns option where it begins with '?'.
  std::size_t at = 0;
  std::string columns;
  if (!text.empty() && text[0] == '?') {
    at = text.find('\n');
    columns = text.substr(1, at == std::string::npos ? at : at - 1);
    if (at == std::string::npos) at = text.size();
  }
  try {
    LineReader reader(columns);
    while (at < text.size()) {
      auto end = text.find('\n', at);
      if (end == std::string::npos) end = text.size();
      LineReader::Reading out;
      const auto what = reader.take(std::string_view(text).substr(at, end - at), out);
      // A reading has a value for every column, always the same ones.
      if (what == LineReader::What::reading && out.values.size() != reader.values().size())
        std::abort();
      at = end + 1;
    }
  } catch (const std::invalid_argument&) {  // a columns option that is none
  }
  return 0;
}
