// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/copy.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {
struct Options {
  std::string book, to;
  bool without_deleted = false;
};
}  // namespace

Runner add_copy(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("BOOK", o->book, "the book, also while it is recorded into")->required();
  app.add_option("TO", o->to, "the copy; must not exist")->required();
  app.add_flag("--without-deleted", o->without_deleted,
               "captures that were deleted are not in it, nor is the room they take");
  return [o](const Output& output) {
    const book::Book book = open_to_read(o->book);
    book::copy(book, o->to, {}, o->without_deleted);
    Outcome out;
    out.document["copy"] = o->to;
    if (!output.json) fmt::print("{}\n", o->to);
    return out;
  };
}

}  // namespace kuvio::cli
