// SPDX-License-Identifier: GPL-3.0-or-later
// What every simulated device rests on: stretches of current, and a line to it.

#include "sim/device.h"
#include "sim/pty.h"

#include <catch2/catch.hpp>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cmath>
#include <numbers>
#include <string>

using namespace kuvio::sim;

namespace {

/// Three stretches, made by hand.
class Steady : public Device {
public:
  std::string name() const override { return "steady"; }
  void set_voltage(double, int, double) override {}
  void power(double, int, bool) override {}
  void set_limit(double, int, double) override {}
  void command(double, const std::string&) override {}
  void advance(double) override {}
  const std::vector<Stretch>& stretches(int) const override { return all_; }
  void cut(double) override {}
  unsigned lines(double) const override { return 0; }

private:
  std::vector<Stretch> all_{
      {"Off", 0, 1, 0, 0, 0}, {"Sleep", 1, 3, 3e-6, 0, 0}, {"Work", 3, 4, 10e-3, 4e-3, 50}};
};

/// The integral by many small steps, from the current's definition.
double by_steps(const Stretch& s, double a, double b) {
  constexpr int kSteps = 200'000;
  double q = 0;
  for (int i = 0; i < kSteps; ++i) {
    const double t = a + (b - a) * (i + 0.5) / kSteps;
    q += s.level_a + s.ripple_a * std::sin(2 * std::numbers::pi * s.ripple_hz * (t - s.from_s));
  }
  return q * (b - a) / kSteps;
}

}  // namespace

TEST_CASE("a stretch's charge is the integral of its current, ripple and all") {
  const Stretch s{"Work", 3, 4, 10e-3, 4e-3, 50};
  CHECK(s.charge(3, 4) == Approx(10e-3));  // whole periods: the ripple adds nothing
  for (const auto& [a, b] : {std::pair{3.0, 3.005}, std::pair{3.013, 3.4}, std::pair{3.9, 4.0}})
    CHECK(s.charge(a, b) == Approx(by_steps(s, a, b)).epsilon(1e-9));
  CHECK(s.charge(3.2, 3.2) == 0);
}

TEST_CASE(
    "a mean over several stretches is their charge over the time, whatever was asked before") {
  const Steady device;
  std::size_t cursor = 0;
  CHECK(mean_current(device, 0, 0, 1, cursor) == 0);
  CHECK(mean_current(device, 0, 0.5, 1.5, cursor) == Approx(1.5e-6));
  CHECK(mean_current(device, 0, 2, 4, cursor) == Approx((3e-6 + 10e-3) / 2));
  CHECK(mean_current(device, 0, 0, 4, cursor) == Approx((6e-6 + 10e-3) / 4));  // back again
  CHECK(mean_current(device, 0, 3.5, 5, cursor) ==
        Approx(device.stretches(0)[2].charge(3.5, 4) / 1.5));
  CHECK(state_at(device, 0, 0) == "Off");
  CHECK(state_at(device, 0, 1) == "Sleep");  // an edge belongs to what begins there
  CHECK(state_at(device, 0, 3.999) == "Work");
  CHECK(state_at(device, 0, 4).empty());
}

TEST_CASE("a pseudo-terminal passes every byte as it is, and outlives who hangs up") {
  const Pty pty;
  struct stat there {};
  REQUIRE(::stat(pty.path.c_str(), &there) == 0);
  CHECK(S_ISCHR(there.st_mode));
  std::string all;
  for (int i = 0; i < 256; ++i) all.push_back(static_cast<char>(i));
  for (int round = 0; round < 2; ++round) {
    const int end = ::open(pty.path.c_str(), O_RDWR | O_NOCTTY);
    REQUIRE(end >= 0);
    REQUIRE(::write(end, all.data(), all.size()) == static_cast<ssize_t>(all.size()));
    std::string came;
    std::array<char, 512> buffer{};
    for (int i = 0; i < 100 && came.size() < all.size(); ++i) {
      const ssize_t n = ::read(pty.master, buffer.data(), buffer.size());
      if (n > 0) came.append(buffer.data(), static_cast<std::size_t>(n));
      if (n <= 0) ::usleep(5000);
    }
    CHECK(came == all);
    ::close(end);  // and opened again: the master saw no hang-up
  }
}
