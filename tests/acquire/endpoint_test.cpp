// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/endpoint.h"

#include "core/error.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::acquire;

TEST_CASE("addresses of inputs are read or refused with the reason") {
  const Endpoint e = parse_endpoint("scpi+tcp://127.0.0.1:5025");
  CHECK(e.host == "127.0.0.1");
  CHECK(e.port == 5025);
  const Endpoint log = parse_endpoint("log+serial:/dev/pts/3?baud=9600&stamped=uptime");
  CHECK(log.path == "/dev/pts/3");
  CHECK(log.options.at("baud") == "9600");
  for (const char* wrong :
       {"nonsense", "scpi+tcp:127.0.0.1", "scpi+tcp://host", "scpi+tcp://host:0",
        "scpi+tcp://host:99999", "scpi+tcp://:5", "log+serial:relative", "usbtmc:usbtmc0",
        "lines:", "sysfs:hwmon0", "stream+tcp:/x", "lines:/tmp/x?baud=9600",
        "lines:/tmp/x?columns=%4", "log+serial:/dev/x?speed=1"}) {
    INFO(wrong);
    CHECK_THROWS_AS(parse_endpoint(wrong), Error);
  }
}
