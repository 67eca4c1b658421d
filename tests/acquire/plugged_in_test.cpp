// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/plugged_in.h"

#include "acquire/endpoint.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <stdlib.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

using namespace kuvio;
using namespace kuvio::acquire;
namespace fs = std::filesystem;

namespace {

/// A tree as the kernel makes it, of empty files.
struct Tree {
  test::Folder folder;
  fs::path root = folder / "root";

  void file(const std::string& path, const std::string& text = "") {
    fs::create_directories((root / path).parent_path());
    std::ofstream(root / path) << text;
  }
  const PluggedIn* find(const std::vector<PluggedIn>& all, const std::string& name) {
    for (const PluggedIn& p : all) {
      if (p.name == name) return &p;
    }
    return nullptr;
  }
};

}  // namespace

TEST_CASE("nothing plugged in, or no such folders at all, is an empty list") {
  Tree t;
  CHECK(plugged_in(t.root).empty());
  fs::create_directories(t.root / "dev");
  t.file("dev/tty0");
  t.file("dev/null");
  CHECK(plugged_in(t.root).empty());
}

TEST_CASE("a serial port is listed once, by the name that stays, and others by their own") {
  Tree t;
  t.file("dev/ttyUSB0");
  t.file("dev/ttyACM3");
  fs::create_directories(t.root / "dev/serial/by-id");
  fs::create_symlink("../../ttyUSB0",
                     t.root / "dev/serial/by-id/usb-FTDI_TTL232R_AB01XYZ-if00-port0");
  // One whose device was pulled out is not there.
  fs::create_symlink("../../ttyUSB9", t.root / "dev/serial/by-id/usb-Gone_Thing-if00");
  const auto all = plugged_in(t.root);
  REQUIRE(all.size() == 2);
  const PluggedIn* named = t.find(all, "FTDI TTL232R AB01XYZ");
  REQUIRE(named);
  CHECK(named->kind == PluggedIn::Kind::serial);
  CHECK(fs::path(named->path).filename() == "usb-FTDI_TTL232R_AB01XYZ-if00-port0");
  CHECK(named->trouble.empty());
  REQUIRE(t.find(all, "ttyACM3"));
  // What its addresses open is that port, whatever it is said to be.
  for (const std::string& address :
       {address_as_instrument(*named), address_as_log(*named), address_as_readings(*named)})
    CHECK(parse_endpoint(address).path == named->path);
  CHECK(parse_endpoint(address_as_log(*named)).is_log());
  CHECK(parse_endpoint(address_as_instrument(*named)).is_instrument());
}

TEST_CASE("a USB instrument is named by what its descriptors say, kept printable") {
  Tree t;
  t.file("dev/usbtmc0");
  t.file("dev/usbtmc1");
  fs::create_directories(t.root / "sys/devices/usb1/1-1/1-1:1.0");
  t.file("sys/devices/usb1/1-1/manufacturer", "Acme\n");
  t.file("sys/devices/usb1/1-1/product", "Source 7\x1b[31m\n");
  t.file("sys/devices/usb1/1-1/serial", "0042\n");
  fs::create_directories(t.root / "sys/class/usbmisc/usbtmc0");
  fs::create_directory_symlink(t.root / "sys/devices/usb1/1-1/1-1:1.0",
                               t.root / "sys/class/usbmisc/usbtmc0/device");
  const auto all = plugged_in(t.root);
  REQUIRE(all.size() == 2);
  CHECK(all[0].name.rfind("Acme Source 7", 0) == 0);
  CHECK(all[0].name.find('\x1b') == std::string::npos);
  CHECK(all[0].name.find("0042") != std::string::npos);
  CHECK(all[1].name == "usbtmc1");  // says nothing of itself
  CHECK(address_as_instrument(all[0]) == "usbtmc:" + all[0].path);
  CHECK(address_as_log(all[0]).empty());
  CHECK(address_as_readings(all[0]).empty());
}

TEST_CASE("sensors are those that measure a current or a voltage") {
  Tree t;
  t.file("sys/class/hwmon/hwmon0/name", "cputemp\n");
  t.file("sys/class/hwmon/hwmon0/temp1_input", "40000\n");
  t.file("sys/class/hwmon/hwmon0/intrusion0_alarm", "0\n");
  t.file("sys/class/hwmon/hwmon1/name", "rail\n");
  t.file("sys/class/hwmon/hwmon1/curr1_input", "12\n");
  t.file("sys/class/hwmon/hwmon2/in0_input", "3300\n");  // has no name
  t.file("sys/bus/iio/devices/iio:device0/name", "adc\n");
  t.file("sys/bus/iio/devices/iio:device0/in_voltage3_raw", "1\n");
  t.file("sys/bus/iio/devices/iio:device1/in_accel_x_raw", "1\n");
  const auto all = plugged_in(t.root);
  REQUIRE(all.size() == 3);
  REQUIRE(t.find(all, "rail at hwmon1"));
  CHECK(t.find(all, "hwmon2"));
  CHECK(t.find(all, "adc at iio:device0"));
  const PluggedIn& rail = *t.find(all, "rail at hwmon1");
  CHECK(parse_endpoint(address_as_readings(rail)).path == rail.path);
  CHECK(address_as_instrument(rail).empty());
}

TEST_CASE("a port without rights says so, and nothing is opened to find out") {
  if (::geteuid() == 0) SUCCEED("root may open everything");
  Tree t;
  t.file("dev/ttyUSB0");
  fs::permissions(t.root / "dev/ttyUSB0", fs::perms::group_read | fs::perms::group_write);
  const auto all = plugged_in(t.root);
  REQUIRE(all.size() == 1);
  if (::geteuid() != 0) CHECK(all[0].trouble.rfind("no rights: the group ", 0) == 0);
  // A line with nobody at the other end would block an opener, or reset a board.
  const int master = ::posix_openpt(O_RDWR | O_NOCTTY);
  REQUIRE(master >= 0);
  REQUIRE((::grantpt(master) == 0 && ::unlockpt(master) == 0));
  fs::create_symlink(::ptsname(master), t.root / "dev/ttyACM0");
  CHECK(plugged_in(t.root).size() == 2);
  ::close(master);
}
