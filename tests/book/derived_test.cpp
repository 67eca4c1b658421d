// SPDX-License-Identifier: GPL-3.0-or-later
// Derived channels in a book: channels like any other, hidden from the list of captures, made anew
// with what they are made of, taken away and put back.

#include "book/derived.h"

#include "book/analysis.h"
#include "book/calibrations.h"
#include "book/capture_writer.h"
#include "book/channel_trace.h"
#include "book/copy.h"
#include "book/notes.h"
#include "book/sqlite.h"
#include "book/verify.h"
#include "core/error.h"
#include "core/measure.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using book::Book;

namespace {

/// Two volts and 1 mA for 200 000 samples of a millisecond, an accuracy with each.
std::int64_t add_pair(Book& book) {
  std::vector<book::ChannelInfo> channels(2);
  channels[0].name = "V";
  channels[0].quantity = Quantity::voltage;
  channels[0].unit = "V";
  channels[1].name = "I";
  for (auto& c : channels) {
    c.time_base = {1, 1000};
    c.encoding = book::Encoding::f8;
  }
  channels[0].accuracy = "0.1 % + 1 mV";
  channels[1].accuracy = "0.1 % + 1 uA";
  book::CaptureWriter writer(book, {"c", "1", {}, false}, channels);
  writer.append(0, 0, 1, std::vector<double>(200'000, 2));
  writer.append(1, 0, 1, std::vector<double>(200'000, 1e-3));
  writer.finish("made", false);
  return writer.id();
}

double mean(const Book& book, std::int64_t id, const std::string& name) {
  const book::CaptureInfo capture = book.capture(id);
  const book::ChannelInfo* c = capture.channel(name);
  REQUIRE(c);
  return measure(book::ChannelTrace(book, *c)).mean().value_or(-1);
}

}  // namespace

TEST_CASE("a derived channel is one of its capture, and its samples are no capture") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_pair(book);
  const book::Note note =
      book::make_derived(book, book.capture(id), "P", {DerivedBy::product, {"V", "I"}, 0});
  CHECK(book.captures().size() == 1);
  CHECK(book.capture(id).channels.size() == 2);  // until it is put
  const auto changes = book::put(book, {note});
  CHECK(mean(book, id, "P") == Approx(2e-3));
  const book::ChannelInfo p = *book.capture(id).channel("P");
  CHECK(p.samples == 200'000);
  CHECK(p.unit == "W");
  CHECK_THAT(p.derived, Catch::Contains("product of V, I"));
  CHECK(book.captures().size() == 1);
  CHECK(book.builds() == std::vector<std::string>{"1"});
  CHECK_THROWS_AS(book.find("P of c"), Error);
  CHECK(book::verify(book).empty());
  book::put(book, {changes[0].before});
  CHECK_FALSE(book.capture(id).channel("P"));
  book::put(book, {changes[0].after});
  CHECK(mean(book, id, "P") == Approx(2e-3));
  book::copy(book, folder / "copy.kuvio");
  CHECK(mean(Book::open(folder / "copy.kuvio", Book::Mode::read), id, "P") == Approx(2e-3));
}

TEST_CASE("what is made of a channel follows it, and what is made of that") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_pair(book);
  book::put(book,
            {book::make_derived(book, book.capture(id), "P", {DerivedBy::product, {"V", "I"}, 0})});
  book::put(book,
            {book::make_derived(book, book.capture(id), "E", {DerivedBy::running, {"P"}, 0})});
  ChannelCalibration gain;
  gain.gain = 3;
  book::put(book, {book::calibration_note(id, "I", gain)});
  CHECK(mean(book, id, "P") == Approx(2e-3));
  CHECK(book::make_again(book, id, {"I"}) == std::vector<std::string>{"P", "E"});
  CHECK(mean(book, id, "P") == Approx(6e-3));
  CHECK(mean(book, id, "E") == Approx(6e-3 * 100));  // half of 200 s
  CHECK(book::make_again(book, id, {"E"}).empty());
}

TEST_CASE("a difference is as uncertain as its channels are, at their levels") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_pair(book);
  book::put(book, {book::make_derived(book, book.capture(id), "D",
                                      {DerivedBy::difference, {"V", "V"}, 0})});
  const book::CaptureInfo capture = book.capture(id);
  const Accuracy a = book::basis_of(capture, *capture.channel("D")).accuracy;
  // Gain 2 mV and offset 1 mV, bounds, of each of two.
  CHECK(a.expanded);
  CHECK(a.offset == Approx(2 * std::sqrt(2 * (4e-6 + 1e-6) / 3)));
  CHECK(a.gain == 0);
}

TEST_CASE("what cannot be derived is refused, and a damaged note is said") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_pair(book);
  const auto before = book.captures().size();
  for (const Derivation& d :
       {Derivation{DerivedBy::sum, {"V", "I"}, 0}, Derivation{DerivedBy::product, {"V", "X"}, 0},
        Derivation{DerivedBy::product, {"V"}, 0}})
    CHECK_THROWS_AS(book::make_derived(book, book.capture(id), "D", d), Error);
  std::stop_source stop;
  stop.request_stop();
  CHECK_THROWS_AS(book::make_derived(book, book.capture(id), "D",
                                     {DerivedBy::product, {"V", "I"}, 0}, stop.get_token()),
                  Error);
  CHECK(book.captures().size() == before);
  auto rows = book.database().prepare("SELECT count(*) FROM capture");
  REQUIRE(rows.step());
  CHECK(rows.integer(0) == 1);  // nothing half-made is left
  for (const char* text : {"", "{}", "{\"by\":\"product\",\"of\":[],\"capture\":1}",
                           "{\"by\":\"magic\",\"of\":[\"V\"],\"capture\":1}",
                           "{\"by\":\"product\",\"of\":[\"V\",\"I\"],\"capture\":1}",
                           "{\"by\":\"product\",\"of\":[\"V\",\"I\"],\"capture\":99}"}) {
    CAPTURE(text);
    book::put(book, {{id, "derived:D", text}});
    CHECK_THROWS_AS(book.capture(id), Error);
    CHECK_FALSE(book.captures().at(0).damage.empty());
  }
  // A condition of that name is no hiding place.
  book.database().execute("INSERT INTO condition VALUES(1, 'derived_of', '1')");
  book::put(book, {{id, "derived:D", std::nullopt}});
  CHECK(book.captures().size() == 1);
  CHECK(book.capture(id).damage.empty());
  // A book that says a capture is made of itself.
  book.database().execute("UPDATE capture SET end_reason='derived'");
  book::put(book, {{id, "derived:D", "{\"by\":\"product\",\"of\":[\"D\",\"D\"],\"capture\":1}"}});
  CHECK_THROWS_AS(book.capture(id), Error);
}

TEST_CASE("a product and a ratio are as uncertain as what they are made of: a Monte Carlo") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_pair(book);  // 2 V with 0.1 % + 1 mV, 1 mA with 0.1 % + 1 uA
  const auto make = [&](const char* name, DerivedBy by, std::vector<std::string> of) {
    book::put(book, {book::make_derived(book, book.capture(id), name, {by, std::move(of), 0})});
  };
  make("P", DerivedBy::product, {"V", "I"});
  make("I2", DerivedBy::ratio, {"P", "V"});
  const book::CaptureInfo capture = book.capture(id);
  const unsigned seed = std::random_device{}();
  INFO("seed " << seed);
  std::mt19937_64 random(seed);
  std::uniform_real_distribution<double> unit(-1, 1);
  const Accuracy p = book::basis_of(capture, *capture.channel("P")).accuracy,
                 i = book::basis_of(capture, *capture.channel("I2")).accuracy;
  REQUIRE(p.stated());
  REQUIRE(i.stated());
  const double U = expand(accuracy_components(p, 2e-3)).U;
  int inside = 0;
  constexpr int kRuns = 20000;
  double square = 0;
  for (int k = 0; k < kRuns; ++k) {
    const double v = 2 * (1 + 0.001 * unit(random)) + 0.001 * unit(random),
                 a = 1e-3 * (1 + 0.001 * unit(random)) + 1e-6 * unit(random);
    inside += std::fabs(v * a - 2e-3) <= U;
    square += (v * a - 2e-3) * (v * a - 2e-3);
  }
  CHECK(inside / static_cast<double>(kRuns) == Approx(0.95).margin(0.02));
  CHECK(expand(accuracy_components(p, 2e-3)).u == Approx(std::sqrt(square / kRuns)).epsilon(0.03));
  CHECK(measure(book::ChannelTrace(book, *capture.channel("I2"))).mean() == Approx(1e-3));
}
