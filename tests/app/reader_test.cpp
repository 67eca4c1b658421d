// SPDX-License-Identifier: GPL-3.0-or-later
// What the window's reader shows of a capture while it grows.
#include "app/engine/reader.h"

#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"
#include "book/make.h"
#include "book/sqlite.h"

#include "desk_fixture.h"
#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::app;
using book::Book;

namespace {

bool same(const std::vector<EnvelopeColumn>& a, const std::vector<EnvelopeColumn>& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const auto& x, const auto& y) {
    return x.any == y.any && x.missing == y.missing && (!x.any || (x.lo == y.lo && x.hi == y.hi));
  });
}

}  // namespace

TEST_CASE("a capture is shown by the current that its states rest on, as it is accounted for") {
  test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book writing = Book::open(path, Book::Mode::create);
  book::ChannelInfo main = test::current_channel(), rail = main;
  main.name = "main";
  rail.name = "rail";
  book::CaptureWriter writer(writing, {"c", "1.0", {}, false}, {main, rail});
  std::vector<double> values(4000, 5e-3);
  writer.append(0, 0, 1, values);
  std::fill(values.begin(), values.begin() + 2000, 1e-6);
  writer.append(1, 0, 1, values);
  writer.finish("done", false);
  Reader reader(QString::fromStdString(path));
  const auto shown = [&] { return reader.show({writer.id()})->captures.front(); };
  CHECK(shown()->channel.name == "main");
  const std::vector<EnvelopeColumn> before = reader.list()->rows.front().thumbnail;

  Recipe recipe;
  recipe.channel = "rail";
  StateRule busy;
  busy.name = "Busy";
  busy.level = {1e-3, INFINITY, 1e-3, INFINITY};
  recipe.states = {busy};
  writing.save_split(writer.id(),
                     book::split_capture(writing, writing.capture(writer.id()), recipe, "text"));
  const CaptureViewPtr now = shown();
  CHECK(now->channel.name == "rail");
  REQUIRE(now->ledger);
  const double right =
      measure(book::ChannelTrace(writing, writing.capture(writer.id()).channels[1])).charge;
  CHECK(now->ledger->charge == Approx(right));
  CHECK(now->ledger->find("Busy")->charge == Approx(right).epsilon(0.01));
  CHECK_FALSE(same(reader.list()->rows.front().thumbnail, before));
}

TEST_CASE("pictures of a growing capture are those that a fresh reader makes") {
  test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book writing = Book::open(path, Book::Mode::create);
  book::ChannelInfo second = test::current_channel();
  second.name = "V";
  second.quantity = Quantity::voltage;
  second.unit = "V";
  book::CaptureWriter writer(writing, {"c", "1.0", {}, false}, {test::current_channel(), second});
  Reader kept(QString::fromStdString(path));
  std::int64_t next = 0;
  std::mt19937_64 random(3);
  for (int step = 0; step < 12; ++step) {
    const auto values = test::noise(20'000 + random() % 50'000, static_cast<unsigned>(step));
    if (step == 5) next += 4000;
    writer.append(0, next, 1, values);
    writer.append(1, next, 1, values);
    next += static_cast<std::int64_t>(values.size());
    if (step == 7) writer.clock(1, {0.01, 1.0001, 1e-4}, {});
    if (step == 11) {
      writer.finish("done", false);
    } else {
      writer.flush();
    }
    Reader fresh(QString::fromStdString(path));
    // The list first on some rounds, the captures first on others.
    if (step % 2) kept.list();
    const ShownPtr now = kept.show({writer.id()}), then = fresh.show({writer.id()});
    const BookViewPtr list = kept.list();
    REQUIRE(list->rows.front().thumbnail.size() == 180);
    const CaptureView& view = *now->captures.front();
    CHECK(view.to_s == then->captures.front()->to_s);
    CHECK(view.extremes == then->captures.front()->extremes);
    CHECK(view.overview.size() == then->captures.front()->overview.size());
    if (step == 11) {
      CHECK(same(view.overview, then->captures.front()->overview));
      CHECK(same(list->rows.front().thumbnail, fresh.list()->rows.front().thumbnail));
    }
    // The same width again and again, as a view that follows has it, and all of it.
    for (const auto& [from, to] : {std::pair{view.to_s - 15, view.to_s + 2.5}, std::pair{0.0, 60.0},
                                   std::pair{view.from_s, view.to_s}}) {
      const FrameRequest request{from, to, 700, 1, {{{0, "I"}}, {{0, "V"}}}};
      const FramePtr a = kept.frame(request, 60), b = fresh.frame(request, 60);
      for (std::size_t lane = 0; lane < 2; ++lane) {
        const Curve &x = a->lanes[lane].curves.front(), &y = b->lanes[lane].curves.front();
        CHECK(x.from_s == Approx(y.from_s).margin(1e-9));
        // A grid kept from the last picture may lie by a rounding beside a new one's.
        std::size_t other = x.columns.size() == y.columns.size() ? 0 : 1000;
        for (std::size_t i = 0; i < std::min(x.columns.size(), y.columns.size()); ++i)
          other += !same({x.columns[i]}, {y.columns[i]});
        CHECK(other <= 1);
      }
    }
  }
}

TEST_CASE("a capture that was undone and made anew under its number is not taken for the old one") {
  test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Book writing = Book::open(path, Book::Mode::create);
  std::int64_t id = 0;
  const auto make = [&](const char* name, std::size_t samples, double level) {
    book::CaptureWriter writer(writing, {name, "1.0", {}, false}, {test::current_channel()});
    writer.append(0, 0, 1, std::vector<double>(samples, level));
    writer.finish("done", false);
    return writer.id();
  };
  id = make("first", 50'000, 1e-3);
  Reader reader(QString::fromStdString(path));
  CHECK(reader.show({id})->captures.front()->extremes.at("I").second == 1e-3);
  writing.database().execute(
      "DELETE FROM capture; DELETE FROM chunk; DELETE FROM chunk_samples; DELETE FROM "
      "chunk_strides;");
  REQUIRE(make("second", 80'000, 2e-3) == id);
  CHECK(reader.show({id})->captures.front()->extremes.at("I") == std::pair{2e-3, 2e-3});
}

TEST_CASE("a damaged capture is refused as often as it is asked for") {
  const test::Made made;
  {
    const book::Database db(made.path, book::Database::Access::write);
    db.execute(
        "UPDATE chunk SET strides_crc=strides_crc+1, times_crc=times_crc+1;"
        "UPDATE chunk_strides SET data=zeroblob(length(data))");
  }
  Reader reader(QString::fromStdString(made.path));
  REQUIRE(reader.list()->rows.size() >= 2);
  for (int i = 0; i < 3; ++i) CHECK_THROWS_AS(reader.show({1}), Error);
}
