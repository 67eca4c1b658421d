// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>

namespace kuvio {

/// A running sum held as an unevaluated pair of doubles (hi + lo), so that a small term is not
/// lost beside a large total. Source: Knuth, TAOCP vol. 2, 4.2.2, theorem B (two-sum).
///
///     Sum s; s += 1000.0; s += 1e-12; s -= Sum(1000.0); s.value();  // 1e-12
class Sum {
public:
  Sum() = default;
  explicit Sum(double value) : hi_(value) {}

  Sum& operator+=(double x) {
    const double s = hi_ + x;
    const double b = s - hi_;
    lo_ += (hi_ - (s - b)) + (x - b);
    renormalise(s);
    return *this;
  }
  Sum& operator+=(const Sum& o) {
    *this += o.hi_;
    *this += o.lo_;
    return *this;
  }
  Sum& operator-=(const Sum& o) {
    *this += -o.hi_;
    *this += -o.lo_;
    return *this;
  }
  double value() const { return hi_ + lo_; }

private:
  void renormalise(double s) {
    hi_ = s + lo_;
    lo_ -= hi_ - s;
  }
  double hi_ = 0, lo_ = 0;
};

}  // namespace kuvio
