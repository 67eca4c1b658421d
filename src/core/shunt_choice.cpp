// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shunt_choice.h"

#include "core/number_text.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <stdexcept>

namespace kuvio {
namespace {

/// IEC 60063, in tenths of the decade's base.
constexpr std::array kE24{10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30,
                          33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91};

double largest_below(double ohm) {
  const int decade = static_cast<int>(std::floor(std::log10(ohm)));
  double best = 0;
  for (const int d : {decade - 1, decade}) {
    for (const int tenths : kE24) {
      const double value = tenths * std::pow(10.0, d - 1);
      if (value <= ohm * (1 + 1e-9) && value > best) best = value;
    }
  }
  return best;
}

void require(bool sound, const char* why) {
  if (!sound) throw std::invalid_argument(why);
}

void require_sound(const ShuntTask& task) {
  require(task.peak_a > 0 && std::isfinite(task.peak_a), "a peak current greater than zero");
  require(task.range_v > 0 && std::isfinite(task.range_v), "a converter's range greater than zero");
  require(task.bits >= 2 && task.bits <= 32, "a converter has 2 to 32 bits");
  require(task.drop_v >= 0 && task.smallest_a >= 0 && task.decoupling_f >= 0,
          "nothing here is negative");
  require(task.smallest_a < task.peak_a, "the smallest current lies below the peak");
}

/// The resistance at which the peak reaches the nearer of both limits.
double most_ohm(const ShuntTask& task) {
  const double allowed_v = task.drop_v > 0 ? std::fmin(task.drop_v, task.range_v) : task.range_v;
  return allowed_v / task.peak_a;
}

}  // namespace

ShuntChoice judge_shunt(const ShuntTask& task, double ohm) {
  require_sound(task);
  require(ohm > 0 && std::isfinite(ohm), "a shunt of more than 0 Ohm");
  ShuntChoice out;
  out.ohm = ohm;
  out.by_drop = task.drop_v > 0 && task.drop_v < task.range_v;
  out.peak_v = ohm * task.peak_a;
  out.peak_w = ohm * task.peak_a * task.peak_a;
  out.full_scale_a = task.range_v / ohm;
  out.count_a = (task.both_ways ? 2 : 1) * task.range_v / std::pow(2.0, task.bits) / ohm;
  if (task.smallest_a > 0) {
    out.counts = task.smallest_a / out.count_a;
    out.resolved_u = out.count_a / std::sqrt(12.0) / task.smallest_a;
    if (*out.counts < kSureCounts)
      out.needed_bits =
          task.bits + static_cast<int>(std::ceil(std::log2(kSureCounts / *out.counts) - 1e-9));
  }
  if (task.decoupling_f > 0) out.time_constant_s = ohm * task.decoupling_f;
  return out;
}

ShuntChoice choose_shunt(const ShuntTask& task) {
  require_sound(task);
  return judge_shunt(task, largest_below(most_ohm(task)));
}

std::vector<std::string> in_words(const ShuntChoice& c, const ShuntTask& task) {
  std::vector<std::string> out;
  const bool beyond = c.ohm > most_ohm(task) * (1 + 1e-9);
  const char* limit = beyond      ? (c.peak_v > task.range_v * (1 + 1e-9)
                                         ? "that is beyond the range: the peak would be clipped"
                                         : "that is more than the device bears")
                      : c.by_drop ? "the allowed drop limits it"
                                  : "the range limits it";
  out.push_back(fmt::format("{}: {} at the peak, {} of heat; {}", with_prefix(c.ohm, "Ohm", 3),
                            with_prefix(c.peak_v, "V", 3), with_prefix(c.peak_w, "W", 3), limit));
  out.push_back(fmt::format("full scale is {}, one count is {}",
                            with_prefix(c.full_scale_a, "A", 3), with_prefix(c.count_a, "A", 3)));
  if (c.counts)
    out.push_back(fmt::format(
        "{} is {:.3g} counts{}", with_prefix(task.smallest_a, "A", 3), *c.counts,
        !c.needed_bits ? ""
        : *c.counts < 1
            ? fmt::format(": it cannot be seen; {} bits would show it, or a "
                          "second range with a larger shunt",
                          *c.needed_bits)
            : fmt::format(": ten need {} bits, averaging, or a second range", *c.needed_bits)));
  if (c.time_constant_s)
    out.push_back(fmt::format(
        "with {} behind it edges and peaks are smeared over {}; charge is not",
        with_prefix(task.decoupling_f, "F", 3), with_prefix(*c.time_constant_s, "s", 3)));
  return out;
}

}  // namespace kuvio
