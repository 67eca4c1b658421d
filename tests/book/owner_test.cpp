// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/owner.h"

#include <catch2/catch.hpp>
#include <sys/wait.h>
#include <unistd.h>

using namespace kuvio;

TEST_CASE("whoever runs is alive; whoever ended, was never, or ran before the last boot is not") {
  const std::string me = book::own_identity();
  CHECK(book::is_alive(me));
  CHECK(book::own_identity() == me);
  int pipe[2];
  REQUIRE(::pipe(pipe) == 0);
  const pid_t child = ::fork();
  if (child == 0) {
    const std::string name = book::own_identity();
    (void)!::write(pipe[1], name.data(), name.size());
    ::_exit(0);
  }
  ::close(pipe[1]);
  char text[200];
  const ssize_t n = ::read(pipe[0], text, sizeof text);
  ::close(pipe[0]);
  REQUIRE(n > 0);
  const std::string other(text, static_cast<std::size_t>(n));
  CHECK(other != me);
  ::waitpid(child, nullptr, 0);
  CHECK_FALSE(book::is_alive(other));
  for (const char* nobody : {"", ":", "x", "0:0:0", "::::", "a:999999999999999999999:1"})
    CHECK_FALSE(book::is_alive(nobody));
  // Its number and beginning in another boot are another process's.
  CHECK_FALSE(book::is_alive("another-boot" + me.substr(me.find(':'))));
  // The number is another's by now: it began at another time.
  CHECK_FALSE(book::is_alive(me.substr(0, me.rfind(':')) + ":1"));
}
