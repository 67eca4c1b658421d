// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/limit_log.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;

namespace {

struct Watched {
  test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  std::vector<std::string> reports;

  /// Milliseconds of each level, in packets of 7, against a limit of 100 mA.
  std::vector<Event> watch(const std::vector<std::pair<double, int>>& levels) {
    std::vector<double> values;
    for (const auto& [level, ms] : levels)
      values.insert(values.end(), static_cast<std::size_t>(ms), level);
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 1000};
    book::CaptureWriter writer(book, {"c", "", {}, false}, {channel});
    writer.append(0, 0, 1, values);
    acquire::LimitLog log(0.1);
    log.report = [this](const std::string& text) { reports.push_back(text); };
    for (std::size_t at = 0; at < values.size(); at += 7)
      log.watch(static_cast<double>(at) * 1e-3, 1e-3,
                std::span(values).subspan(at, std::min<std::size_t>(7, values.size() - at)),
                writer);
    log.finish();
    writer.finish("made", false);
    return book.events(writer.id());
  }
};

}  // namespace

TEST_CASE("a current held at the limit is marked each time and reported once, then counted") {
  Watched w;
  const auto events = w.watch({{5e-3, 500}, {0.1, 100}, {5e-3, 900}, {0.1, 40}, {5e-3, 500}});
  REQUIRE(events.size() == 2);
  CHECK(events[0].kind == EventKind::current_limited);
  CHECK(events[0].earliest_s == Approx(0.5).margin(2e-3));
  CHECK(events[0].latest_s == Approx(0.6).margin(2e-3));
  CHECK(events[1].latest_s - events[1].earliest_s == Approx(0.04).margin(2e-3));
  REQUIRE(w.reports.size() == 2);
  CHECK_THAT(w.reports[0], Catch::Contains("reached its current limit at 500"));
  CHECK_THAT(w.reports[1], Catch::Contains("2 times"));
}

TEST_CASE("a current below the limit is nobody's business") {
  Watched w;
  CHECK(w.watch({{5e-3, 500}, {0.08, 300}, {5e-3, 300}}).empty());
  CHECK(w.reports.empty());
}

TEST_CASE("a device that restarts at the limit again and again is in a reset loop, said once") {
  Watched w;
  std::vector<std::pair<double, int>> levels;
  for (int i = 0; i < 12; ++i) levels.insert(levels.end(), {{0.1, 50}, {0, 150}});
  bool loop = false;
  for (const auto& e : w.watch(levels)) loop |= e.kind == EventKind::device_reset_loop;
  CHECK(loop);
  int said = 0;
  for (const auto& text : w.reports) said += text.find("Raise the limit") != std::string::npos;
  CHECK(said == 1);
}
