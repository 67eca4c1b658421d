// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/state_split.h"
#include "core/trace.h"

#include <functional>
#include <optional>
#include <string>

namespace kuvio {

/// How much of the shorter trace must lie over the longer.
inline constexpr double kLeastOverlap = 0.3;

/// Where one capture lies on the time axis of another.
struct LineUp {
  double offset_s = 0;  ///< to be added to its times
  double confidence =
      0;  ///< 0 to 1: the correlation where both overlap, less what another offset gives
  double correlation = 0, next_best = 0;
  std::string why_not;  ///< why it is not offered; empty: it is

  bool found() const { return why_not.empty(); }
};

/// The offset at which two traces agree best.
///
/// Both are averaged over a common grid, laid on a logarithmic scale above their own quiet level
/// (so that gain and noise matter little), and correlated at every offset at which at least
/// `overlap` of the shorter lies over the longer, with mean and spread of just what overlaps
/// (Pearson's r by FFT). The best is refined down to the samples around the places where most
/// happens. Refused when the correlation is low, or hardly better than at another offset.
/// `going_on` returning false ends it, refused.
LineUp line_up(const Trace& reference, const Trace& other, double overlap = kLeastOverlap,
               const std::function<bool()>& going_on = {});

/// The offset that lays the n-th entry (from 1) into a state of one over that of the other; an
/// entry is where a visit begins that neither the capture's start nor a gap cuts. Nothing when one
/// of them has fewer.
std::optional<double> line_up_entries(const Visits& reference, const Visits& other,
                                      const std::string& state, int n);

}  // namespace kuvio
