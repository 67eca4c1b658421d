// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/ledger.h"
#include "core/trace.h"

#include <memory>
#include <string>
#include <vector>

namespace kuvio::test {

/// A capture made of visits with known charges and lengths, without samples between: for studies of
/// what is worked out from visits. Each visit is one averaged sample.
class MadeCapture {
public:
  explicit MadeCapture(Basis basis = {}) : basis_(basis) {}

  MadeCapture& visit(const std::string& state, double level, double length_s, bool whole = true) {
    const double from = at_;
    times_.push_back(std::llround(at_ * 1e9));
    values_.push_back(level);
    at_ += length_s;
    VisitFigures f;
    f.visit = {state, from, at_, whole};
    f.observed_s = length_s;
    f.charge = level * length_s;
    f.mean = f.peak = f.least = level;
    figures_.push_back(f);
    return *this;
  }
  std::vector<VisitFigures>& figures() { return figures_; }
  Account account() {
    trace_ = std::make_shared<MemoryTrace>(SampleKind::averaged, TimeBase{1, 1'000'000'000});
    trace_->append(times_, values_, std::llround(at_ * 1e9));
    return {trace_.get(), figures_, basis_};
  }

private:
  Basis basis_;
  double at_ = 0;
  std::vector<std::int64_t> times_;
  std::vector<double> values_;
  std::vector<VisitFigures> figures_;
  std::shared_ptr<MemoryTrace> trace_;
};

inline Ledger ledger_of(std::vector<MadeCapture>& captures) {
  std::vector<Account> accounts;
  for (MadeCapture& c : captures) accounts.push_back(c.account());
  return make_ledger(accounts);
}
inline Ledger ledger_of(MadeCapture& capture) { return make_ledger({capture.account()}); }

}  // namespace kuvio::test
