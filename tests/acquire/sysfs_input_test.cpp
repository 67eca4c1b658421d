// SPDX-License-Identifier: GPL-3.0-or-later
// Sensors of the kernel, in trees made as its documentation describes them.

#include "acquire/sysfs_input.h"

#include "core/error.h"
#include "core/special_value.h"

#include "support.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <thread>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

struct Tree {
  test::Folder folder;
  void put(const std::string& name, const std::string& text) const {
    std::ofstream(folder / name) << text;
  }
  std::string uri(const std::string& options = "") const {
    return "sysfs:" + (folder / "").substr(0, (folder / "").size() - 1) + options;
  }
  /// What it reads over about 0.3 s, by column.
  std::vector<std::vector<double>> read(SysfsInput& input) const {
    std::vector<std::vector<double>> out(input.channels().size());
    input.start();
    for (int i = 0; i < 60 && out.front().size() < 10; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
      while (const auto packet = input.ring().pop()) {
        for (std::size_t c = 0; c < out.size(); ++c)
          out[c].insert(out[c].end(), packet->columns[c].begin(), packet->columns[c].end());
      }
    }
    input.stop();
    return out;
  }
};

}  // namespace

TEST_CASE("hwmon: milliamperes and millivolts, by their labels") {
  Tree t;
  t.put("name", "railwatch\n");
  t.put("curr1_input", "250\n");
  t.put("curr1_label", "main rail\n");
  t.put("in1_input", "3300\n");
  t.put("temp1_input", "41000\n");
  SysfsInput input(parse_endpoint(t.uri("?rate=50")), {});
  CHECK(input.identity().find("railwatch") != std::string::npos);
  REQUIRE(input.channels().size() == 2);
  CHECK(input.interval_s() == 0);  // each reading has a time of its own
  const auto values = t.read(input);
  REQUIRE(values[0].size() >= 5);
  for (std::size_t c = 0; c < 2; ++c) {
    const bool current = input.channels()[c].quantity == Quantity::current;
    CHECK(input.channels()[c].unit == (current ? "A" : "V"));
    CHECK(values[c].front() == Approx(current ? 0.25 : 3.3));
  }
}

TEST_CASE("iio: raw counts with offset and scale") {
  Tree t;
  t.put("name", "adc\n");
  t.put("in_current0_raw", "1500\n");
  t.put("in_current0_scale", "0.02\n");   // mA a count
  t.put("in_current0_offset", "-500\n");  // counts
  SysfsInput input(parse_endpoint(t.uri("?rate=50")), {});
  REQUIRE(input.channels().size() == 1);
  CHECK(t.read(input)[0].front() == Approx((1500 - 500) * 0.02e-3));
}

TEST_CASE("a sensor that tells no number reads as none and is told once") {
  Tree t;
  t.put("curr1_input", "250\n");
  t.put("curr2_input", "junk\n");
  SysfsInput input(parse_endpoint(t.uri("?rate=100")), {});
  const auto values = t.read(input);
  REQUIRE(values[1].size() >= 5);
  for (const double v : values[0]) CHECK(v == Approx(0.25));
  for (const double v : values[1]) CHECK(v == kNotANumber);
  const auto notes = input.take_notes();
  REQUIRE(notes.size() == 1);
  CHECK_THAT(notes[0], Catch::Contains("curr2"));
}

TEST_CASE("a sensor that goes away ends the input, with its name") {
  Tree t;
  t.put("curr1_input", "250\n");
  SysfsInput input(parse_endpoint(t.uri("?rate=100")), {});
  input.start();
  std::filesystem::remove(t.folder / "curr1_input");
  for (int i = 0; i < 500 && !input.ended(); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  REQUIRE(input.ended());
  CHECK_THAT(input.failure().value_or(""),
             Catch::Contains("curr1") && Catch::Contains("no longer"));
}

TEST_CASE("a folder without a sensor is told, with where it was looked") {
  Tree t;
  t.put("temp1_input", "41000\n");
  try {
    SysfsInput input(parse_endpoint(t.uri()), {});
    FAIL("it was taken");
  } catch (const Error& e) {
    CHECK_THAT(e.what(), Catch::Contains("no sensors") && Catch::Contains("currN_input"));
  }
  CHECK_THROWS_AS(SysfsInput(parse_endpoint("sysfs:/nowhere/at/all"), {}), Error);
}
