// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace kuvio {

/// Where a contribution to an uncertainty comes from, which decides how it is expanded.
enum class Origin {
  scatter,  ///< known from the spread of repeated values, with their degrees of freedom (type A)
  normal,   ///< stated as a standard or expanded uncertainty (type B, normal)
  bound,    ///< stated as a bound: uniform between its limits (type B, rectangular)
};

/// One contribution to an uncertainty budget (JCGM 100:2008, 4.2 and 4.3).
struct Component {
  std::string name;               ///< for people: "offset of the instrument", "spread of visits"
  double u = 0;                   ///< standard uncertainty, in the unit of the result
  std::optional<double> freedom;  ///< degrees of freedom of a scatter; nothing: infinitely many
  Origin origin = Origin::scatter;
};

/// Combined result with its 95 % interval.
struct Expanded {
  double U = 0;                   ///< half width of the interval
  double u = 0;                   ///< combined standard uncertainty
  double coverage_factor = 1.96;  ///< U / u
};

/// Expands independent components by their origin: U^2 = sum (t_nu u)^2 over what scatters + U_B^2.
///
/// U_B is the exact quantile of the largest bound's uniform distribution with all other stated
/// terms beside it as a normal one (JCGM 101:2008, 6.4.2, convolved in closed form): 1.645 u for a
/// bound alone, 1.96 u_B where none stands out. Welch-Satterthwaite on the whole (JCGM 100, G.4.1)
/// covers 88 % where two visits meet an accuracy term; this covers 95 % or more
/// (docs/uncertainty.md).
Expanded expand(std::span<const Component> components, double level = 0.95);

/// Two-sided probability that chance alone brings a value as far from zero: 1 - level of the
/// interval that just reaches zero. 1 for a value of 0; 0 for any other without components.
double chance_of(double value, std::span<const Component> components);

/// Every component times |by|.
std::vector<Component> scaled(std::vector<Component> components, double by);
/// Appends `more` to `components`.
void append(std::vector<Component>& components, const std::vector<Component>& more);

/// Student's t such that P(|T| <= t) = level; without freedom the normal distribution.
double student_t(std::optional<double> freedom, double level = 0.95);
/// P(|T| > t), two-sided.
double student_p(double t, std::optional<double> freedom);

}  // namespace kuvio
