// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/palette.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <string>

using namespace kuvio::formats;

namespace {

/// Relative luminance and contrast of two colours (WCAG 2.1).
double luminance(const std::string& hex) {
  double out = 0;
  const double weight[] = {0.2126, 0.7152, 0.0722};
  for (std::size_t i = 0; i < 3; ++i) {
    const double c =
        static_cast<double>(std::strtol(hex.substr(1 + 2 * i, 2).c_str(), nullptr, 16)) / 255;
    out += weight[i] * (c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4));
  }
  return out;
}
double contrast(const std::string& a, const std::string& b) {
  const double x = luminance(a), y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

/// CIE L*a*b* of a linear RGB colour under D65.
std::array<double, 3> lab(const std::array<double, 3>& rgb) {
  const auto f = [](double v) { return v > 0.008856 ? std::cbrt(v) : 7.787 * v + 16.0 / 116; };
  const auto [r, g, b] = rgb;
  const double x = f((0.4124 * r + 0.3576 * g + 0.1805 * b) / 0.95047),
               y = f(0.2126 * r + 0.7152 * g + 0.0722 * b),
               z = f((0.0193 * r + 0.1192 * g + 0.9505 * b) / 1.08883);
  return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

/// How two colours differ (CIE76) for sight and for the three blindnesses: the matrices of Machado,
/// Oliveira and Fernandes 2009 at full severity, in linear RGB. The least of the four.
double least_difference(const std::string& a, const std::string& b) {
  using Matrix = std::array<std::array<double, 3>, 3>;
  const Matrix sights[] = {{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}},
                           {{{0.367322, 0.860646, -0.227968},
                             {0.280085, 0.672501, 0.047413},
                             {-0.011820, 0.042940, 0.968881}}},
                           {{{0.152286, 1.052583, -0.204868},
                             {0.114503, 0.786281, 0.099216},
                             {-0.003882, -0.048116, 1.051998}}},
                           {{{1.255528, -0.076749, -0.178779},
                             {-0.078411, 0.930809, 0.147602},
                             {0.004733, 0.691367, 0.303900}}}};
  const auto seen = [](const Matrix& m, const std::string& hex) {
    std::array<double, 3> linear{}, out{};
    for (std::size_t i = 0; i < 3; ++i) {
      const double c =
          static_cast<double>(std::strtol(hex.substr(1 + 2 * i, 2).c_str(), nullptr, 16)) / 255;
      linear[i] = c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
    }
    for (std::size_t i = 0; i < 3; ++i) {
      for (std::size_t j = 0; j < 3; ++j) out[i] += m[i][j] * linear[j];
      out[i] = std::clamp(out[i], 0.0, 1.0);
    }
    return lab(out);
  };
  double least = 1e9;
  for (const Matrix& m : sights) {
    const auto x = seen(m, a), y = seen(m, b);
    least = std::min(least, std::hypot(x[0] - y[0], x[1] - y[1], x[2] - y[2]));
  }
  return least;
}

}  // namespace

TEST_CASE("fills can be told apart by everybody, at night as by day") {
  for (const Palette* p : {&kPaper, &kNight}) {
    for (std::size_t i = 0; i < p->fills.size(); ++i) {
      for (std::size_t j = 0; j < i; ++j) {
        INFO(p->fills[i] << " and " << p->fills[j]);
        CHECK(least_difference(p->fills[i], p->fills[j]) > 8);
      }
    }
  }
  // At night the others shine; the longest state's is hardly more than its ground.
  for (std::size_t i = 1; i < kNight.fills.size(); ++i)
    CHECK(luminance(kNight.fills[i]) > 3 * luminance(kNight.fills[0]));
  CHECK(contrast(kNight.fills[0], kNight.ground) > 1.7);
}

TEST_CASE("the longest state has the first fill, the others go by their recipe") {
  const auto fills = assign_fills({"Wake", "Sense", "Off", "Hibernate"}, "Hibernate");
  CHECK(fills.at("Hibernate") == 0);
  CHECK(fills.at("Wake") == 1);
  CHECK(fills.at("Sense") == 2);
  CHECK(fills.count("Off") == 0);  // it has a look of its own
  CHECK(assign_fills({}, "").empty());
}

TEST_CASE("more states than fills begin again, and none is left without") {
  std::vector<std::string> many;
  for (int i = 0; i < 40; ++i) many.push_back("S" + std::to_string(i));
  const auto fills = assign_fills(many, "S7");
  CHECK(fills.size() == 40);
  for (const auto& [state, fill] : fills) CHECK(fill < kPaper.fills.size());
}

TEST_CASE("text can be read on every ground and fill, by day and by night") {
  for (const Palette* p : {&kPaper, &kNight}) {
    CHECK(contrast(p->text, p->ground) > 7);
    CHECK(contrast(p->muted, p->ground) > 4.5);
    CHECK(contrast(p->accent, p->ground) > 4.5);
    for (const char* ink : p->inks) CHECK(contrast(ink, p->ground) > 3);
    for (const char* fill : p->fills)
      CHECK(std::max(contrast(p->text, fill), contrast(p->ground, fill)) > 4.5);
  }
}
