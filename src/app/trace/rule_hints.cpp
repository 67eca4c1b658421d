// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/rule_hints.h"

#include <QCoreApplication>

#include <algorithm>
#include <cmath>

namespace kuvio::app {

std::optional<std::size_t> first_to_take(const std::vector<StateRule>& rules, double level_a) {
  for (std::size_t i = 0; i < rules.size(); ++i) {
    if (rules[i].enters(level_a)) return i;
  }
  return std::nullopt;
}

std::optional<std::size_t> taken_by(const std::vector<StateRule>& rules,
                                    const LevelHistogram& histogram, std::size_t rule) {
  std::vector<double> share(rules.size(), 0.0);
  const double bins = static_cast<double>(histogram.share.size());
  for (std::size_t i = 0; i < histogram.share.size(); ++i) {
    const double level = histogram.low * std::pow(histogram.high / histogram.low,
                                                  (static_cast<double>(i) + 0.5) / bins);
    if (!(histogram.share[i] > 0) || !rules.at(rule).enters(level)) continue;
    if (const auto first = first_to_take(rules, level)) share[*first] += histogram.share[i];
  }
  const auto most = std::max_element(share.begin(), share.end());
  if (most == share.end() || !(*most > 0)) return std::nullopt;
  return static_cast<std::size_t>(most - share.begin());
}

QString why_no_visits(const std::vector<StateRule>& rules, const LevelHistogram& histogram,
                      std::size_t rule) {
  const auto tr = [](const char* text) { return QCoreApplication::translate("RuleHints", text); };
  const auto taker = taken_by(rules, histogram, rule);
  if (!taker) return tr("No samples at this level.");
  if (*taker == rule) return tr("All stays at this level are too short.");
  return tr("%1, which comes first, takes its samples.")
      .arg(QString::fromStdString(rules[*taker].name));
}

}  // namespace kuvio::app
