// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/scpi_instrument.h"

#include "acquire/scripted_link.h"
#include "acquire/scripted_profile.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace kuvio;
using namespace kuvio::acquire;
using test::ScriptedInstrument;
using Ready = LogProfile::Ready;
using Strings = std::vector<std::string>;

namespace {

struct Bench {
  ScriptedInstrument scripted;
  Profile profile = test::scripted_profile();
  ScpiInstrument instrument{scripted.open(), "bench"};

  Bench() {
    scripted.answers("*IDN?", "ACME,SCRIPTED,1");
    instrument.identify({profile});
  }
  const OutputProfile& output(std::size_t i) const { return instrument.profile().outputs.at(i); }
};

Strings names(const std::vector<const OutputProfile*>& outputs) {
  Strings out;
  for (const OutputProfile* o : outputs) out.push_back(o->name);
  return out;
}

}  // namespace

TEST_CASE("an instrument is spoken to by the profile its identity asks for") {
  Bench b;
  CHECK(b.instrument.identity() == "ACME,SCRIPTED,1");
  CHECK(b.instrument.profile().name == "Scripted");
  CHECK(b.scripted.said().empty());
  b.instrument.begin();
  CHECK(b.scripted.said() == Strings{"*CLS"});

  ScriptedInstrument other;
  other.answers("*IDN?", "ACME,\x1b[2JOTHER");
  ScpiInstrument unknown(other.open(), "bench");
  unknown.identify({b.profile, test::scripted_profile(false)});
  CHECK(unknown.profile().name == shipped_profiles().front().name);
  CHECK(unknown.identity().find('\x1b') == std::string::npos);  // nothing of it reaches a terminal
}

TEST_CASE("a command without a name means the first output, and off means every one") {
  Bench b;
  const auto meant = [&](const SwitchCommand& what) { return names(b.instrument.meant_by(what)); };
  CHECK(meant(output_switched(true)) == Strings{"A"});
  CHECK(meant(output_switched(false)) == Strings{"A", "B", "aux"});
  CHECK(meant(output_switched(true, "B")) == Strings{"B"});
  CHECK(meant(output_switched(false, "aux")) == Strings{"aux"});
  CHECK(meant(output_switched(false, "C")).empty());
  CHECK(meant(parse_reset("output off for 1 s")) == Strings{"A"});  // the rest stays as it is
  CHECK(meant(parse_line_level("reset=low")).empty());

  CHECK_FALSE(b.instrument.send(output_switched(true, "C")));
  CHECK_FALSE(b.instrument.send(parse_line_level("wake=high")));
  CHECK(b.scripted.said().empty());
  CHECK(b.instrument.send(output_switched(true)));
  CHECK(b.instrument.send(output_switched(false)));
  CHECK(b.instrument.send(parse_line_level("reset=low")));
  CHECK(b.scripted.said() == Strings{"A CLEAR", "A ON", "A OFF", "B OFF", "AUX OFF", "RES LOW"});
}

TEST_CASE("what lets go of a reset is its opposite") {
  const SwitchCommand line = released(parse_reset("line reset low for 100 ms"));
  CHECK((line.of_line() && !line.is_reset() && line.on && line.for_s == 0));
  const SwitchCommand output = released(parse_reset("output aux off for 1 s"));
  CHECK((!output.of_line() && !output.is_reset() && output.on && output.name == "aux"));
}

TEST_CASE("a setting that is refused says so, by whom, and why") {
  Bench b;
  CHECK_FALSE(b.instrument.set(b.output(0).voltage, 3.6));
  CHECK(b.scripted.said() == Strings{"A:VOLT 3600"});  // in the instrument's own unit

  const auto beyond = b.instrument.set(b.output(0).voltage, 15.5);
  REQUIRE(beyond);
  CHECK(beyond->failure == Failure::usage);
  CHECK(beyond->why == "15.5 is outside what the profile \"Scripted\" allows (0 to 15)");
  CHECK(b.scripted.said().size() == 1);  // the instrument never saw it

  CHECK(b.instrument.set(b.output(1).voltage, 1)->failure == Failure::usage);
  CHECK(b.instrument.set_cut_off(b.output(1), true)->failure == Failure::usage);

  b.scripted.refuses("A:CURR", "-222,\"Data out of range\"");
  const auto refused = b.instrument.set(b.output(0).current_limit, 0.4);
  REQUIRE(refused);
  CHECK(refused->failure == Failure::unavailable);
  CHECK(refused->why == "-222,\"Data out of range\"");
  CHECK_FALSE(b.instrument.set_cut_off(b.output(0), false));  // the queue is empty again
  CHECK(b.scripted.said("A:PROT 0") == 1);
}

TEST_CASE("what a profile cannot ask is unknown, not off") {
  Bench b;
  b.scripted.answers("A?", "1");
  b.scripted.answers("A:STAT?", "2");
  b.scripted.answers("A:VOLT?", "3600");
  CHECK(b.instrument.is_on(b.output(0)) == true);
  CHECK_FALSE(b.instrument.is_on(b.output(1)).has_value());
  CHECK(b.instrument.is_limited(b.output(0)));
  CHECK_FALSE(b.instrument.has_tripped(b.output(0)));
  CHECK_FALSE(b.instrument.has_tripped(b.output(1)));
  CHECK(*b.instrument.get(b.output(0).voltage, Dimension::voltage) == Approx(3.6));
  CHECK_FALSE(b.instrument.get(b.output(1).voltage, Dimension::voltage));
  for (const char* status : {"-1", "4294967296", "NAN", "9.91E37"}) {
    b.scripted.answers("A:STAT?", status);
    CHECK_FALSE(b.instrument.is_limited(b.output(0)));
  }
}

TEST_CASE("a window of logged samples is read or refused with the reason") {
  const auto same = [](LogWindow w, std::int64_t oldest, std::int64_t end) {
    return w.oldest == oldest && w.end == end;
  };
  CHECK(same(parse_log_window("17,4000", Ready::window, 9), 17, 4000));
  CHECK(same(parse_log_window("+4.0E3", Ready::count, 9), 0, 4000));
  CHECK(same(parse_log_window("25", Ready::waiting, 9), 9, 34));
  const auto why = [](const char* answer, Ready means) -> std::string {
    try {
      parse_log_window(answer, means, 0);
    } catch (const std::invalid_argument& e) {
      return e.what();
    }
    return "taken";
  };
  CHECK(why("many", Ready::count) == "is not numeric");
  CHECK(why("17", Ready::window) == "expected two numbers, oldest and end");
  CHECK(why("17,18", Ready::count) == "should be one number");
  CHECK(why("", Ready::count) == "should be one number");
  for (const char* odd : {"-1", "1.5", "1e16", "nan", "inf"})
    CHECK(why(odd, Ready::count) == "is no count of samples");
}

TEST_CASE("logged samples are fetched in SI, never more than were asked for") {
  Bench b;
  const ChannelProfile& current = b.instrument.profile().channels.front();
  b.scripted.answers("GIVE?", "1.5,-2,9.9E37");
  const auto values = b.instrument.fetch(current, 10, 3);
  REQUIRE(values.size() == 3);
  CHECK(values[0] == Approx(1.5e-3));
  CHECK(values[1] == Approx(-2e-3));
  CHECK(values[2] == 9.9e37);  // over range in whatever unit
  CHECK_THROWS_WITH(b.instrument.fetch(current, 10, 2),
                    Catch::Contains("GIVE? 10,2") && Catch::Contains("3 samples"));
  b.scripted.answers("MEAS?", "250 uA");
  CHECK(b.instrument.read(current) == Approx(250e-6));
}

TEST_CASE("after a loss the same instrument goes on, another does not") {
  Bench b;
  b.scripted.hang_up();
  CHECK_THROWS_AS(b.instrument.errors(), Error);
  b.instrument.resume(b.scripted.open());
  CHECK(b.instrument.errors().empty());
  b.scripted.answers("*IDN?", "ACME,SCRIPTED,2");
  CHECK_THROWS_WITH(b.instrument.resume(b.scripted.open()),
                    Catch::Contains("another instrument answers"));
}

TEST_CASE("a wait for an answer ends with the request to stop, and with the time allowed") {
  Bench b;
  b.instrument.limit_patience(std::chrono::milliseconds(20));
  CHECK_THROWS_WITH(b.instrument.is_on(b.output(0)), Catch::Contains("within 0.02 s"));
  std::stop_source stop;
  b.instrument.set_stop(stop.get_token());
  stop.request_stop();
  CHECK_THROWS_WITH(b.instrument.is_on(b.output(0)), Catch::Contains("stopped"));
}
