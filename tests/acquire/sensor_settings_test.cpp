// SPDX-License-Identifier: GPL-3.0-or-later
// Settings of kernel sensors, in trees made as the kernel's documentation describes them.

#include "acquire/sensor_settings.h"

#include "acquire/endpoint.h"
#include "acquire/sysfs_file.h"
#include "acquire/sysfs_input.h"
#include "acquire/text_watch.h"
#include "core/error.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <sys/stat.h>

#include <algorithm>
#include <random>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

struct Tree {
  test::Folder folder;
  std::string path = (folder / "").substr(0, (folder / "").size() - 1);

  SensorSetting one(const std::string& file) const {
    for (const SensorSetting& s : sensor_settings(path))
      if (s.file == file) return s;
    FAIL(file);
    return {};
  }
};

}  // namespace

TEST_CASE("settings of a hwmon sensor come in seconds and ohms, whatever its files count in") {
  Tree t;
  t.folder.write("update_interval", "35\n");
  t.folder.write("shunt_resistor", "10000\n");
  t.folder.write("shunt2_resistor", "500\n");
  t.folder.write("curr1_input", "250\n");
  t.folder.write("name", "railwatch\n");
  REQUIRE(sensor_settings(t.path).size() == 3);
  CHECK(t.one("update_interval").value == Approx(0.035));
  CHECK(t.one("update_interval").unit == "s");
  CHECK(t.one("shunt_resistor").value == Approx(0.01));
  CHECK(t.one("shunt2_resistor").words == "shunt 2");
  CHECK(t.one("shunt2_resistor").value == Approx(500e-6));
  const auto now = set_sensor(t.path, t.one("update_interval"), 0.14);
  CHECK(now.value == Approx(0.14));
  CHECK(*text_of(t.path + "/update_interval") == "140");
}

TEST_CASE("settings of an iio device have the choices that its driver names") {
  Tree t;
  t.folder.write("in_current0_integration_time", "0.001100\n");
  t.folder.write("in_current0_integration_time_available", "0.008244 0.000140 0.001100\n");
  t.folder.write("sampling_frequency", "455");
  t.folder.write("in_oversampling_ratio", "4");
  t.folder.write("in_oversampling_ratio_available", "[1 1 1024]");
  t.folder.write("in_current0_shunt_resistor", "0.010000");
  t.folder.write("in_current0_raw", "17");
  t.folder.write("in_voltage1_integration_time", "nonsense");
  const auto time = t.one("in_current0_integration_time");
  CHECK(time.words == "integration time of current0");
  REQUIRE(time.choices.size() == 3);
  CHECK(time.choices[0] == Approx(140e-6));
  CHECK(time.choices[2] == Approx(8.244e-3));
  CHECK(t.one("in_oversampling_ratio").choices.empty());  // a range says no single ones
  CHECK(t.one("in_current0_shunt_resistor").value == Approx(0.01));
  CHECK(sensor_settings(t.path).size() == 4);  // what can't be read is left out
  CHECK(set_sensor(t.path, time, 140e-6).value == Approx(140e-6));
}

TEST_CASE("a capture knows how its sensor was set, since others are unlike it") {
  Tree t;
  t.folder.write("name", "railwatch\n");
  t.folder.write("curr1_input", "250\n");
  t.folder.write("update_interval", "35\n");
  t.folder.write("in_oversampling_ratio", "16");
  const SysfsInput input(parse_endpoint("sysfs:" + t.path), {});
  CHECK(input.conditions().at("update interval") == "0.035 s");
  CHECK(input.conditions().size() == 2);
}

TEST_CASE("what may not be written or is refused is told, and stays") {
  Tree t;
  t.folder.write("update_interval", "35\n");
  const auto setting = t.one("update_interval");
  CHECK_THROWS_AS(set_sensor(t.path, setting, std::nan("")), Error);
  SensorSetting other = setting;
  other.file = "../update_interval";  // never outside its folder, nor anything but a setting
  CHECK_THROWS_AS(set_sensor(t.path, other, 1), Error);
  other.file = "uevent";
  CHECK_THROWS_AS(set_sensor(t.path, other, 1), Error);
  CHECK(*text_of(t.path + "/update_interval") == "35");
  // A folder in the file's place: even root can't write it.
  std::filesystem::remove(t.path + "/update_interval");
  REQUIRE(::mkdir((t.path + "/update_interval").c_str(), 0700) == 0);
  try {
    set_sensor(t.path, setting, 1);
    FAIL("written");
  } catch (const Error& e) {
    CHECK(e.failure() == Failure::unavailable);
    CHECK_THAT(e.what(), Catch::Contains("as it was"));
  }
  CHECK(sensor_settings("/nowhere/at/all").empty());
}

TEST_CASE("an option of an address is set, replaced and taken away, the rest stays as written") {
  CHECK(with_option("log+serial:/dev/ttyUSB0", "baud", "9600") ==
        "log+serial:/dev/ttyUSB0?baud=9600");
  CHECK(with_option("log+serial:/dev/x?baud=9600&stamped=1", "baud", "115200") ==
        "log+serial:/dev/x?stamped=1&baud=115200");
  CHECK(with_option("log+serial:/dev/x?baud=9600", "baud", "") == "log+serial:/dev/x");
  CHECK(with_option("lines:/x?rate=5&columns=a", "rate", "") == "lines:/x?columns=a");
  const std::string columns = with_option("lines:/x", "columns", "t / s, I & Q %, 5?");
  CHECK(parse_endpoint(columns).option("columns") == "t / s, I & Q %, 5?");
}

TEST_CASE("what a wrong speed makes of text is no text; foreign letters and colours are") {
  TextWatch watch;
  watch.take("boot satchel 2.3.0");
  CHECK_FALSE(watch.no_text());
  std::mt19937 random(3);
  for (int i = 0; i < 20; ++i) {
    std::string noise(40, ' ');
    for (char& c : noise) c = static_cast<char>(random());
    watch.take(noise);
  }
  CHECK(watch.no_text());
  for (int i = 0; i < 100; ++i) watch.take("wake: timer, all is well again");
  CHECK_FALSE(watch.no_text());  // what was garbled once fades
  watch.clear();
  for (int i = 0; i < 20; ++i) watch.take("\x1b[32mÜbertragung läuft: 温度 23 °C\x1b[0m");
  CHECK_FALSE(watch.no_text());
  // A byte or two prove nothing.
  watch.clear();
  watch.take("\xff\xfe");
  CHECK_FALSE(watch.no_text());
  // What 115 200 baud makes of 9600: hardly a byte is a letter (simulated bit by bit).
  watch.clear();
  std::string seen;
  for (const char c : std::string("temperature 23.5 humidity 40\r\n")) {
    // Start bit, eight bits from the lowest, stop bit: each twelve bit times long.
    std::vector<bool> wire;
    const unsigned frame = (static_cast<unsigned char>(c) << 1) | 0x200;
    for (int bit = 0; bit < 10; ++bit) wire.insert(wire.end(), 12, (frame >> bit) & 1U);
    for (std::size_t at = 0; at + 10 <= wire.size();) {
      if (wire[at]) {
        ++at;
        continue;
      }
      unsigned byte = 0;
      for (int bit = 0; bit < 8; ++bit) byte |= static_cast<unsigned>(wire[at + 1 + bit]) << bit;
      seen += static_cast<char>(byte);
      at += 10;
    }
  }
  watch.take(seen);
  CHECK(watch.no_text());
}
