// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sample.h"

namespace kuvio {

const char* describe(Flag flag) {
  switch (flag) {
    case Flag::over_range:
      return "over range";
    case Flag::below_range:
      return "below range";
    case Flag::not_a_number:
      return "not a number";
    case Flag::dropped:
      return "lost";
    case Flag::range_change:
      return "while the range changed";
  }
  return "";
}

}  // namespace kuvio
