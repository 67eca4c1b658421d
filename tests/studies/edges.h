// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <cstddef>
#include <cstdint>

namespace kuvio::test {

/// Visits of one level between stays of another, sampled at random phases.
struct EdgesCase {
  SampleKind kind = SampleKind::averaged;
  double low = 3e-6, high = 60e-3;  ///< A
  double threshold = 0.5;           ///< share of the step
  int samples = 60;                 ///< of a visit, give or take a random half sample
  double noise = 0.01;              ///< of each level (0.01 is 40 dB)
  std::size_t visits = 1000;
  bool uneven = false;  ///< each sample's time off by up to 0.4 of the spacing
  std::uint64_t seed = 1;
};

/// How far the split's figures are from what was put in.
struct EdgesResult {
  std::size_t found = 0;         ///< visits of the high level that were found, of those made
  double length_mean_error = 0;  ///< samples
  double length_sd = 0;          ///< samples, of a visit (two edges)
  double edge_sd = 0;            ///< samples, of a single edge
  double quiet_mean_error = 0;   ///< of the low level, relative
  double charge_worst = 0;       ///< of a high visit, relative
  double charge_mean_error = 0;  ///< relative
  double level_mean_error = 0;   ///< of the high level, relative
  double low_peak = 0;           ///< largest peak of a quiet visit (A)
  double high_least = 0;         ///< smallest least of a high visit (A)
  double closure = 0;            ///< |sum of charges - trace's own| / integral of |I|
  double edge_u_ratio = 0;       ///< mean stated u(t)^2 over the edges' true variance, rooted
};

EdgesResult study_edges(const EdgesCase& c);

}  // namespace kuvio::test
