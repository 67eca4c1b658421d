// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/rule_hints.h"

#include "core/number_text.h"

#include <QCoreApplication>
#include <QStringList>

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

namespace {

const char* unit_of(Dimension dimension) {
  switch (dimension) {
    case Dimension::voltage:
      return "V";
    case Dimension::power:
      return "W";
    case Dimension::charge:
      return "C";
    case Dimension::ratio:
      return "";
    default:
      return "A";
  }
}

/// The level of a rule that reads a channel of its own: "V above 3.3 V", "radio_on high".
QString level_elsewhere(const StateRule& rule) {
  const auto tr = [](const char* text) { return QCoreApplication::translate("RuleHints", text); };
  const QString channel = QString::fromStdString(rule.channel);
  if (rule.line_high) return (*rule.line_high ? tr("%1 high") : tr("%1 low")).arg(channel);
  const auto value = [&](double v) {
    return QString::fromStdString(with_prefix(v, unit_of(rule.dimension), 3));
  };
  const Band& b = rule.level;
  if (!std::isfinite(b.low)) return tr("%1 below %2").arg(channel, value(b.high));
  if (!std::isfinite(b.high)) return tr("%1 above %2").arg(channel, value(b.low));
  return tr("%1 from %2 to %3").arg(channel, value(b.low), value(b.high));
}

}  // namespace

QString asked_beside_level(const StateRule& rule) {
  const auto tr = [](const char* text) { return QCoreApplication::translate("RuleHints", text); };
  const auto value = [&](double v) {
    return QString::fromStdString(with_prefix(v, unit_of(rule.dimension), 3));
  };
  const auto length = [](double s) { return QString::fromStdString(duration(s)); };
  QStringList out;
  if (rule.elsewhere()) out << level_elsewhere(rule);
  const auto moment = [&](const std::optional<Anchor>& anchor, const QString& begins) {
    if (!anchor) return;
    const QString of = QString::fromStdString(anchor->of);
    QString text;
    switch (anchor->by) {
      case Anchor::By::log:
        text = tr("%1 at log line %2").arg(begins, of);
        break;
      case Anchor::By::logic:
        text = (anchor->rises ? tr("%1 where %2 rises") : tr("%1 where %2 falls")).arg(begins, of);
        break;
      case Anchor::By::mark:
        text = tr("%1 at mark %2").arg(begins, of);
        break;
    }
    if (anchor->offset_s != 0)
      text += QStringLiteral(" %1%2").arg(anchor->offset_s < 0 ? QChar(0x2212) : QLatin1Char('+'),
                                          length(std::fabs(anchor->offset_s)));
    out << text;
  };
  moment(rule.begins, tr("begins"));
  moment(rule.ends, tr("ends"));
  const Must& must = rule.must;
  if (must.peak_above) out << tr("peak over %1").arg(value(*must.peak_above));
  if (must.mean_above) out << tr("mean over %1").arg(value(*must.mean_above));
  if (must.mean_below) out << tr("mean under %1").arg(value(*must.mean_below));
  if (must.longer_s) out << tr("at least %1 long").arg(length(*must.longer_s));
  if (must.shorter_s) out << tr("at most %1 long").arg(length(*must.shorter_s));
  QStringList after;
  for (const std::string& state : rule.after) after << QString::fromStdString(state);
  if (!after.isEmpty()) out << tr("after %1").arg(after.join(tr(" or ")));
  return out.join(QStringLiteral(" · "));
}

}  // namespace kuvio::app
