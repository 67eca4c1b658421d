// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/budget.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio {
namespace {

struct Reading {
  std::optional<double> value;
  std::vector<Component> components;
  bool lower_bound = false, single_visit = false;
  std::string note;
};

double percentile95(std::vector<double> v) {
  std::sort(v.begin(), v.end());
  const double at = 0.95 * static_cast<double>(v.size() - 1);
  const auto i = static_cast<std::size_t>(at);
  const double f = at - static_cast<double>(i);
  return i + 1 < v.size() ? v[i] * (1 - f) + v[i + 1] * f : v[i];
}

double pick(const std::vector<double>& v, Of of) {
  return of == Of::p95 ? percentile95(v) : *std::max_element(v.begin(), v.end());
}

std::vector<Component> scaled(std::vector<Component> components, double by) {
  for (Component& c : components) c.u *= std::fabs(by);
  return components;
}

/// Means of single visits, for p95 and worst of a mean current.
std::vector<double> visit_means(const LedgerRow& row) {
  std::vector<double> out;
  for (std::size_t i = 0; i < row.charges.size(); ++i) {
    if (row.lengths[i] > 0) out.push_back(row.charges[i] / row.lengths[i]);
  }
  return out;
}

Reading read_state(const Limit& limit, const Ledger& ledger) {
  Reading out;
  const LedgerRow* row = ledger.find(limit.state);
  if (!row || row->visits == 0) {
    out.note = "no visit to " + limit.state;
    return out;
  }
  const Basis& basis = ledger.basis;
  out.lower_bound = row->lower_bound;
  out.single_visit = row->whole_visits < 2;
  const auto per_visit = [&](const std::vector<double>& values, const Repeatability& mean,
                             std::vector<Component> of_mean, std::vector<Component> of_one) {
    if (values.empty()) {
      out.note = "no whole visit to " + limit.state;
      return;
    }
    out.value = limit.of == Of::mean ? mean.mean : pick(values, limit.of);
    out.components = limit.of == Of::mean ? std::move(of_mean) : std::move(of_one);
  };
  switch (limit.quantity) {
    case LimitQuantity::mean_current:
      if (limit.of == Of::mean) {
        out.value = row->mean;
        out.components = mean_components(*row, basis);
      } else {
        const auto means = visit_means(*row);
        if (means.empty()) {
          out.note = "no whole visit to " + limit.state;
          break;
        }
        out.value = pick(means, limit.of);
        out.components = accuracy_components(basis.accuracy, *out.value);
      }
      break;
    case LimitQuantity::charge_per_visit:
    case LimitQuantity::energy_per_visit: {
      std::vector<Component> one = scaled(
          accuracy_components(basis.accuracy, row->mean.value_or(0)), row->visit_length.mean);
      one.push_back({row->edge_charge_u, 0, true});
      per_visit(row->charges, row->charge_per_visit, charge_per_visit_components(*row, basis), one);
      if (limit.quantity == LimitQuantity::energy_per_visit && out.value) {
        if (basis.voltage <= 0) {
          out.value.reset();
          out.note = "the supply voltage is not known";
        } else {
          *out.value *= basis.voltage;
          out.components = scaled(out.components, basis.voltage);
          out.note = "at the nominal supply voltage";
        }
      }
      break;
    }
    case LimitQuantity::visit_length:
      per_visit(row->lengths, row->visit_length, visit_length_components(*row),
                {{row->edge_length_u, 0, true}});
      break;
    case LimitQuantity::peak_current:
      if (limit.of == Of::worst) {
        out.value = row->peak;
      } else if (!row->peaks.empty()) {
        out.value = limit.of == Of::p95 ? percentile95(row->peaks) : repeatability(row->peaks).mean;
      }
      if (out.value) out.components = accuracy_components(basis.accuracy, *out.value);
      break;
    case LimitQuantity::lifetime:
      out.note = "a life is of the field, not of a state";
      break;
  }
  return out;
}

Reading read_whole(const Limit& limit, const Ledger& ledger) {
  Reading out;
  out.lower_bound = ledger.lower_bound;
  if (limit.quantity == LimitQuantity::mean_current) {
    out.value = ledger.mean;
  } else if (limit.quantity == LimitQuantity::peak_current) {
    for (const LedgerRow& row : ledger.rows) {
      if (row.peak && row.state != kOff)
        out.value = std::max(out.value.value_or(*row.peak), *row.peak);
    }
  }
  if (out.value) {
    out.components = accuracy_components(ledger.basis.accuracy, *out.value);
  } else {
    out.note = "the capture holds no samples";
  }
  return out;
}

std::string names(const std::vector<std::string>& list) {
  std::string out;
  for (const std::string& name : list) out += (out.empty() ? "" : ", ") + name;
  return out;
}

void judge(const Limit& limit, LimitResult& out) {
  if (!out.measured) return;
  out.verdict = Verdict::within;
  if (limit.max) {
    out.headroom = *limit.max - *out.measured;
    out.verdict = judge_upper(*out.measured, out.U, *limit.max, out.lower_bound);
  }
  if (limit.min) {
    out.headroom = *out.measured - *limit.min;
    out.verdict = worse(out.verdict, judge_lower(out.low, out.high, *limit.min));
  }
}

LimitResult field_result(const Limit& limit, const Ledger& ledger) {
  LimitResult out;
  out.limit = &limit;
  const FieldMean field = field_mean(*limit.duty, ledger);
  if (!field.missing.empty()) {
    out.note = "no visit to " + names(field.missing);
    return out;
  }
  out.lower_bound = field.lower_bound;
  out.single_visit = field.single_visit;
  out.coverage_factor = field.mean_u.coverage_factor;
  if (limit.quantity == LimitQuantity::mean_current) {
    out.measured = field.mean;
    out.U = field.mean_u.U;
    out.low = field.mean - out.U;
    out.high = field.mean + out.U;
  } else {
    const auto middle = life(*limit.battery, field.mean, field.once_charge);
    const auto shortest = life(*limit.battery, field.mean + field.mean_u.U, field.once_charge);
    const auto longest = life(*limit.battery, field.mean - field.mean_u.U, field.once_charge);
    if (!middle || !shortest) {
      out.note = "nothing drains the battery";
      return out;
    }
    out.measured = middle;
    out.low = field.lower_bound ? 0 : *shortest;
    out.high = longest.value_or(1e300);
    out.U = longest ? (out.high - *shortest) / 2 : *middle - *shortest;
  }
  judge(limit, out);
  return out;
}

}  // namespace

std::string_view to_string(LimitQuantity quantity) {
  switch (quantity) {
    case LimitQuantity::mean_current:
      return "mean current";
    case LimitQuantity::charge_per_visit:
      return "charge per visit";
    case LimitQuantity::energy_per_visit:
      return "energy per visit";
    case LimitQuantity::visit_length:
      return "visit length";
    case LimitQuantity::peak_current:
      return "peak current";
    case LimitQuantity::lifetime:
      return "lifetime";
  }
  return "";
}

std::string_view unit_of(LimitQuantity quantity) {
  switch (quantity) {
    case LimitQuantity::mean_current:
    case LimitQuantity::peak_current:
      return "A";
    case LimitQuantity::charge_per_visit:
      return "C";
    case LimitQuantity::energy_per_visit:
      return "J";
    case LimitQuantity::visit_length:
    case LimitQuantity::lifetime:
      return "s";
  }
  return "";
}

std::string Limit::name() const {
  const std::string who = scope == Scope::state ? state : scope == Scope::field ? "field" : "whole";
  const std::string which = of == Of::p95 ? " (95th percentile)"
                            : of == Of::worst && quantity != LimitQuantity::peak_current
                                ? " (worst)"
                                : "";
  return who + " " + std::string(to_string(quantity)) + which;
}

CheckResult check(const Budget& budget, const Ledger& ledger) {
  CheckResult out;
  for (const Limit& limit : budget.limits) {
    if (limit.scope == Scope::field) {
      out.limits.push_back(field_result(limit, ledger));
    } else {
      const Reading reading =
          limit.scope == Scope::state ? read_state(limit, ledger) : read_whole(limit, ledger);
      LimitResult result;
      result.limit = &limit;
      result.note = reading.note;
      result.measured = reading.value;
      result.lower_bound = reading.lower_bound;
      if (reading.value) {
        const Expanded e = combine(reading.components);
        result.U = e.U;
        result.coverage_factor = e.coverage_factor;
        result.low = *reading.value - e.U;
        result.high = *reading.value + e.U;
        result.single_visit = reading.single_visit;
        if (reading.single_visit && result.note.empty())
          result.note = "single visit: accuracy only";
      }
      judge(limit, result);
      out.limits.push_back(std::move(result));
    }
    out.verdict = worse(out.verdict, out.limits.back().verdict);
  }
  return out;
}

}  // namespace kuvio
