// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/recording_watches.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::acquire;

TEST_CASE("a disk is full when less is left than is kept free and still to be written") {
  constexpr std::uint64_t mega = 1 << 20;
  std::optional<book::Disk> disk = book::Disk{600 * mega, 100'000 * mega};
  DiskGuard guard([&] { return disk; }, 512 * mega);
  CHECK_FALSE(guard.full(0));
  CHECK_FALSE(guard.full(88 * mega));
  CHECK(guard.full(89 * mega));
  CHECK(guard.free() == 600 * mega);
  disk = book::Disk{60 * mega, 1000 * mega};  // a small disk: a tenth of it is enough
  CHECK(guard.full(0));
  disk->free = 100 * mega;
  CHECK_FALSE(guard.full(0));
  disk.reset();  // it says nothing any more
  CHECK_FALSE(guard.full(~std::uint64_t{0} >> 1));
  CHECK(guard.free() == 100 * mega);  // as last known
}

TEST_CASE("what is free is asked for where nobody has yet") {
  int asked = 0;
  DiskGuard guard(
      [&] {
        ++asked;
        return std::optional<book::Disk>({7, 70});
      },
      1);
  CHECK(guard.free() == 7);
  CHECK(guard.free() == 7);
  CHECK(asked == 1);
}

TEST_CASE("sleep is noticed by what it adds, once, and less than a second is none") {
  double slept = 3600;  // long before
  SleepWatch watch([&] { return slept; });
  CHECK_FALSE(watch.look());
  slept += 0.6;
  CHECK_FALSE(watch.look());
  slept += 0.6;  // two naps make a sleep
  CHECK(*watch.look() == Approx(1.2));
  CHECK_FALSE(watch.look());
  slept += 28800;
  CHECK(*watch.look() == Approx(28800));
}

TEST_CASE("a link that goes is named when it goes, not while it is away") {
  using Why = std::vector<std::optional<std::string>>;
  using Which = std::vector<std::size_t>;
  LinkWatch watch;
  CHECK(watch.look(Why{{}, {}}).empty());
  CHECK(watch.away().empty());
  CHECK(watch.look(Why{{}, "b hung up"}) == Which{1});
  CHECK(watch.look(Why{"a hung up", "b hung up"}) == Which{0});
  CHECK(watch.away() == "a hung up; b hung up");
  CHECK(watch.look(Why{"a hung up", {}}).empty());
  CHECK(watch.away() == "a hung up");
  CHECK(watch.look(Why{"a hung up", "b hung up"}) == Which{1});  // again
}
