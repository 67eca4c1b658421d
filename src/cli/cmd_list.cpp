// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/number_text.h"
#include "formats/json_results.h"

#include "command.h"

#include <memory>

namespace kuvio::cli {

Runner add_list(CLI::App& app) {
  auto path = std::make_shared<std::string>();
  app.add_option("BOOK", *path, "the book")->required();
  return [path](const Output& output) {
    const book::Book book = open_to_read(*path);
    Outcome out;
    out.document["captures"] = nlohmann::ordered_json::array();
    out.document["warnings"] = nlohmann::ordered_json::array();
    if (!book.unclean().empty()) out.document["warnings"].push_back(book.unclean());
    std::vector<std::vector<std::string>> rows{
        {"id", "name", "build", "length", "samples", "log lines", "state"}};
    for (const book::CaptureInfo& c : book.captures()) {
      out.document["captures"].push_back(formats::to_json(c));
      std::int64_t samples = 0;
      for (const auto& channel : c.channels) samples += channel.samples;
      rows.push_back({std::to_string(c.id), c.name, c.build, duration(c.duration_s()),
                      std::to_string(samples), std::to_string(c.log_lines),
                      !c.damage.empty() ? "damaged: " + c.damage
                      : c.recording     ? "recording"
                      : c.interrupted   ? "interrupted"
                      : c.typed         ? "typed"
                      : c.split         ? "split"
                                        : ""});
      if (!c.damage.empty())
        out.document["warnings"].push_back("capture " + std::to_string(c.id) + ": " + c.damage);
    }
    out.document["builds"] = book.builds();
    if (!output.json) print_table(rows);
    return out;
  };
}

}  // namespace kuvio::cli
