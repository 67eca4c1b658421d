// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio {

/// An instrument's accuracy statement for one range: ± (gain * |reading| + offset).
struct Accuracy {
  double gain = 0;        ///< ratio (0.0008 for 0.08 %)
  double offset = 0;      ///< in the channel's unit (A)
  bool expanded = false;  ///< true: an expanded uncertainty at k = 2; false: a bound (rectangular)

  bool operator==(const Accuracy&) const = default;
};

/// Reads "0.08 % + 40 nA" (a bound) or "0.08 % + 40 nA (k=2)"; either term may be missing, and a
/// leading "+-" or "±" is allowed. Throws std::invalid_argument with what is wrong.
Accuracy parse_accuracy(std::string_view text);
std::string to_string(const Accuracy& accuracy);

/// One contribution to an uncertainty budget (JCGM 100:2008, 4.2 and 4.3).
struct Component {
  double u = 0;              ///< standard uncertainty, in the unit of the result
  double freedom = 0;        ///< degrees of freedom; 0 means infinitely many
  bool rectangular = false;  ///< comes from a bound
};

/// Combined result at 95 %.
struct Expanded {
  double U = 0;                ///< half width of the 95 % interval
  double u = 0;                ///< combined standard uncertainty
  double coverage_factor = 2;  ///< U / u
  double freedom = 0;          ///< effective degrees of freedom; 0 means infinitely many
};

/// Combines independent components in quadrature; effective degrees of freedom by
/// Welch-Satterthwaite (JCGM 100:2008, G.4.1), Student's t at `level`. When one rectangular
/// component outweighs the rest together (their quadrature is at most 0.3 of it) its own quantile,
/// sqrt(3) * level, is used instead (EA-4/02, S9.14) with the rest added in quadrature.
Expanded combine(std::span<const Component> components, double level = 0.95);

/// Components of an accuracy statement at a reading: gain and offset, each fully correlated over
/// the samples of a range, so neither shrinks with averaging.
std::vector<Component> accuracy_components(const Accuracy& accuracy, double reading);

/// Student's t such that P(|T| <= t) = level; freedom 0 means the normal distribution.
double student_t(double freedom, double level = 0.95);
/// P(|T| > t), two-sided.
double student_p(double t, double freedom);

struct Repeatability {
  double mean = 0;
  double sd = 0;       ///< standard deviation of the single values
  double u = 0;        ///< of the mean, widened when neighbours correlate
  double freedom = 0;  ///< n - 1, or less when neighbours correlate
  std::size_t n = 0;
};

/// Mean of repeated values with u = s/sqrt(n). Positive lag-1 correlation r of 10 or more values
/// lowers the effective number to n(1-r)/(1+r).
Repeatability repeatability(std::span<const double> values);

/// Ratio of sums sum(y)/sum(x), as the mean current of visits with charges y and lengths x, with
/// the linearised uncertainty from the residuals y_i - R x_i (Cochran, Sampling Techniques, 6.4).
Repeatability ratio_of_sums(std::span<const double> y, std::span<const double> x);

enum class Verdict { within, over, too_close, no_data };
std::string_view to_string(Verdict verdict);

/// Verdict on m ± U against an upper limit (JCGM 106:2012): within if m + U <= L, over if
/// m - U > L, else too close. A lower bound can be over, but never within.
Verdict judge_upper(double measured, double U, double limit, bool lower_bound = false);
/// Mirrored for a lower limit on an interval [low, high].
Verdict judge_lower(double low, double high, double limit);
/// The worse of two, in the order over, no data, too close, within.
Verdict worse(Verdict a, Verdict b);

}  // namespace kuvio
