// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/verdict.h"

namespace kuvio {

std::string_view to_string(Verdict verdict) {
  switch (verdict) {
    case Verdict::within:
      return "within";
    case Verdict::outside:
      return "outside";
    case Verdict::too_close:
      return "too close";
    case Verdict::no_data:
      return "no data";
  }
  return "no data";
}

Verdict judge_upper(double low, double high, double limit, Bounds bounds) {
  if (low > limit && !bounds.upper) return Verdict::outside;
  if (high <= limit && !bounds.lower) return Verdict::within;
  return Verdict::too_close;
}

Verdict judge_lower(double low, double high, double limit, Bounds bounds) {
  if (high < limit && !bounds.lower) return Verdict::outside;
  if (low >= limit && !bounds.upper) return Verdict::within;
  return Verdict::too_close;
}

Verdict worse(Verdict a, Verdict b) {
  const auto rank = [](Verdict v) {
    switch (v) {
      case Verdict::outside:
        return 3;
      case Verdict::no_data:
        return 2;
      case Verdict::too_close:
        return 1;
      case Verdict::within:
        return 0;
    }
    return 0;
  };
  return rank(a) >= rank(b) ? a : b;
}

}  // namespace kuvio
