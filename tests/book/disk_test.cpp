// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/disk.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("a file's disk is that of its folder, whether it is there or not") {
  const test::Folder folder;
  const auto disk = book::disk_of(folder / "not-there.kuvio");
  REQUIRE(disk);
  const auto space = std::filesystem::space(folder / ".");
  CHECK(disk->size == space.capacity);
  CHECK(disk->free <= disk->size);
  CHECK(book::disk_of("bare.kuvio"));
  CHECK_FALSE(book::disk_of(folder / "no-folder/b.kuvio"));
}
