// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/xml_text.h"

#include "book/text.h"

namespace kuvio::formats {

std::string escape_xml(const std::string& text) {
  std::string out;
  for (const char c : book::printable(text)) {
    switch (c) {
      case '<':
        out += "&lt;";
        break;
      case '>':
        out += "&gt;";
        break;
      case '&':
        out += "&amp;";
        break;
      case '"':
        out += "&quot;";
        break;
      default:
        out += c;
    }
  }
  return out;
}

}  // namespace kuvio::formats
