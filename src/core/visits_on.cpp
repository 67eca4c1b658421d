// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/visits_on.h"

#include <algorithm>

namespace kuvio {
namespace {

/// Appends a piece of a state; the same state going on is one visit unless `apart`.
void add(Visits& out, const std::string& state, double from_s, double to_s, bool apart) {
  if (!(to_s > from_s)) return;
  if (!apart && !out.empty() && out.back().state == state && out.back().to_s == from_s) {
    out.back().to_s = to_s;
    return;
  }
  Visit piece;
  piece.state = state;
  piece.from_s = from_s;
  piece.to_s = to_s;
  out.push_back(std::move(piece));
}

/// What of the visits lies in one stretch of samples; Unassigned where none does.
void add_stretch(Visits& out, const Visits& visits, double from_s, double to_s) {
  double at = from_s;
  auto v = std::upper_bound(visits.begin(), visits.end(), from_s,
                            [](double t, const Visit& one) { return t < one.to_s; });
  for (; v != visits.end() && v->from_s < to_s; ++v) {
    add(out, kUnassigned, at, std::max(at, v->from_s), false);
    at = std::max(at, v->from_s);
    const double end = std::min(v->to_s, to_s);
    // Two stays that a hand parted stay two.
    const bool apart = v->from_s == at && v->state != kMissing;
    add(out, v->state == kMissing ? kUnassigned : v->state, at, end, apart);
    if (end > at) {
      out.back().narrow = v->narrow;
      out.back().continues = v->continues && v->from_s == at;
    }
    at = end;
  }
  add(out, kUnassigned, at, to_s, false);
}

}  // namespace

Visits visits_on(const Trace& other, const Visits& visits) {
  Visits out;
  const TimeBase base = other.time_base();
  double end = other.from_s();
  for (const Block& block : other.blocks()) {
    const double start = base.seconds(block.start);
    add(out, kMissing, end, start, false);
    end = base.seconds(block.end);
    add_stretch(out, visits, start, end);
  }
  add(out, kMissing, end, other.to_s(), false);
  for (std::size_t i = 0; i < out.size(); ++i) {
    Visit& v = out[i];
    v.whole = v.state != kMissing && v.state != kOff && is_whole(out, i);
    if (!v.whole) continue;
    // What was cut on the first channel is not whole on this one either.
    const auto first = std::upper_bound(visits.begin(), visits.end(), v.from_s,
                                        [](double t, const Visit& one) { return t < one.to_s; });
    v.whole =
        first != visits.end() && first->whole && first->from_s == v.from_s && first->to_s == v.to_s;
  }
  return out;
}

}  // namespace kuvio
