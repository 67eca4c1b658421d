// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/paper_scale.h"

#include "app/style/ticks.h"
#include "core/level_scale.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr double kWide = 30;     // strongest by weakest, from which decades are shown
constexpr double kAround = 1.6;  // times, left free above and below
constexpr double kDeep = 1e-4;   // of the strongest: where a scale through zero becomes straight
constexpr double kClose = 0.02;  // of the strongest: a straight scale shows no less
}  // namespace

double PaperScale::at(double value, const QRectF& box) const {
  double part = 0;
  switch (kind) {
    case Kind::straight:
      part = (value - from) / (to - from);
      break;
    case Kind::decades:
      part = std::log(std::max(value, from) / from) / std::log(to / from);
      break;
    case Kind::both_ways:
      part = (symlog(value, quiet) - from) / (to - from);
      break;
  }
  return box.bottom() - std::clamp(part, -0.5, 1.5) * box.height();
}

double PaperScale::value(double y, const QRectF& box) const {
  const double part = (box.bottom() - y) / box.height();
  switch (kind) {
    case Kind::decades:
      return from * std::pow(to / from, part);
    case Kind::both_ways:
      return from_symlog(from + part * (to - from), quiet);
    default:
      return from + part * (to - from);
  }
}

PaperScale paper_scale(const LiveHistory::Figures& f, bool current) {
  PaperScale out;
  const double strongest = std::max(std::fabs(f.min), std::fabs(f.max));
  const double weakest = std::min(std::fabs(f.min), std::fabs(f.max));
  if (current && f.min < 0 && strongest > kWide * weakest) {
    out.kind = PaperScale::Kind::both_ways;
    out.quiet = std::pow(10, std::floor(std::log10(std::max(strongest * kDeep, 1e-9))));
    out.from = symlog(std::min(f.min, -out.quiet), out.quiet) - 0.2;
    out.to = symlog(std::max(f.max, out.quiet), out.quiet) + 0.2;
  } else if (current && f.min > 0 && f.max > kWide * f.min) {
    out.kind = PaperScale::Kind::decades;
    out.from = f.min / kAround;
    out.to = f.max * kAround;
  } else {
    const double least = std::max(kClose * strongest, 1e-12);
    const double half = std::max((f.max - f.min) * 0.62, least);
    const double middle = (f.min + f.max) / 2;
    out.from = middle - half;
    out.to = middle + half;
    if (current && out.from < 0 && f.min >= 0) out.from = -0.04 * out.to;
  }
  return out;
}

}  // namespace kuvio::app
