// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/pool.h"

#include "core/error.h"

#include "study_book.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using test::StudyBook;

TEST_CASE("a build's captures are pooled, those that are not split left out") {
  StudyBook made;
  made.add("1.0", 3e-6, 10e-3, 4);
  made.add("1.0", 5e-6, 10e-3, 4);
  made.add("1.0", 50e-6, 10e-3, 4, false);
  const study::Pool pool = study::pool_build(made.book, "1.0");
  REQUIRE(pool.captures.size() == 2);
  CHECK(pool.side.name == "1.0");
  CHECK(pool.side.conditions.at("voltage") == "3 V");
  CHECK(*pool.ledger().find("Sleep")->mean == Approx(4e-6).epsilon(1e-6));
  CHECK(pool.ledger().find("Work")->visits == 8);
  CHECK(pool.old_edges.empty());

  made.add("2.0", 3e-6, 10e-3, 4, false);
  CHECK_THROWS_WITH(study::pool_build(made.book, "2.0"), Catch::Contains("not split"));
  CHECK_THROWS_WITH(study::pool_build(made.book, "3.0"), Catch::Contains("no such build"));
}

TEST_CASE("pools are made once, and anew after another connection has written") {
  StudyBook made;
  made.add("1.0", 3e-6, 10e-3);
  const book::Book reader = book::Book::open(made.folder / "b.kuvio", book::Book::Mode::read);
  study::Pools pools(reader);
  pools.refresh();
  const study::Pool* first = &pools.build("1.0");
  CHECK(&pools.build("1.0") == first);
  made.add("1.0", 5e-6, 10e-3);
  // Until the next question what was answered holds.
  CHECK(pools.build("1.0").captures.size() == 1);
  pools.refresh();
  CHECK(pools.build("1.0").captures.size() == 2);
}

TEST_CASE("documents of a book are read by their kind, and bad ones are named") {
  StudyBook made;
  CHECK_FALSE(study::stored_duty(made.book));
  CHECK_FALSE(study::stored_battery(made.book));
  made.put(book::DocumentKind::duty, "battery-life.duty.toml", test::kStudyDuty);
  made.put(book::DocumentKind::battery, "cell.battery.toml", test::kStudyBattery);
  CHECK(study::stored_duty(made.book)->rest == "Sleep");
  CHECK(study::stored_battery(made.book)->capacity_c == Approx(360));
  made.put(book::DocumentKind::duty, "field.duty.toml", "kuvio = \"duty/1\"\nname = \"x\"\n");
  CHECK_THROWS_WITH(study::stored_duty(made.book), Catch::Contains("field.duty.toml"));
}
