// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/paper_scale.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace kuvio::app;

namespace {
const QRectF kBox(10, 20, 300, 200);
}

TEST_CASE("every value that is shown has its place within the paper, and the place its value") {
  for (const auto& [min, max] :
       {std::pair{3e-6, 0.1}, std::pair{-40e-9, 0.12}, std::pair{-0.1, 2e-9},
        std::pair{-5e-3, 4e-3}, std::pair{1e-3, 1.01e-3}, std::pair{0.0, 0.0}, std::pair{0.0, 1.0},
        std::pair{-1.0, -1.0}, std::pair{-2e-6, -2e-2}, std::pair{1e9, 1e9},
        std::pair{1e-15, 1.0}}) {
    const double low = std::min(min, max), high = std::max(min, max);
    const PaperScale s = paper_scale({low, (low + high) / 2, high}, true);
    INFO(low << " to " << high);
    for (const double v : {low, high, (low + high) / 2}) {
      const double y = s.at(v, kBox);
      CHECK(std::isfinite(y));
      CHECK(y >= kBox.top() - 1e-9);
      CHECK(y <= kBox.bottom() + 1e-9);
      CHECK(s.value(y, kBox) == Approx(v).epsilon(1e-6).margin(1e-12));
    }
    CHECK(s.at(high, kBox) <= s.at(low, kBox));
  }
}

TEST_CASE("decades where it spans them, through zero where it changes sign, else straight") {
  using Kind = PaperScale::Kind;
  CHECK(paper_scale({3e-6, 1e-3, 0.1}, true).kind == Kind::decades);
  CHECK(paper_scale({-40e-9, 1e-3, 0.1}, true).kind == Kind::both_ways);
  CHECK(paper_scale({-5e-3, 0, 4e-3}, true).kind == Kind::straight);
  CHECK(paper_scale({1e-3, 1.5e-3, 2e-3}, true).kind == Kind::straight);
  CHECK(paper_scale({0.1, 2, 3.6}, false).kind == Kind::straight);  // a voltage always
  // One per mille of noise does not fill the paper.
  const PaperScale quiet = paper_scale({3.599, 3.6, 3.601}, false);
  CHECK(quiet.to - quiet.from > 0.1);
}
