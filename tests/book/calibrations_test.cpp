// SPDX-License-Identifier: GPL-3.0-or-later
// What is put right of a channel changes what is read of it, can be taken back, and leaves its
// samples alone.

#include "book/calibrations.h"

#include "book/analysis.h"
#include "book/capture_writer.h"
#include "book/channel_trace.h"
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

/// A drop of 1 mV for a second and 3 mV for another, as an instrument with a calibration of its own
/// recorded it.
std::int64_t add_drop(Book& book) {
  book::ChannelInfo c;
  c.name = "drop";
  c.quantity = Quantity::voltage;
  c.unit = "V";
  c.encoding = book::Encoding::f8;
  c.time_base = {1, 1000};
  c.accuracy = "0.1 % + 10 uV";
  c.calibration = {2, 1e-3, "of the bench"};
  book::CaptureWriter writer(book, {"c", "1", {}, false}, {c});
  std::vector<double> values(1000, 0);
  values.resize(2000, 1e-3);
  writer.append(0, 1, 1, values);
  writer.finish("made", false);
  return writer.id();
}

double charge(const Book& book, const book::ChannelInfo& c) {
  return measure(book::ChannelTrace(book, c), 0.001, 2.001).charge;
}

}  // namespace

TEST_CASE("a channel is read as it was put right, and as it was once that is taken back") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_drop(book);
  const book::ChannelInfo before = book.capture(id).channels.at(0);
  CHECK(charge(book, before) == Approx(1e-3 + 3e-3));
  ChannelCalibration c;
  c.shunt = Toleranced{0.1, 0.01};
  c.zero = ZeroLevel{1e-3, 2e-6, 0, "0 s to 1 s"};
  const auto changes = book::put(book, {book::calibration_note(id, "drop", c)});
  const book::CaptureInfo now = book.capture(id);
  const book::ChannelInfo& channel = now.channels.at(0);
  CHECK(channel.quantity == Quantity::current);
  CHECK(channel.unit == "A");
  // (x - 1 mV) / 0.1 Ohm: nothing for a second, 20 mA for another.
  CHECK(charge(book, channel) == Approx(20e-3));
  CHECK(book::choose_channel(now, "", "b").name == "drop");
  const Accuracy accuracy = book::basis_of(now, channel).accuracy;
  CHECK(accuracy.expanded);
  CHECK(accuracy.gain == Approx(2 * std::sqrt((1e-6 + 1e-4) / 3)));
  CHECK(accuracy.offset == Approx(20e-6));
  CHECK_THAT(channel.calibration.text, Catch::Contains("of the bench") && Catch::Contains("zero"));
  CHECK(book::calibrations(book, id).at("drop") == c);
  // The same book for the next who opens it, whole.
  CHECK(book::verify(book).empty());
  CHECK(charge(Book::open(folder / "b.kuvio", Book::Mode::read), channel) == Approx(20e-3));
  // As recorded, for a zero to be found.
  const book::ChannelInfo recorded = book::as_recorded(channel);
  CHECK(recorded.unit == "V");
  CHECK(recorded.accuracy == before.accuracy);
  CHECK(charge(book, recorded) == Approx(4e-3));
  for (const book::Change& change : changes) book::put(book, {change.before});
  CHECK(charge(book, book.capture(id).channels.at(0)) == Approx(4e-3));
  CHECK_FALSE(book.capture(id).channels.at(0).recorded);
  CHECK(book::calibrations(book, id).empty());
}

TEST_CASE("every part of a calibration is kept") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_drop(book);
  ChannelCalibration c;
  c.gain = 1.0000001;
  c.divider = parse_divider("90k 1 %/10k 0.1 %");
  c.subtract = -5e-3;
  c.offset = 1e-9;
  c.shunt = Toleranced{0.33, 0};
  c.shunt_rating_w = 0.25;
  c.zero = ZeroLevel{-3e-9, 1e-10, 2e-10, "capture \"before\""};
  c.accuracy = "0.05 % + 1 uA (k=2)";
  book::put(book, {book::calibration_note(id, "drop", c)});
  CHECK(book::calibrations(book, id).at("drop") == c);
}

TEST_CASE("a calibration that makes no sense is damage that is said, and of nobody is left alone") {
  const test::Folder folder;
  Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
  const std::int64_t id = add_drop(book);
  for (const char* text :
       {"", "[]", "{\"gain\":0}", "{\"gain\":\"x\"}", "{\"shunt\":{\"value\":-1}}",
        "{\"divider\":{\"upper\":{\"value\":1}}}", "{\"gain\":1e999}",
        "{\"zero\":{\"mean\":0,\"U\":-1}}", "{\"accuracy\":\"much\"}"}) {
    CAPTURE(text);
    book::put(book, {{id, "calibration:drop", text}});
    CHECK_THROWS_AS(book.capture(id), Error);
    const auto captures = book.captures();
    REQUIRE(captures.size() == 1);
    CHECK_FALSE(captures[0].damage.empty());
  }
  book::put(book,
            {{id, "calibration:drop", std::nullopt}, {id, "calibration:gone", "{\"gain\":2}"}});
  CHECK(charge(book, book.capture(id).channels.at(0)) == Approx(4e-3));
}

TEST_CASE("a zero that drifts is taken off along the capture, exactly, however it is asked for") {
  std::mt19937_64 random(17);
  for (const SampleKind kind : {SampleKind::averaged, SampleKind::instant}) {
    for (const bool timed : {false, true}) {
      INFO((kind == SampleKind::averaged ? "averaged" : "instant") << (timed ? ", timed" : ""));
      const test::Folder folder;
      Book book = Book::open(folder / "b.kuvio", Book::Mode::create);
      book::ChannelInfo c;
      c.name = "I";
      c.kind = kind;
      c.encoding = book::Encoding::f8;
      c.time_base = {1, 1000};
      // 2 mA on top of a zero of 1 uA at 10 s and 5 uA at 190 s.
      const auto zero = [](double t) { return 1e-6 + 4e-6 * (t - 10) / 180; };
      book::CaptureWriter writer(book, {"c", "1", {}, false}, {c});
      std::vector<std::int64_t> times;
      std::vector<double> values;
      for (std::int64_t t = 0; t < 200'000;) {
        const std::int64_t step = timed ? 1 + static_cast<std::int64_t>(random() % 3) : 1;
        const double at = kind == SampleKind::averaged
                              ? (static_cast<double>(t) + static_cast<double>(step) / 2) * 1e-3
                              : static_cast<double>(t) * 1e-3;
        times.push_back(t);
        values.push_back(2e-3 + zero(at));
        t += step;
      }
      if (timed) {
        writer.append_times(0, times, values, 200'000, true);
      } else {
        writer.append(0, 0, 1, values);
      }
      writer.finish("made", false);
      ChannelCalibration k;
      k.zero = between(ZeroLevel{zero(10), 0, 0, "a", 10, 10},
                       ZeroLevel{zero(190), 0, 0, "b", 190, 190});
      book::put(book, {book::calibration_note(1, "I", k)});
      const book::ChannelTrace trace(book, book.capture(1).channels.at(0));
      for (const auto& [from, to] :
           {std::pair{0.0, 199.9}, {3.0, 3.5}, {100.0, 180.25}, {190.0, 190.01}}) {
        const SpanFigures s = measure(trace, from, to);
        CHECK(s.charge == Approx(2e-3 * (to - from)).epsilon(1e-7));
        CHECK(*s.max == Approx(2e-3).epsilon(1e-4));  // drift within a piece, at most
        CHECK(*s.min == Approx(2e-3).epsilon(1e-4));
        CHECK(*s.rms() == Approx(2e-3).epsilon(1e-6));
      }
      CHECK(*value_at(trace, 77.7) == Approx(2e-3).epsilon(1e-6));
    }
  }
}
