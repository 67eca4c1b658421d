// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/serial_speed.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <stdlib.h>
#include <unistd.h>

using namespace kuvio;

TEST_CASE("a terminal takes any rate, what is none says so") {
  const int line = ::posix_openpt(O_RDWR | O_NOCTTY);
  REQUIRE(line >= 0);
  for (const unsigned baud : {9600U, 250'000U, 1'234'567U})
    CHECK(acquire::set_any_baud(line, baud));
  ::close(line);
  const int file = ::open("/dev/null", O_RDWR);
  CHECK_FALSE(acquire::set_any_baud(file, 9600));
  ::close(file);
  CHECK_FALSE(acquire::set_any_baud(-1, 9600));
}
