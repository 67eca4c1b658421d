// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/number_text.h"

#include <catch2/catch.hpp>

using namespace kuvio;

TEST_CASE("digits are cut to what the uncertainty supports") {
  CHECK(with_uncertainty(0.1921, 260e3, "A") == "192\u2009mA\u2009(±\u2009260\u2009kA)");
  CHECK(with_uncertainty(9.3712e-3, 0.0213e-3, "A") == "9.371\u2009±\u20090.021\u2009mA");
  CHECK(with_uncertainty(9.3712e-3, 0.0123e-3, "A") == "9.371\u2009±\u20090.012\u2009mA");
  CHECK(with_uncertainty(46.345e-6, 7.2e-6, "A") == "46.3\u2009±\u20097.2\u2009µA");
  CHECK(with_uncertainty(180e-3, 147e-3, "C") == "180\u2009±\u2009150\u2009mC");
  CHECK(with_uncertainty(20e-9, 40e-9, "A") == "20\u2009±\u200940\u2009nA");
  CHECK(with_uncertainty(3.14159, 0, "A") == "3.142\u2009A");
  CHECK(with_uncertainty(3.0, 0.0349, "A") == "3.000\u2009±\u20090.035\u2009A");  // never 0.03
  CHECK(with_uncertainty(1.0, 0.0996, "A") == "1.00\u2009±\u20090.10\u2009A");
  CHECK(with_uncertainty(500, 996, "A") == "0.5\u2009±\u20091.0\u2009kA");
  // The rounding of numbers is no uncertainty.
  CHECK(with_uncertainty(25.503000000000018e-3, 1.7e-20, "C") == "25.50300\u2009mC");
}

TEST_CASE("numbers carry SI prefixes and stay below a thousand") {
  CHECK(with_prefix(0.00312, "A") == "3.12\u2009mA");
  CHECK(with_prefix(999.96e-6, "A", 3) == "1.00\u2009mA");
  CHECK(with_prefix(0, "C") == "0\u2009C");
  CHECK(with_prefix(-1.7e-21, "C") == "0\u2009C");  // what is left of rounding
  CHECK(with_uncertainty(-1.7e-21, 1e-24, "C") == "0\u2009C");
  CHECK(with_prefix(1.7e-16, "C") == "0.170\u2009fC");
  CHECK(with_prefix(-35e-6, "A", 2) == "\u221235\u2009µA");
  CHECK(with_prefix(107e-9, "A", 2) == "110\u2009nA");  // no digits but those asked for
  CHECK(signed_prefix(35e-6, "A", 2) == "+35\u2009µA");
  CHECK(percent(0.37) == "37\u2009%");
  CHECK(percent(0.0003) == "< 0.1\u2009%");
  CHECK(percent(-0.377) == "\u221238\u2009%");
}

TEST_CASE("lengths of time are told in people's units") {
  CHECK(duration(1.204) == "1.204\u2009s");
  CHECK(duration(3600) == "1\u2009h");
  CHECK(duration(59.9994) == "59.999\u2009s");
  CHECK(duration(59.9996) == "1\u2009min");
  CHECK(duration(119.96) == "2\u2009min");
  CHECK(duration(7200) == "2\u2009h");
  CHECK(duration(600.04) == "10\u2009min");
  CHECK(duration(600.06) == "10\u2009min 00.1\u2009s");
  CHECK(duration(3599.96) == "1\u2009h");
  CHECK(duration(0.99996) == "1.00\u2009s");
  CHECK(duration(7199.6) == "2\u2009h");
  CHECK(life_time(2.8 * 365.25 * 86400) == "2.80\u2009years");
  CHECK(life_time(-145 * 86400.0) == "\u2212145\u2009days");
}

TEST_CASE("an interval has one prefix and the digits that it supports") {
  CHECK(with_interval(34.9e-6, 34.78e-6, 35.02e-6, "A") == "+34.90 (+34.78 … +35.02)\u2009µA");
  CHECK(with_interval(-3.6e-6, -18e-6, 11e-6, "A") == "\u22124 (\u221218 … +11)\u2009µA");
  CHECK(with_interval(0, -400e-9, 500e-9, "A") == "0 (\u2212400 … +500)\u2009nA");
}

TEST_CASE("charge is told in any of its units, energies only with a voltage") {
  CHECK(charge_text(3.6, ChargeUnit::ampere_hour, 0, 3) == "1.00\u2009mAh");
  CHECK(charge_text(1, ChargeUnit::joule, 3.6, 3) == "3.60\u2009J");
  CHECK(charge_text(3600, ChargeUnit::watt_hour, 3.6, 3) == "3.60\u2009Wh");
  CHECK(charge_text(1, ChargeUnit::joule, 0, 3) == "–");
  CHECK(charge_with_uncertainty(0.105, 0.0006, ChargeUnit::coulomb, 0) ==
        with_uncertainty(0.105, 0.0006, "C"));
}

TEST_CASE("seconds have no prefix above them, however many they are") {
  CHECK(with_prefix(3511.7, "s", 5) == "3511.7\u2009s");
  CHECK(with_prefix(1498.67, "s", 6) == "1498.67\u2009s");
  CHECK(with_prefix(999.9996, "s", 6) == "1000.00\u2009s");
  CHECK(with_prefix(86400, "s", 3) == "86400\u2009s");
  CHECK(with_prefix(2.5e-3, "s", 2) == "2.5\u2009ms");
  CHECK(with_prefix(3511.7, "A", 5) == "3.5117\u2009kA");
}
