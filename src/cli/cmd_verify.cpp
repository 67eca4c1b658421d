// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/verify.h"
#include "formats/json_results.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {

Runner add_verify(CLI::App& app) {
  auto path = std::make_shared<std::string>();
  app.add_option("BOOK", *path, "the book")->required();
  return [path](const Output& output) {
    const book::Book book = open_to_read(*path);
    const auto problems = book::verify(book);
    Outcome out;
    out.document = formats::to_json(problems);
    out.status = problems.empty() ? 0 : 65;
    if (!output.json) {
      for (const book::Problem& p : problems)
        fmt::print("{}{}{}: {}\n", p.capture, p.capture.empty() ? "" : ": ", p.where, p.what);
      if (problems.empty()) fmt::print("The book is intact.\n");
    }
    if (!problems.empty())
      say(fmt::format("damaged book: {}: {} problems", *path, problems.size()));
    return out;
  };
}

}  // namespace kuvio::cli
