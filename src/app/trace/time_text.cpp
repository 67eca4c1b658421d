// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/time_text.h"

#include "app/engine/time_notation.h"
#include "core/quantity.h"

#include <QRegularExpression>
#include <QStringList>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::app {
namespace {

/// A length of time, or a clock reading; without a sign.
std::optional<double> seconds_of(const QString& text) {
  if (text.isEmpty()) return std::nullopt;
  const QStringList parts = text.split(QLatin1Char(':'));
  if (parts.size() == 2 || parts.size() == 3) {
    double total = 0;
    for (qsizetype i = 0; i < parts.size(); ++i) {
      bool fine = false;
      const bool last = i + 1 == parts.size();
      const double n = last ? parts[i].toDouble(&fine) : parts[i].toInt(&fine);
      if (!fine || n < 0 || (i > 0 && n >= 60)) return std::nullopt;
      total = total * 60 + n;
    }
    return total;
  }
  if (parts.size() != 1) return std::nullopt;
  bool bare = false;
  const double number = text.toDouble(&bare);
  if (bare) return std::isfinite(number) ? std::optional(number) : std::nullopt;
  try {
    return parse_quantity(text.toStdString(), Dimension::time);
  } catch (const std::invalid_argument&) {  // known from who asked
    return std::nullopt;
  }
}

std::optional<double> moment_of(QString text, double here) {
  text = text.trimmed();
  text.replace(QChar(0x2212), QLatin1Char('-'));
  const bool later = text.startsWith(QLatin1Char('+')), earlier = text.startsWith(QLatin1Char('-'));
  const auto length = seconds_of(later || earlier ? text.mid(1).trimmed() : text);
  if (!length) return std::nullopt;
  return later ? here + *length : earlier ? here - *length : *length;
}

}  // namespace

std::optional<TimeTarget> parse_time_target(const QString& text, double here) {
  static const QRegularExpression kBetween(QStringLiteral("\\.\\.+|…|\\bto\\b|→"));
  const QRegularExpressionMatch between = kBetween.match(text);
  if (!between.hasMatch()) {
    const auto at = moment_of(text, here);
    return at ? std::optional(TimeTarget{*at, std::nullopt}) : std::nullopt;
  }
  const auto from = moment_of(text.left(between.capturedStart()), here);
  if (!from) return std::nullopt;
  const auto to = moment_of(text.mid(between.capturedEnd()), *from);
  if (!to || *to == *from) return std::nullopt;
  return TimeTarget{std::min(*from, *to), std::max(*from, *to)};
}

QString moment_text(double t, double width) {
  const int decimals =
      std::clamp(static_cast<int>(std::ceil(-std::log10(std::max(width, 1e-9)))) + 3, 3, 9);
  return QString::fromStdString(time_text(t, decimals));
}

}  // namespace kuvio::app
