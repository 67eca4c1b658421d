// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/accuracy.h"
#include "core/quantity.h"

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio {

/// A value as somebody stated it, with its ± where one was given.
struct Stated {
  double value = 0;   ///< SI
  Accuracy accuracy;  ///< `offset` in the value's unit; none stated: nothing is known of it

  bool operator==(const Stated&) const = default;
};

/// Reads "47 mA", "47 mA +- 0.5 mA", "47 mA ± 1 %", "3.1 uA +- 0.1 uA (k=2)", and a range, "11 to
/// 12 mA" or "11..12 mA", whose middle is the value and half whose width is a bound. Throws
/// std::invalid_argument with what is wrong.
Stated parse_stated(std::string_view text, Dimension dimension);
/// The same as parse_stated reads it.
std::string to_string(const Stated& stated, Dimension dimension);

/// What a person read off an instrument without an interface, of one visit to a state.
struct TypedReading {
  std::string state;
  std::optional<Stated> mean;     ///< A
  std::optional<Stated> length;   ///< s, more than nothing
  std::optional<Stated> peak;     ///< A
  std::optional<Stated> voltage;  ///< V

  bool operator==(const TypedReading&) const = default;
};

/// Throws std::invalid_argument where a reading cannot be one: no state or one that is built in, no
/// value at all, a length of nothing, a peak below the mean.
void check_typed(const TypedReading& reading);

/// A quantity of a typed reading, as it is written and shown.
struct TypedQuantity {
  std::string_view key;  ///< in books, on the command line and in JSON
  Dimension dimension;
  std::optional<Stated> TypedReading::*value;
};
std::span<const TypedQuantity> typed_quantities();

struct LedgerRow;
struct Account;

/// Fills a row of a state that nothing was captured of from its typed readings, each a visit of
/// its own: the mean over them, by their own accuracy (bounds add up, they come from one meter),
/// and, unless each lies within its own ± of the mean, by their spread too. Where lengths are
/// known, charge per visit is mean times length, and both uncertainties are in it. A row of typed
/// readings takes no part in a capture's time and charge: how often a state came, a meter does not
/// show. `voltage` (V; 0: unknown) stands where no reading has its own.
void fill_typed(LedgerRow& row, const std::vector<Account>& accounts);

}  // namespace kuvio
