// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/round_name.h"

#include "app/engine/text.h"

#include <QCoreApplication>
#include <QStringList>

namespace kuvio::app {
namespace {

constexpr qsizetype kNamed = 4;

}  // namespace

QString round_states(const std::vector<std::string>& states) {
  QStringList names;
  for (const std::string& s : states) names << qs(s);
  return names.join(QStringLiteral(", "));
}

QString round_name(const std::vector<std::string>& states) {
  QStringList parts;
  for (std::size_t i = 0; i < states.size();) {
    std::size_t n = 1;
    while (i + n < states.size() && states[i + n] == states[i]) ++n;
    parts << (n > 1 ? QStringLiteral("%1 × %2").arg(qs(states[i])).arg(n) : qs(states[i]));
    i += n;
  }
  if (parts.size() <= kNamed) return parts.join(QStringLiteral(", "));
  return QCoreApplication::translate("RoundName", "%1, %2, … %3, %4 states")
      .arg(parts[0], parts[1], parts.back())
      .arg(states.size());
}

}  // namespace kuvio::app
