// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/fan.h"

#include "core/compensated_sum.h"
#include "core/measure.h"

#include <algorithm>

namespace kuvio {

std::size_t visit_at(const std::vector<VisitFigures>& visits, double t) {
  const auto it = std::partition_point(visits.begin(), visits.end(),
                                       [&](const VisitFigures& v) { return v.visit.to_s <= t; });
  if (it == visits.end() || it->visit.from_s > t) return visits.size();
  return static_cast<std::size_t>(it - visits.begin());
}

std::size_t visit_spoken_of(const std::vector<VisitFigures>& visits, double t) {
  const std::size_t at = visit_at(visits, t);
  if (at + 1 >= visits.size()) return at;
  const Cell& cell = visits[at + 1].visit.begins;
  return !cell.empty() && t >= cell.from_s ? at + 1 : at;
}

Fan make_fan(const Trace& trace, const std::vector<VisitFigures>& visits, double from_s,
             double to_s) {
  Fan out;
  const double width = to_s - from_s;
  Sum charge;
  auto it = std::partition_point(visits.begin(), visits.end(),
                                 [&](const VisitFigures& v) { return v.visit.to_s <= from_s; });
  for (; it != visits.end() && it->visit.from_s < to_s; ++it) {
    const double a = std::max(from_s, it->visit.from_s), b = std::min(to_s, it->visit.to_s);
    const bool whole = a == it->visit.from_s && b == it->visit.to_s;
    const double q =
        whole || it->visit.state == kMissing ? it->charge : measure(trace, a, b).charge;
    FanBand band{static_cast<std::size_t>(it - visits.begin()), (a - from_s) / width,
                 (b - from_s) / width, charge.value(), 0};
    charge += std::max(0.0, q);
    band.charge_to = charge.value();
    out.bands.push_back(band);
  }
  out.charge = charge.value();
  for (FanBand& band : out.bands) {
    band.charge_from = out.charge > 0 ? band.charge_from / out.charge : band.time_from;
    band.charge_to = out.charge > 0 ? band.charge_to / out.charge : band.time_to;
  }
  return out;
}

}  // namespace kuvio
