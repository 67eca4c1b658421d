// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/scpi.h"

#include "acquire/scripted_link.h"
#include "core/error.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using namespace kuvio::acquire;

using Format = LogProfile::Format;

namespace {

Scpi conversation(std::vector<std::string> pieces) {
  return {std::make_unique<test::ScriptedLink>(std::move(pieces)), "test"};
}

}  // namespace

TEST_CASE("answers that come in pieces are put together") {
  auto scpi = conversation({"+3.6", "00000E+00\r", "\n", "0,\"No error\"\n"});
  CHECK(scpi.query_number("VOLT?") == Approx(3.6));
  CHECK(scpi.errors().empty());
}

TEST_CASE("a block is read whole, a garbled one refused") {
  const float values[] = {1.5F, -2.0F};
  const std::string data(reinterpret_cast<const char*>(values), 8);
  auto scpi = conversation({"#", "18" + data.substr(0, 3), data.substr(3), "\n"});
  CHECK(scpi.query_values("FETC?", Format::float32_little) == std::vector<double>{1.5, -2.0});
  for (const std::string& wrong :
       {std::string("12345\n"), std::string("#0abc\n"), std::string("#19999999999\n"),
        std::string("#17abcdefg\n"), std::string("#1x")}) {
    auto garbled = conversation({wrong});
    CHECK_THROWS_AS(garbled.query_values("FETC?", Format::float32_little), Error);
  }
}

TEST_CASE("an instrument that stops answering is an error, not a hang") {
  auto scpi = conversation({"half an ans"});
  CHECK_THROWS_WITH(scpi.query("*IDN?"),
                    Catch::Contains("stopped answering") && Catch::Contains("*IDN?"));
}
