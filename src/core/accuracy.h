// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"
#include "core/uncertainty.h"

#include <string>
#include <string_view>
#include <vector>

namespace kuvio {

/// What holds in a finer range: of readings up to `up_to`.
struct AccuracyRange {
  double up_to = 0;  ///< size of a reading, in the channel's unit
  double gain = 0, offset = 0;
  bool operator==(const AccuracyRange&) const = default;
};

/// An instrument's accuracy statement: ± (gain * |reading| + offset), in finer ranges maybe less.
struct Accuracy {
  double gain = 0;        ///< ratio (0.0008 for 0.08 %)
  double offset = 0;      ///< in the channel's unit (A)
  bool expanded = false;  ///< true: an expanded uncertainty at k = 2; false: a bound (rectangular)
  std::vector<AccuracyRange> finer{};  ///< by rising `up_to`

  /// What holds at a reading: the finest range that it lies in, and no ranges beside it.
  Accuracy at(double reading) const;

  /// False where nothing was stated: a figure then has no uncertainty of its instrument, which
  /// every verdict that rests on it says.
  bool stated() const { return gain > 0 || offset > 0; }
  bool operator==(const Accuracy&) const = default;
};

/// Reads "0.08 % + 40 nA" (a bound) or "0.08 % + 40 nA (k=2)"; either term may be missing, and a
/// leading "+-" or "±" is allowed. Finer ranges follow: "0.2 % + 1 uA; up to 1 mA: 0.1 % + 10 nA".
/// Throws std::invalid_argument with what is wrong.
Accuracy parse_accuracy(std::string_view text);
/// The same, of a current, a voltage or what else: an offset in another unit is refused.
Accuracy parse_accuracy(std::string_view text, Dimension of);
/// The statement of readings that are multiplied by `factor`.
Accuracy scaled(Accuracy accuracy, double factor);
std::string to_string(const Accuracy& accuracy);
/// The same to nine digits, in the SI unit of a current or a voltage, as parse_accuracy reads it.
std::string to_string(const Accuracy& accuracy, Dimension of);
/// The same to be looked at, three digits with SI prefixes: "0.08 % + 40.0 nA (k=2)". Terms of
/// zero are left out; a text that says no accuracy stands as it is.
std::string accuracy_words(std::string_view statement, Dimension of);

/// Components of an accuracy statement at a reading: gain and offset, each fully correlated over
/// the samples of a range, so neither shrinks with averaging; of several ranges, that of the
/// reading. `weight` scales both (a length turns a current's into a charge's).
std::vector<Component> accuracy_components(const Accuracy& accuracy, double reading,
                                           double weight = 1);

/// A reading with its share in a pooled figure and the statement it was taken under.
struct WeightedAccuracy {
  Accuracy accuracy;
  double weight = 0;   ///< share of the pooled figure's weight; they need not add up to 1
  double reading = 0;  ///< in the channel's unit
};
/// One statement for a weighted mean of readings: the errors of captures taken with one instrument
/// go together, so their bounds add up by weight (never by the square root). What some state as a
/// bound and others at k = 2 becomes a bound of the same standard uncertainty.
Accuracy pooled_accuracy(const std::vector<WeightedAccuracy>& parts);

}  // namespace kuvio
