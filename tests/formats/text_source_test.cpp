// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_source.h"

#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <sys/stat.h>

#include <thread>
#include <vector>

using namespace kuvio;
using formats::TextLines;
using formats::TextSource;

namespace {

std::vector<std::string> lines_of(const std::string& at, bool* torn = nullptr) {
  TextLines lines("log", at);
  std::vector<std::string> out;
  for (std::string_view line; lines.next(line);) out.emplace_back(line);
  if (torn) *torn = lines.torn();
  return out;
}

}  // namespace

TEST_CASE("lines end as systems end them, and the last may have no end") {
  const test::Folder folder;
  bool torn = false;
  CHECK(lines_of(folder.write("a", "one\ntwo\r\n\nfour"), &torn) ==
        std::vector<std::string>{"one", "two", "", "four"});
  CHECK(torn);
  CHECK(lines_of(folder.write("b", "one\n"), &torn) == std::vector<std::string>{"one"});
  CHECK_FALSE(torn);
  CHECK(lines_of(folder.write("c", "")).empty());
}

TEST_CASE("a line may lie across whatever is read at a time") {
  const test::Folder folder;
  std::string text;
  std::vector<std::string> wanted;
  for (int i = 0; i < 40'000; ++i) {
    wanted.push_back(std::string(static_cast<std::size_t>(i * 7919 % 97), 'x') + std::to_string(i));
    text += wanted.back() + "\n";
  }
  CHECK(lines_of(folder.write("long", text)) == wanted);
}

TEST_CASE("what is no text is refused with its line") {
  const test::Folder folder;
  CHECK_THROWS_WITH(lines_of(folder.write("bin", std::string("ok\nno\0t\n", 8))),
                    Catch::Contains("log:2: "));
  CHECK_THROWS_AS(TextSource(folder / "none", {}), Error);
}

TEST_CASE("a pipe is kept and can be read twice") {
  const test::Folder folder;
  const std::string pipe = folder / "pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  std::jthread writer([&] { std::ofstream(pipe) << "one\ntwo\n"; });
  const TextSource source(pipe, {});
  CHECK(source.path() == pipe);
  CHECK(source.at() != pipe);
  for (int i = 0; i < 2; ++i)
    CHECK(lines_of(source.at()) == std::vector<std::string>{"one", "two"});
}
