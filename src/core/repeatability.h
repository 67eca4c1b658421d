// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/uncertainty.h"

#include <cstddef>
#include <optional>
#include <span>
#include <string>

namespace kuvio {

/// A mean of repeated values, and how well they determine it.
struct Repeatability {
  double mean = 0;
  double sd = 0;                  ///< standard deviation of the single values
  double u = 0;                   ///< of the mean, widened where neighbours go together
  std::optional<double> freedom;  ///< nothing with fewer than two values
  std::size_t n = 0;
  std::size_t groups = 0;  ///< captures that the spread is taken between; 0: between the values

  /// As a component of the mean's uncertainty; nothing with fewer than two values.
  std::optional<Component> component(const std::string& name, double weight = 1) const;
};

/// Fewer values than this cannot show whether neighbours go together.
inline constexpr std::size_t kNeededForCorrelation = 20;

/// Mean of repeated values in the order in which they came, u = s/sqrt(n).
///
/// From four values on the correlation of neighbours, r, widens it without a test before: r is
/// corrected for its bias, r' = r + (1 + 4r)/n, r'' = r' + 5 r'(1 - r')/n (found by simulation of
/// first-order processes, docs/uncertainty.md; Marriott and Pope 1954 have (1 + 3r)/n), f = (1 +
/// r'')/(1 - r'') where positive, u^2 = s^2 (n - 1)/(n - f) f/n with n/f - 1 degrees of freedom.
Repeatability repeatability(std::span<const double> values);

/// Ratio of sums R = sum(y)/sum(x), as the mean current of visits with charges y and lengths x;
/// u by the delete-one jackknife (Quenouille 1956), with (sum x)^2 / sum x^2 - 1 degrees of freedom
/// so that a few long visits count as few, and widened as above. Terms with x = 0 are left out.
Repeatability ratio_of_sums(std::span<const double> y, std::span<const double> x);

/// The same ratio where the terms come from several captures. Three or more are what is repeated
/// then, each with all its terms: visits of one capture go together in ways that the visits alone
/// do not show, and the spread between captures (m - 1 degrees of freedom or fewer) is that of the
/// build. Terms of one or two captures are repeated as they came, and speak of those captures.
Repeatability ratio_over_captures(std::span<const double> y, std::span<const double> x,
                                  std::span<const std::size_t> captures);
/// How many captures make a spread between them.
inline constexpr std::size_t kCapturesOfBuild = 3;

}  // namespace kuvio
