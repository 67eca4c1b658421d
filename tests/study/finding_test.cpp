// SPDX-License-Identifier: GPL-3.0-or-later
// A recipe found on a capture in a book, with its output off at first.

#include "study/finding.h"

#include "book/analysis.h"
#include "book/make.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <random>
#include <tuple>

using namespace kuvio;

namespace {

/// One stay after another, a sample a millisecond, with noise.
struct Stays {
  std::mt19937_64 random{3};
  std::normal_distribution<double> noise;
  std::vector<double> values;

  void operator()(double level, int ms) {
    for (int i = 0; i < ms; ++i)
      values.push_back(level * (1 + 0.02 * noise(random)) + 2e-8 * noise(random));
  }
  /// A capture of it, whose output went on between these two moments.
  std::int64_t write(book::Book& book, double earliest_s, double latest_s) const {
    book::CaptureWriter writer(book, {"run", "1.0", {}, false}, {test::current_channel()});
    writer.append(0, 0, 1, values);
    writer.event({EventKind::output_on, earliest_s, latest_s, "output on"});
    writer.finish("complete", false);
    return writer.id();
  }
};

/// Off for 2 s, then ten rounds of rest, a short work and a radio that sends in bursts.
std::int64_t add(book::Book& book) {
  Stays stay;
  stay(0, 2000);
  for (int round = 0; round < 10; ++round) {
    stay(3e-6, 8000);
    stay(4e-3, 60);
    for (int burst = 0; burst < 8; ++burst) {
      stay(60e-3, 150);
      stay(220e-3, 20);
    }
    stay(60e-3, 150);
    stay(7e-3, 1500);
  }
  return stay.write(book, 1.999, 2.0);
}

}  // namespace

TEST_CASE("what begins with the output is found, however wide the command's bracket") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  Stays stay;
  stay(0, 2000);
  stay(18e-3, 1200);  // once
  for (int round = 0; round < 6; ++round) {
    stay(3e-6, 5000);
    stay(28e-3, 900);
  }
  const book::CaptureInfo capture = book.capture(stay.write(book, 1.0, 2.9));
  const formats::RecipeFile found = study::find_recipe(book, capture, "");
  REQUIRE(found.recipe.states.size() == 3);
  const book::StoredSplit split = book::split_capture(book, capture, found.recipe, found.text);
  const auto boot = std::find_if(split.visits.begin(), split.visits.end(),
                                 [](const Visit& v) { return v.state != kOff; });
  REQUIRE(boot != split.visits.end());
  CHECK(boot->from_s == Approx(2).margin(0.002));
  CHECK(boot->length_s() == Approx(1.2).margin(0.004));
}

TEST_CASE("a recipe is found that splits the capture: bursts are one state, Off is none") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  const book::CaptureInfo capture = book.capture(add(book));
  const formats::RecipeFile found = study::find_recipe(book, capture, "");
  CHECK(found.recipe.states.size() == 4);
  book.save_split(capture.id, book::split_capture(book, capture, found.recipe, found.text));
  std::vector<book::SplitCapture> one;
  one.push_back(book::load_split(book, book.capture(capture.id)));
  const Ledger ledger = book::pooled_ledger(one);
  const auto near = [&](double level) -> const LedgerRow& {
    for (const LedgerRow& row : ledger.rows) {
      if (row.mean && std::fabs(*row.mean / level - 1) < 0.02 && row.state != kOff) return row;
    }
    FAIL("no state at " << level);
    return ledger.rows.front();
  };
  CHECK(near(3e-6).visits == 10);
  CHECK(near(4e-3).visits == 10);
  CHECK(near(7e-3).visits == 10);
  const double burst = (9 * 150 * 60e-3 + 8 * 20 * 220e-3) / (9 * 150 + 8 * 20);
  CHECK(near(burst).visits == 10);
  CHECK(near(burst).time_s == Approx(10 * 1.51).epsilon(1e-3));
  CHECK(ledger.off_s == Approx(2).margin(0.01));
  CHECK(ledger.find(kUnassigned)->visits == 0);
  // As many as are asked for, by name of a channel too.
  FindSettings two;
  two.levels = 2;
  CHECK(study::find_recipe(book, capture, "I", two).recipe.states.size() == 2);
  CHECK_THROWS_AS(study::find_recipe(book, capture, "X"), Error);
  FindSettings stop;
  stop.going_on = [](double) { return false; };
  CHECK_THROWS_WITH(study::find_recipe(book, capture, "", stop), Catch::Contains("cancelled"));
}

TEST_CASE("what the log keeps saying where a state begins is its name, and its anchor is offered") {
  const test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  std::int64_t id = 0;
  {
    book::CaptureWriter writer(book, {"run", "1.0", {}, false}, {test::current_channel()});
    std::mt19937_64 random(4);
    std::normal_distribution<double> noise;
    std::vector<double> values;
    for (int round = 0; round < 12; ++round) {
      for (const auto& [level, ms, line] :
           {std::tuple{3e-6, 3000, "sleep"}, std::tuple{5e-3, 200, "measure (n=12) of 5"},
            std::tuple{60e-3, 400, ""}}) {
        if (*line) writer.log({static_cast<double>(values.size()) * 1e-3 + 0.004, false, line});
        for (int i = 0; i < ms; ++i) values.push_back(level * (1 + 0.02 * noise(random)));
      }
    }
    writer.append(0, 0, 1, values);
    writer.finish("complete", false);
    id = writer.id();
  }
  const formats::RecipeFile found = study::find_recipe(book, book.capture(id), "");
  REQUIRE(found.recipe.states.size() == 3);
  CHECK(found.recipe.states[0].name == "Sleep");
  CHECK(found.recipe.states[1].name == "Measure");
  CHECK(found.recipe.states[2].name == "At 60 mA");
  CHECK_THAT(found.text, Catch::Contains("# begins = { log = \"^measure\" }") &&
                             Catch::Contains("12 of its 12 visits begin where the log says so"));
  CHECK_FALSE(found.recipe.states[1].begins);  // offered, not taken
  // Taken, it puts the edges where the lines are.
  std::string text = found.text;
  const auto at = text.find("# begins = { log = \"^measure");
  REQUIRE(at != std::string::npos);
  text.erase(at, 2);
  const Recipe anchored = formats::parse_recipe(text, "r").recipe;
  const auto split = book::split_capture(book, book.capture(id), anchored, text);
  std::size_t met = 0;
  for (const Visit& v : split.visits)
    met += v.state == "Measure" && std::fabs(std::fmod(v.from_s, 3.6) - 3.004) < 1e-6;
  CHECK(met == 12);
}
