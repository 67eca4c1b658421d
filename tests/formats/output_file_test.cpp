// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/output_file.h"

#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <sstream>

using namespace kuvio;

TEST_CASE("a file is written whole or not at all") {
  const test::Folder folder;
  const std::string path = folder.write("out.txt", "before");
  formats::write_file(path, "after");
  std::ostringstream text;
  text << std::ifstream(path).rdbuf();
  CHECK(text.str() == "after");
  CHECK_THROWS_AS(formats::write_file(folder / "none/out.txt", "x"), Error);
  CHECK_THROWS_AS(formats::write_file(path + "/under-a-file", "x"), Error);
  CHECK(folder.files() == std::vector<std::string>{"out.txt"});
}

TEST_CASE("a half-written file has a name of its own, follows no link and is private") {
  namespace fs = std::filesystem;
  const test::Folder folder, elsewhere;
  const std::string victim = elsewhere.write("victim", "mine"), path = folder / "report.html";
  fs::create_symlink(victim, path + ".part");
  fs::create_symlink(victim, path + ".tmp");
  {
    formats::OutputFile one(path), two(path);  // two at once share nothing
    one.write("one");
    two.write("two and more");
    int seen = 0;
    for (const auto& entry : fs::directory_iterator(folder / "")) {
      if (fs::is_symlink(entry.symlink_status())) continue;
      ++seen;
      CHECK((fs::status(entry).permissions() & fs::perms::mask) ==
            (fs::perms::owner_read | fs::perms::owner_write));
    }
    CHECK(seen == 2);
    one.commit();
    two.commit();
  }
  std::ostringstream text, others;
  text << std::ifstream(path).rdbuf();
  CHECK(text.str() == "two and more");
  others << std::ifstream(victim).rdbuf();
  CHECK(others.str() == "mine");
  CHECK(folder.files().size() == 3);
}
