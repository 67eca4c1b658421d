// SPDX-License-Identifier: GPL-3.0-or-later
// Files a person or a program hands us: whatever is in them, reading ends in a result or an Error
// with a line.

#include "book/book.h"
#include "core/budget.h"
#include "core/error.h"
#include "formats/project_files.h"
#include "formats/text_import.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace kuvio;

namespace {

std::string text_of(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

/// Cuts, doubles, swaps and overwrites at random places.
std::string spoil(std::string text, std::mt19937_64& random) {
  const int changes = 1 + static_cast<int>(random() % 6);
  for (int i = 0; i < changes && !text.empty(); ++i) {
    const std::size_t at = random() % text.size();
    switch (random() % 5) {
      case 0:
        text.erase(at, random() % 20);
        break;
      case 1:
        text.insert(at, text.substr(random() % text.size(), random() % 40));
        break;
      case 2:
        text[at] = static_cast<char>(random());
        break;
      case 3:
        text.resize(at);
        break;
      default:
        text.insert(at, std::string(1, "\n=[]{}\"#.,-+e9"[random() % 14]));
        break;
    }
  }
  return text;
}

}  // namespace

TEST_CASE("spoilt recipes, budgets, batteries and duty plans are read or refused with a place") {
  const test::Folder folder;
  const std::string demo = std::string(KUVIO_SOURCE) + "/examples/satchel.";
  for (const char* kind : {"recipe", "budget", "battery", "duty"})
    folder.write(std::string("satchel.") + kind + ".toml", text_of(demo + kind + ".toml"));
  std::mt19937_64 random(17);
  int refused = 0;
  for (int round = 0; round < 400; ++round) {
    const std::string kind =
        std::array{"recipe", "budget", "battery", "duty"}[static_cast<std::size_t>(round % 4)];
    const std::string path =
        folder.write("spoilt.toml", spoil(text_of(folder / ("satchel." + kind + ".toml")), random));
    try {
      if (kind == "recipe") formats::read_recipe(path);
      if (kind == "budget") formats::read_budget(path);
      if (kind == "battery") formats::read_battery(path);
      if (kind == "duty") formats::read_duty(path);
    } catch (const Error& e) {
      ++refused;
      const bool placed = e.where().find(".toml") != std::string::npos;
      CHECK(placed);
      CHECK(std::string(e.what()).find('\n') == std::string::npos);
    }
  }
  CHECK(refused > 100);
}

TEST_CASE("spoilt text logs are imported or refused, and a refusal leaves nothing") {
  const test::Folder folder;
  std::string log = "time (s),current (mA),note\n";
  for (int i = 0; i < 300; ++i)
    log += fmt::format("{:.3f},{:.4f},x{}\n", i * 0.01, 3 + (i % 50) * 0.1, i);
  std::mt19937_64 random(23);
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  std::size_t kept = 0;
  for (int round = 0; round < 200; ++round) {
    const std::string path = folder.write("spoilt.csv", spoil(log, random));
    formats::ImportSettings settings;
    settings.name = "r" + std::to_string(round);
    settings.kind = round % 2 ? SampleKind::averaged : SampleKind::instant;
    try {
      formats::import_text(book, path, settings);
      ++kept;
    } catch (const Error& e) {
      CHECK(e.where().find("spoilt.csv") != std::string::npos);
    }
  }
  CHECK(book.captures().size() == kept);
  CHECK(kept > 10);
}
