// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/palette.h"

#include <catch2/catch.hpp>

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

}  // namespace

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
    for (const char* fill : p->fills) CHECK(contrast(p->text, fill) > 4.5);
  }
}
