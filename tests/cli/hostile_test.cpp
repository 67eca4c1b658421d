// SPDX-License-Identifier: GPL-3.0-or-later
// Instruments, meters and digitisers that misbehave: every capture ends in time, keeps what came,
// and says what did not.

#include "book/book.h"
#include "book/channel_trace.h"
#include "core/measure.h"

#include "process.h"
#include "support.h"

#include <catch2/catch.hpp>

#include <chrono>
#include <csignal>
#include <thread>

using namespace kuvio;
using test::cli;

namespace {

const std::string kAttack = std::string(KUVIO_SOURCE) + "/tests/attack/";
const std::string kAnalyser = std::string(KUVIO_SOURCE) + "/profiles/generic-analyser.profile.toml";

/// A misbehaving partner, and captures of it.
struct Hostile {
  test::Folder folder;
  std::string path = folder / "b.kuvio";
  test::Process process;
  std::string uri;
  double took_s = 0;

  Hostile(const std::string& script, const std::string& way, const std::string& value = "0")
      : process("python3", {kAttack + script, way, value}),
        uri((script == "instrument.py" ? "scpi+tcp://127.0.0.1:"
             : script == "lines.py"    ? "lines+tcp://127.0.0.1:"
                                       : "stream+tcp://127.0.0.1:") +
            process.line()) {}

  std::vector<std::string> call(const std::string& seconds,
                                std::vector<std::string> more = {}) const {
    std::vector<std::string> out{"capture", path, "--input", uri, "--json"};
    if (!seconds.empty()) out.insert(out.end(), {"--seconds", seconds});
    if (uri.rfind("scpi", 0) == 0) out.insert(out.end(), {"--profile", kAnalyser});
    out.insert(out.end(), more.begin(), more.end());
    return out;
  }
  test::Ran capture(const std::string& seconds, std::vector<std::string> more = {}) {
    const auto began = std::chrono::steady_clock::now();
    auto ran = cli(call(seconds, std::move(more)));
    took_s = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    return ran;
  }
  SpanFigures figures(const std::string& channel = "I") const {
    const auto book = book::Book::open(path, book::Book::Mode::read);
    const auto info = book.captures().at(0);
    return measure(book::ChannelTrace(book, *info.channel(channel)));
  }
  bool whole() const { return cli({"verify", path}).status == 0; }
};

}  // namespace

TEST_CASE("over range and lost samples at a capture's end are missing, and bound its figures") {
  Hostile meter("instrument.py", "over_range_at_the_end", "1.5");
  REQUIRE(meter.capture("3").status == 0);
  const auto f = meter.figures();
  CHECK(f.duration_s() == Approx(3));
  CHECK(f.missing_s == Approx(1.5));
  CHECK(f.over_range == 1500);
  const auto span = cli({"span", meter.path, "1", "--json"}).json();
  CHECK(span["lower_bound"] == true);
  CHECK(span["missing_s"].get<double>() == Approx(1.5));
  const std::string budget =
      meter.folder.write("b.budget.toml",
                         "kuvio = \"budget/1\"\nname = \"n\"\n[[limit]]\nwhole = "
                         "true\nmean_current = { max = \"2 mA\" }\n");
  CHECK(cli({"check", meter.path, "--capture", "1", "--budget", budget}).status != 0);
}

TEST_CASE("not-a-number and samples lost over the end are missing time") {
  Hostile nan("instrument.py", "nan_at_the_end", "2");
  REQUIRE(nan.capture("3").status == 0);
  CHECK(nan.figures().duration_s() == Approx(3));
  CHECK(nan.figures().missing_s == Approx(1));
  CHECK(nan.figures().charge == Approx(2e-3));
  Hostile stream("stream.py", "lost_over_the_end", "2");
  const auto ran = stream.capture("3");
  CHECK(ran.status == 0);
  CHECK_THAT(ran.err, Catch::Contains("samples lost"));
  CHECK(stream.figures().duration_s() == Approx(3).margin(0.05));
  // Its samples go from 2 s on, counted from when it was connected: a slow start takes more of
  // them.
  const SpanFigures lost = stream.figures();
  CHECK(lost.missing_s > 0.95);
  CHECK(lost.missing_s < 1.5);
  CHECK(lost.charge == Approx(*lost.mean() * (lost.duration_s() - lost.missing_s)));
  CHECK(*lost.mean() == Approx(1e-3));
  Hostile far("instrument.py", "jump", "5000");
  far.capture("3");
  CHECK(far.figures().duration_s() == Approx(3));
  CHECK(far.figures().missing_s == Approx(2).margin(0.3));
}

TEST_CASE("a capture ends when its time is up, whatever its input delivers") {
  for (const auto& [way, value] : {std::pair{"stand_still", "700"},
                                   {"stand_still", "0"},
                                   {"oldest_after_end", "0"},
                                   {"empty_blocks", "0"}}) {
    INFO(way << " " << value);
    Hostile meter("instrument.py", way, value);
    const auto ran = meter.capture("3");
    CHECK(ran.status == 69);
    CHECK(meter.took_s < 14);
    CHECK_THAT(ran.err, Catch::Contains("the time was up") && Catch::Contains("of 3.000"));
    if (std::string(value) == "700" || std::string(way) == "empty_blocks") {
      CHECK(meter.figures().duration_s() == Approx(3));
      CHECK(meter.figures().missing_s > 1.5);
      CHECK(meter.figures().charge == Approx(1e-3 * (3 - meter.figures().missing_s)));
    }
    CHECK(meter.whole());
  }
  Hostile lines("lines.py", "text_later");
  const auto ran = lines.capture("2.5");
  CHECK(ran.status == 69);
  CHECK(lines.took_s < 14);
  CHECK(lines.figures().missing_s > 1);
}

TEST_CASE("an interval that cannot be is refused, one that is not so is told") {
  for (const char* told : {"1E-30", "5E9", "9.9E37", "9.91E37", "1E30", "0", "-1", "nan"}) {
    INFO(told);
    Hostile meter("instrument.py", "interval", told);
    const auto ran = meter.capture("2");
    CHECK(ran.status != 0);
    CHECK_THAT(ran.err, Catch::Contains("SENS:SWE:TINT?"));
    // The book still serves.
    CHECK(cli({"list", meter.path}).status != 65);
  }
  Hostile slow("instrument.py", "interval", "0.3");
  CHECK_THAT(slow.capture("60").err, Catch::Contains("not as far apart as it says"));
  Hostile honest("instrument.py", "honest");
  CHECK_THAT(honest.capture("3").err, !Catch::Contains("not as far apart"));
}

TEST_CASE("a line nobody asked for answers nothing") {
  Hostile meter("instrument.py", "unasked");
  const auto ran = meter.capture("3", {"--channel", "I", "--channel", "V"});
  CHECK_THAT(ran.err, Catch::Contains("nobody asked for"));
  const auto current = meter.figures("I"), voltage = meter.figures("V");
  CHECK(*current.mean() == Approx(1e-3));
  CHECK(current.max == Approx(1e-3));
  CHECK(*voltage.mean() == Approx(3.6));
  CHECK(voltage.min == Approx(3.6));
}

TEST_CASE("a stop is heeded within a second, and the output goes off with it") {
  for (const char* way : {"honest", "drip_later", "silent_later", "drip"}) {
    INFO(way);
    Hostile meter("instrument.py", way);
    test::Process recorder("kuvio-cli", meter.call("", {"--power-on", "--power-off"}));
    const bool connects = std::string(way) != "drip";
    if (connects) CHECK(meter.process.line().rfind("OUTP ON", 0) == 0);
    std::this_thread::sleep_for(std::chrono::milliseconds(1500));
    const auto asked = std::chrono::system_clock::now();
    recorder.signal(SIGINT);
    recorder.wait();
    const double took =
        std::chrono::duration<double>(std::chrono::system_clock::now() - asked).count();
    CHECK(took < 8);  // with the end of the process, which a sanitizer makes long
    if (!connects) continue;
    const std::string off = meter.process.line();
    CHECK(off.rfind("OUTP OFF", 0) == 0);
    const double at = std::stod(off.substr(9));
    CHECK(at - std::chrono::duration<double>(asked.time_since_epoch()).count() < 1.5);
  }
}

TEST_CASE("an instrument that drips its answers is one that stopped answering") {
  // Whichever question meets it: any that comes first, or the one for a block of samples.
  for (const char* way : {"drip_later", "drip_block"}) {
    INFO(way);
    Hostile meter("instrument.py", way);
    const auto ran = meter.capture("20");
    CHECK(ran.status == 69);
    CHECK(meter.took_s < 12);
    CHECK_THAT(ran.err, Catch::Contains("stopped answering"));
    CHECK(*meter.figures().mean() == Approx(1e-3));
  }
}

TEST_CASE("a count that begins again goes on where this computer's clock says") {
  Hostile meter("instrument.py", "count_again");
  const auto ran = meter.capture("3");
  CHECK_THAT(ran.err, Catch::Contains("began again"));
  const auto f = meter.figures();
  CHECK(f.duration_s() == Approx(3));
  CHECK(f.missing_s > 0);
  CHECK(f.missing_s < 0.3);
  CHECK(f.charge == Approx(1e-3 * (3 - f.missing_s)));
}

TEST_CASE("a garbled stamp is no reading, and a true gap or a clock that began again is") {
  for (const char* way : {"garbled_stamp", "stamp_back", "lost_newline"}) {
    INFO(way);
    Hostile lines("lines.py", way);
    const auto ran = lines.capture("3");
    CHECK(ran.status == 0);
    CHECK_THAT(ran.err, Catch::Contains("not a reading"));
    const auto f = lines.figures();
    CHECK(f.duration_s() == Approx(3).margin(0.03));
    CHECK(f.charge == Approx(3e-3).epsilon(0.02));
    CHECK(f.missing_s < 0.05);
  }
  Hostile gap("lines.py", "gap");
  gap.capture("7");
  CHECK(gap.figures().missing_s == Approx(5).margin(0.05));
  CHECK(gap.figures().charge == Approx(2e-3).epsilon(0.03));
  // One that only slows down loses no reading.
  Hostile slows("lines.py", "slows");
  slows.capture("20");
  {
    const auto book = book::Book::open(slows.path, book::Book::Mode::read);
    CHECK(book.captures().at(0).channels[0].samples >= 160);  // 100, and 63 of 300 ms
    CHECK(book.log(1).empty());
  }
  Hostile again("lines.py", "clock_again");
  const auto ran = again.capture("3");
  CHECK_THAT(ran.err, Catch::Contains("time went backwards"));
  CHECK(again.figures().charge == Approx(3e-3).epsilon(0.03));
}

TEST_CASE("a header that comes again with other units is heeded, with other columns it ends it") {
  Hostile units("lines.py", "other_unit");
  const auto ran = units.capture("2");
  CHECK(ran.status == 0);
  CHECK_THAT(ran.err, Catch::Contains("other units"));
  CHECK(units.figures().charge == Approx(2e-3).epsilon(0.03));
  CHECK(units.figures().max == Approx(1e-3));
  Hostile columns("lines.py", "other_columns");
  const auto ended = columns.capture("3");
  CHECK(ended.status != 0);
  CHECK_THAT(ended.err, Catch::Contains("the lines changed"));
  CHECK(columns.figures().max == Approx(1e-3));
}

TEST_CASE("a wrong bit in a frame's length costs that frame alone") {
  Hostile stream("stream.py", "long_length");
  const auto ran = stream.capture("4");
  CHECK(ran.status == 0);
  const auto f = stream.figures();
  CHECK(f.duration_s() == Approx(4).margin(0.03));
  CHECK(f.missing_s == Approx(0.02));
  CHECK(f.charge == Approx(1e-3 * (f.duration_s() - f.missing_s)));
  Hostile junk("stream.py", "junk");
  CHECK(junk.capture("2").status == 0);
  CHECK(junk.figures().missing_s == 0);
}

TEST_CASE("a recorder that was stopped for a while finds what came meanwhile") {
  for (const char* script : {"stream.py", "lines.py"}) {
    INFO(script);
    Hostile sender(script, "honest");
    test::Process recorder("kuvio-cli", sender.call("9"));
    std::this_thread::sleep_for(std::chrono::milliseconds(1500));
    recorder.signal(SIGSTOP);
    std::this_thread::sleep_for(
        std::chrono::milliseconds(std::string(script) == "lines.py" ? 11000 : 6500));
    recorder.signal(SIGCONT);
    CHECK(recorder.wait() == 0);
    CHECK(sender.figures().duration_s() == Approx(9).margin(0.05));
    CHECK(sender.figures().missing_s < 0.05);
    CHECK(sender.figures().charge == Approx(9e-3).epsilon(0.01));
  }
}

TEST_CASE("a length that lies between two ticks of an input's clock is reached") {
  for (const char* script : {"lines.py", "stream.py", "instrument.py"}) {
    INFO(script);
    Hostile honest(script, "honest");
    REQUIRE(honest.capture("1.00012345678901").status == 0);  // 69 once its grace is over
    CHECK(honest.figures().duration_s() == Approx(1).margin(0.011));
  }
}
