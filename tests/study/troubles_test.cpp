// SPDX-License-Identifier: GPL-3.0-or-later
// What is not the device at its normal work, in a book whose troubles are known by arithmetic.

#include "study/troubles.h"

#include "book/make.h"
#include "core/error.h"

#include "study/study_book.h"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

using namespace kuvio;
using study::Trouble;

namespace {

/// A current and its supply's voltage, a sample a millisecond; sleeps and works as StudyBook does.
struct Made {
  test::StudyBook in;
  std::vector<double> amperes, volts;
  std::vector<book::LogLine> log;
  std::vector<Event> events;
  Conditions conditions;

  double now() const { return static_cast<double>(amperes.size()) / 1000; }
  void stay(double a, int ms, double v = 3.3) {
    amperes.insert(amperes.end(), static_cast<std::size_t>(ms), a);
    volts.insert(volts.end(), static_cast<std::size_t>(ms), v);
  }
  void say(const std::string& line, double later = 0) {
    log.push_back({now() + later, false, line});
  }
  void rounds(int n) {
    for (; n > 0; --n) {
      stay(3e-6, 2000);
      say("wake", 0.002);
      say("done", 0.490);
      stay(10e-3, 500);
    }
  }
  book::SplitCapture split(bool with_volts = true) {
    book::ChannelInfo i;
    i.name = "I";
    i.time_base = {1, 1000};
    i.encoding = book::Encoding::f8;
    book::ChannelInfo v = i;
    v.name = "V";
    v.quantity = Quantity::voltage;
    v.unit = "V";
    std::vector<book::ChannelInfo> channels{i};
    if (with_volts) channels.push_back(v);
    book::CaptureWriter writer(in.book, {"run", "1.0", conditions, false}, channels);
    writer.append(0, 0, 1, amperes);
    if (with_volts) writer.append(1, 0, 1, volts);
    for (const book::LogLine& line : log) writer.log(line);
    for (const Event& e : events) writer.event(e);
    writer.finish("complete", false);
    const auto recipe = formats::parse_recipe(test::kStudyRecipe, "two.recipe.toml");
    in.book.save_split(writer.id(), book::split_capture(in.book, in.book.capture(writer.id()),
                                                        recipe.recipe, recipe.text));
    return book::load_split(in.book, in.book.capture(writer.id()));
  }
  study::Troubles find(const study::TroubleSettings& settings = {}) {
    const book::SplitCapture capture = split();
    return study::troubles_of(in.book, capture, settings);
  }
};

std::vector<Trouble> of(const study::Troubles& found, Trouble::Kind kind) {
  std::vector<Trouble> out;
  for (const Trouble& t : found.all) {
    if (t.kind == kind) out.push_back(t);
  }
  return out;
}

}  // namespace

TEST_CASE("a device at its normal work has no trouble, and what cannot be told is said") {
  Made made;
  made.say("boot satchel 1.0");
  made.rounds(8);
  const study::Troubles found = made.find();
  CHECK(found.all.empty());
  REQUIRE(found.unknown.size() == 1);
  CHECK_THAT(found.unknown[0], Catch::Contains("no limit of the supply is known"));
  CHECK(found.usual_v == Approx(3.3));
  Made bare;
  bare.rounds(2);
  const book::SplitCapture capture = bare.split(false);
  CHECK_THAT(study::troubles_of(bare.in.book, capture).unknown.back(),
             Catch::Contains("no voltage was captured"));
  CHECK_THROWS_WITH(study::troubles_of(bare.in.book, capture, {{}, "V"}),
                    Catch::Contains("no voltage called \"V\""));
}

TEST_CASE("the supply's limit, by the condition and by what is asked for") {
  Made made;
  made.rounds(2);
  made.stay(0.2, 12);
  made.rounds(1);
  made.conditions["current limit"] = "200 mA";
  const book::SplitCapture capture = made.split();
  const auto found = study::troubles_of(made.in.book, capture);
  REQUIRE(found.all.size() == 1);
  CHECK(found.all[0].kind == Trouble::Kind::limited);
  CHECK(found.all[0].from_s == Approx(5.0));
  CHECK(found.all[0].to_s == Approx(5.012));
  CHECK(found.all[0].state == "Work");
  CHECK_THAT(found.all[0].text, Catch::StartsWith("held at the supply's limit of 200") &&
                                    Catch::Contains("for 12.0") && Catch::EndsWith("in Work"));
  CHECK(study::troubles_of(made.in.book, capture, {0.5}).all.empty());
  made.conditions["current limit"] = "much";
  const book::SplitCapture vague = made.split();
  CHECK_THAT(study::troubles_of(made.in.book, vague).unknown[0],
             Catch::Contains("\"current limit\""));
}

TEST_CASE("a dip says how deep, how long and in which state; one with the output off is none") {
  Made made;
  made.stay(0, 1000, 0);  // off
  made.events.push_back({EventKind::output_on, 0.999, 1.0, "output on"});
  made.rounds(3);
  made.stay(10e-3, 40, 2.64);
  made.rounds(2);
  made.stay(10e-3, 3, 0.1);
  made.rounds(1);
  const auto found = of(made.find(), Trouble::Kind::dip);
  REQUIRE(found.size() == 2);
  CHECK(found[0].from_s == Approx(8.5));
  CHECK(found[0].to_s == Approx(8.54));
  CHECK(found[0].lowest_v == Approx(2.64));
  CHECK(found[0].recovers);
  CHECK_THAT(found[0].text, Catch::StartsWith("V dips from 3.30") && Catch::Contains("to 2.64") &&
                                Catch::Contains("for 40.0") && Catch::EndsWith("in Work"));
  CHECK_THAT(found[1].text, Catch::StartsWith("V gone for 3.00") && Catch::EndsWith("in Work"));
  study::TroubleSettings deep;
  deep.dip = 0.5;
  CHECK(of(made.find(deep), Trouble::Kind::dip).size() == 1);
}

TEST_CASE("what follows closely is one row, and what is far over the limit is not held by it") {
  Made made;
  made.rounds(1);
  for (int i = 0; i < 10; ++i) {
    made.stay(0.2, 20, 2.5);
    made.stay(30e-3, 80);
  }
  made.rounds(2);
  made.stay(0.5, 300);
  made.rounds(8);
  study::TroubleSettings limit;
  limit.limit = 0.2;
  const auto found = made.find(limit);
  const auto held = of(found, Trouble::Kind::limited), dips = of(found, Trouble::Kind::dip);
  REQUIRE(held.size() == 1);
  CHECK(held[0].times == 10);
  CHECK(held[0].length_s == Approx(0.2));
  CHECK(held[0].to_s == Approx(2.5 + 0.92));
  REQUIRE(dips.size() == 1);
  CHECK(dips[0].times == 10);
  CHECK(dips[0].lowest_v == Approx(2.5));
  CHECK_THAT(dips[0].text, Catch::Contains("10 times until"));
  CHECK_THAT(found.unknown.back(),
             Catch::StartsWith("for 300") && Catch::Contains("it was not in force then"));
  CHECK(of(found, Trouble::Kind::reset_loop).empty());
}

TEST_CASE("a voltage that is low for long is no supply with dips") {
  Made made;
  for (int i = 0; i < 10; ++i) {
    made.stay(3e-6, 600, 3.3);
    made.stay(10e-3, 400, 1.0);
  }
  const auto found = made.find();
  CHECK(of(found, Trouble::Kind::dip).empty());
  CHECK_THAT(found.unknown.back(), Catch::Contains("no supply in which dips stand out"));
}

TEST_CASE("starts that nobody wanted: a restart, and a loop of them") {
  Made made;
  made.events.push_back({EventKind::output_on, 0.0, 0.001, "output on"});
  made.say("boot satchel 1.0", 0.01);
  made.rounds(4);
  made.say("boot satchel 1.0 (brown-out)");
  made.rounds(12);
  const double from = made.now();
  for (int i = 0; i < 6; ++i) {
    made.say("boot satchel 1.0 (brown-out)");
    made.stay(10e-3, 300);
  }
  made.rounds(4);
  const auto found = made.find();
  const auto restarts = of(found, Trouble::Kind::restart),
             loops = of(found, Trouble::Kind::reset_loop);
  REQUIRE(restarts.size() == 1);
  CHECK(restarts[0].from_s == Approx(10.0));
  CHECK_THAT(restarts[0].text, Catch::Contains("\"boot satchel\""));
  REQUIRE(loops.size() == 1);
  CHECK(loops[0].rounds == 6);
  CHECK(loops[0].from_s == Approx(from));
  CHECK(loops[0].period_s == Approx(0.3));
}

TEST_CASE("a device that somebody switches on again and again is in no loop") {
  Made made;
  for (int i = 0; i < 6; ++i) {
    made.events.push_back({EventKind::output_on, made.now(), made.now() + 0.001, "output on"});
    made.say("boot satchel 1.0", 0.02);
    made.rounds(1);
    made.events.push_back({EventKind::output_off, made.now() - 0.001, made.now(), "output off"});
    made.stay(0, 500, 0);
  }
  CHECK(made.find().all.empty());
}

TEST_CASE("a device that hangs at a level of no state, and what the recorder told of") {
  Made made;
  made.rounds(10);
  made.events.push_back({EventKind::samples_lost, 3.0, 3.2, "200 samples lost"});
  const double from = made.now();
  made.stay(150e-6, 20000);  // below what begins Work, above the Sleep's release: neither
  const book::SplitCapture capture = made.split();
  const auto all = study::troubles_of(made.in.book, capture);
  REQUIRE(of(all, Trouble::Kind::recorded).size() == 1);
  CHECK(of(all, Trouble::Kind::recorded)[0].text == "200 samples lost");
  const auto hangs = of(all, Trouble::Kind::hang);
  REQUIRE(hangs.size() == 1);
  CHECK(hangs[0].from_s == Approx(from).margin(0.01));
  CHECK(hangs[0].silent_s == Approx(20.01));
  CHECK_THAT(hangs[0].text,
             Catch::Contains("in Sleep at 150") && Catch::Contains("elsewhere 2.000"));
  const auto document = study::to_json(all);
  CHECK(document["found"].size() == all.all.size());
  CHECK(document["found"][1]["kind"] == "hang");
  CHECK(document["limit_a"].is_null());
  CHECK(document["dip_below_v"] == Approx(0.9 * 3.3));
}
