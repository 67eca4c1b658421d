// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/lifetime.h"

#include <cmath>
#include <limits>

namespace kuvio {

double self_discharge_rate(double share, double period_s) { return -std::log1p(-share) / period_s; }

std::optional<double> life(const Battery& battery, double mean_a, double once_c) {
  const double end = battery.capacity_c - battery.usable_c();
  const double start = battery.capacity_c - once_c;
  if (start <= end) return 0.0;
  const double k = battery.self_discharge_hz;
  if (k <= 0) {
    if (mean_a <= 0) return std::nullopt;
    return (start - end) / mean_a;
  }
  const double drain_at_end = end * k + mean_a;  // the slowest drain on the way
  if (drain_at_end <= 0) return std::nullopt;
  // ln((start + I/k)/(end + I/k)) with the ratio taken as 1 + (start-end) k / (end k + I)
  return std::log1p((start - end) * k / drain_at_end) / k;
}

std::optional<double> needed_capacity(const Battery& battery, double mean_a, double wanted_s,
                                      double once_c) {
  const double used = (1 - battery.reserve) * (1 - battery.margin);
  const double k = battery.self_discharge_hz;
  if (k <= 0) return used > 0 ? std::optional((mean_a * wanted_s + once_c) / used) : std::nullopt;
  const double growth = std::expm1(k * wanted_s);
  const double factor = 1 - (1 - used) * (1 + growth);
  if (factor <= 0) return std::nullopt;
  return (mean_a / k * growth + once_c) / factor;
}

LifeInterval life_interval(const FieldMean& mean, const Battery& battery, double harvest_a) {
  const auto at = [&](double current) {
    return kuvio::life(battery, current - harvest_a, mean.once_charge);
  };
  LifeInterval out;
  out.life = at(mean.mean);
  const CurrentInterval current = mean.interval();
  out.low = at(current.high);
  out.high = at(current.low);
  out.unlimited = !out.life || !out.high;
  if (mean.by_chance) {
    out.has_chance = true;
    out.chance_low = at(mean.by_chance->high);
    out.chance_high = at(mean.by_chance->low);
  }
  out.bounds = mean.bounds.mirrored();
  out.open = mean.open();
  out.coverage_factor = mean.mean_u.coverage_factor;
  return out;
}

Verdict judge_life(const LifeInterval& life, double wanted_s, Counts counts) {
  constexpr double kEver = std::numeric_limits<double>::infinity();
  const bool chance = counts == Counts::chance && life.has_chance;
  const double low = (chance ? life.chance_low : life.low).value_or(kEver);
  const double high = (chance ? life.chance_high : life.high).value_or(kEver);
  const Verdict verdict = judge_lower(low, high, wanted_s, life.bounds);
  return verdict == Verdict::within && life.open ? Verdict::too_close : verdict;
}

}  // namespace kuvio
