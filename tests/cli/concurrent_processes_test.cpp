// SPDX-License-Identifier: GPL-3.0-or-later
// Several processes on one book; line-up and export from the command line.

#include "book/capture_writer.h"
#include "book/notes.h"
#include "cli/captured.h"

#include <catch2/catch.hpp>

#include <fstream>

using namespace kuvio;
using test::Bench;
using test::Captured;
using test::cli;

TEST_CASE("one process records while others read, export and verify the same book") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  Bench bench(
      {"--stream", "tcp", "--stream-rate", "50000", "--stream-channels", "2", "--speed", "1"});
  test::Process recorder("kuvio-cli", {"capture", path, "--input", test::uri(bench, "stream"),
                                       "--seconds", "6", "--json"});
  std::string name;
  int read = 0;
  std::int64_t last = 0;
  double last_to = 0;
  while (true) {
    const auto listed = cli({"list", path, "--json"});
    if (listed.status != 0) continue;  // not made yet
    const auto info = nlohmann::json::parse(listed.out)["captures"];
    if (info.empty() || info[0]["channels"][0]["samples"].get<std::int64_t>() < 1000) continue;
    name = info[0]["channels"][0]["name"];
    const auto span = cli({"span", path, "1", "--channel", name, "--json"});
    REQUIRE(span.status == 0);
    const auto s = nlohmann::json::parse(span.out);
    CHECK(s["samples"].get<std::int64_t>() >= last);
    last = s["samples"].get<std::int64_t>();
    last_to = s["to_s"].get<double>();
    CHECK(cli({"verify", path}).status == 0);
    CHECK(cli({"export", path, "1", "--out", folder / "x.csv", "--from", "0", "--to", "0.2"})
              .status == 0);
    // A second writer waits its turn and breaks nothing: a note, beside what is recorded.
    if (read == 1) {
      book::Book book = book::Book::open(path, book::Book::Mode::write);
      book::put(book, {{1, "trial", "noted meanwhile"}});
    }
    ++read;
    if (last_to > 4) break;
  }
  CHECK(recorder.wait() == 0);
  CHECK(read >= 2);  // before and after the second writer
  const Captured c(path);
  CHECK(c.channel(name).samples == 300'000);
  CHECK(c.channel(name).gaps == 0);
  CHECK(c.events(EventKind::samples_lost).empty());
  CHECK(c.book.note(1, "trial") == "noted meanwhile");
  CHECK(cli({"verify", path}).status == 0);
}

TEST_CASE("captures are lined up by offset, log line and what both show, and it is kept") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    std::mt19937_64 random(5);
    std::vector<double> story;
    while (story.size() < 90'000) {
      const double level = std::pow(10, -5.0 + static_cast<double>(random() % 300) / 100);
      story.insert(story.end(), 200 + random() % 3000, level);
    }
    for (const std::size_t shift : {0U, 7250U}) {
      book::ChannelInfo channel;
      channel.name = "I";
      channel.time_base = {1, 1000};
      book::CaptureWriter w(book, {"c" + std::to_string(shift), "1", {}, false}, {channel});
      w.append(0, 0, 1, std::span(story).subspan(shift, 60'000));
      w.log({20 - static_cast<double>(shift) / 1000, false, "boot ok"});
      w.finish("made", false);
    }
  }
  const auto document = [](const test::Ran& ran) { return nlohmann::json::parse(ran.out); };
  const auto found = cli({"line-up", path, "c0", "c7250", "--json"});
  REQUIRE(found.status == 0);
  CHECK(document(found)["offset_s"].get<double>() == Approx(7.25).margin(1e-3));
  CHECK(document(found)["confidence"].get<double>() > 0.3);
  const auto line = cli({"line-up", path, "c0", "c7250", "--log", "^BOOT", "--keep", "--json"});
  REQUIRE(line.status == 0);
  CHECK(document(line)["offset_s"].get<double>() == Approx(7.25).margin(1e-9));
  const book::Book book = book::Book::open(path, book::Book::Mode::read);
  CHECK(book::lined_up(book, 2).offset_s == Approx(7.25).margin(1e-9));
  CHECK_THAT(book::lined_up(book, 2).how, Catch::Contains("BOOT"));
  CHECK(cli({"line-up", path, "c0", "c7250", "--log", "reset"}).status == 2);
  CHECK(cli({"line-up", path, "c0", "c7250", "--log", "("}).status == 64);
  CHECK(cli({"line-up", path, "c0", "c7250", "--offset", "1", "--log", "x"}).status == 64);
  CHECK(cli({"line-up", path, "c0", "c7250", "--entry", "Rest"}).status == 65);  // not split
  CHECK(cli({"line-up", path, "c0", "c0"}).status == 64);
}

TEST_CASE("an export that cannot be written says so and leaves what was there") {
  const test::Folder folder;
  const std::string path = folder / "b.kuvio";
  {
    book::Book book = book::Book::open(path, book::Book::Mode::create);
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 48'000};
    book::CaptureWriter w(book, {"c", "1", {}, false}, {channel});
    w.append(0, 0, 1, std::vector<double>{1e-3, 2.5e-3, -1e-9});
    w.finish("made", false);
  }
  const std::string out = folder / "out.csv";
  REQUIRE(cli({"export", path, "c", "--out", out}).status == 0);
  std::ifstream in(out);
  const std::string text{std::istreambuf_iterator<char>(in), {}};
  CHECK(text.substr(text.find("time_s")) ==
        "time_s,I_A\n# block: every 1/48000 s\n0.000000000000,0.001\n0.000020833333,0.0025\n"
        "0.000041666667,-1e-09\n");
  CHECK(cli({"export", path, "c", "--out", folder / "no/where.csv"}).status == 73);
  CHECK(cli({"export", path, "c", "--out", out, "--format", "xls"}).status == 64);
  CHECK(cli({"export", path, "c", "--out", out, "--format", "json"}).status == 65);  // not split
  CHECK(cli({"export", path, "c", "--out", out, "--from", "2", "--to", "1"}).status == 64);
  std::ifstream again(out);
  CHECK(std::string{std::istreambuf_iterator<char>(again), {}} == text);
  CHECK(folder.files().size() <= 4);  // nothing half-done stays
}
