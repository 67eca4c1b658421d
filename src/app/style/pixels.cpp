// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/pixels.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

double& scale() {
  static double in_force = 1;
  return in_force;
}

constexpr double kRoomy = 900;  // px, with text as designed

int& screen_width() {
  static int in_force = 1280;
  return in_force;
}

}  // namespace

double text_scale() { return scale(); }

void set_text_scale(double wanted) {
  scale() = std::isfinite(wanted) ? std::clamp(wanted, 1.0, 2.0) : 1;
}

void set_screen_width(int pixels) { screen_width() = pixels; }

bool is_cramped() { return screen_width() / text_scale() < kRoomy; }

Px::operator int() const { return static_cast<int>(std::lround(designed * text_scale())); }

}  // namespace kuvio::app
