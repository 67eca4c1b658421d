// SPDX-License-Identifier: GPL-3.0-or-later
// A text log taken apart by all cores and thrown away, and the same all the way into a durable
// book: `bench_import FILE`. `benchmarks/import` sets both beside what others merely parse.

#include "formats/log_blocks.h"
#include "formats/log_plan.h"
#include "formats/text_import.h"

#include "large.h"

#include <sys/resource.h>

#include <cstdio>
#include <filesystem>

using namespace kuvio;

namespace {

double most_resident_mb() {
  rusage used{};
  getrusage(RUSAGE_SELF, &used);
  return static_cast<double>(used.ru_maxrss) / 1e3;
}

double parsed_s(const std::string& file) {
  const double begun = bench::now_s();
  const formats::TextSource source(file, {});
  const formats::LogPlan plan = formats::plan_log(source, {}, {});
  formats::LogBlocks blocks(file, file, 0, plan, {});
  std::size_t rows = 0;
  while (const formats::RowBlock* block = blocks.next()) rows += block->rows();
  if (rows == 0) std::printf("no row was read\n");
  return bench::now_s() - begun;
}

double imported_s(const std::string& file) {
  const std::string path =
      (std::filesystem::temp_directory_path() / "kuvio-bench-import.kuvio").string();
  std::filesystem::remove(path);
  const double begun = bench::now_s();
  {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    formats::import_text(book, file, {});
  }
  const double took = bench::now_s() - begun;
  std::filesystem::remove(path);
  return took;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2) return 64;
  const double mb = static_cast<double>(std::filesystem::file_size(argv[1])) / 1e6;
  const double parsed = parsed_s(argv[1]), imported = imported_s(argv[1]);
  std::printf("{\"parsed_mb_s\":%.1f,\"imported_mb_s\":%.1f,\"resident_mb\":%.1f}\n", mb / parsed,
              mb / imported, most_resident_mb());
  return 0;
}
