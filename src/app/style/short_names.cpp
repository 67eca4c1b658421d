// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/short_names.h"

#include <algorithm>

namespace kuvio::app {
namespace {

const QString kDots = QStringLiteral("…");

bool parts(QChar c) { return !c.isLetterOrNumber(); }

/// Where the part of a name before a place begins.
qsizetype part_before(const QString& name, qsizetype at) {
  qsizetype n = at - 1;
  while (n > 0 && !parts(name[n - 1])) --n;
  return std::max<qsizetype>(0, n);
}

/// What all have in common at their ends says nothing and is left out; of what they begin with as
/// much stays as there is room for before what differs ("…2.4.1…"), the same of each.
QStringList without_common(const QStringList& names, qsizetype head, qsizetype tail,
                           qsizetype most) {
  qsizetype shortest = names.first().size();
  for (const QString& name : names) shortest = std::min(shortest, name.size());
  const qsizetype cut = tail > 1 ? std::clamp<qsizetype>(shortest - head, 0, tail) : 0;
  const auto shortened = [&](qsizetype from) {
    QStringList out;
    for (const QString& name : names)
      out << (from > 1 ? kDots : name.left(from)) + name.mid(from, name.size() - from - cut) +
                 (cut > 0 ? kDots : QString());
    return out;
  };
  const auto fit = [&](const QStringList& all) {
    return std::all_of(all.begin(), all.end(), [&](const QString& n) { return n.size() <= most; });
  };
  QStringList out = shortened(head);
  for (qsizetype from = head; from > 0;) {
    from = part_before(names.first(), from);
    const QStringList more = shortened(from);
    if (!fit(more)) break;
    out = more;
  }
  return out;
}

qsizetype common_tail(const QStringList& names) {
  QStringList turned;
  for (const QString& name : names) {
    QString back = name;
    std::reverse(back.begin(), back.end());
    turned << back;
  }
  qsizetype n = turned.first().size();
  for (const QString& name : turned) {
    qsizetype same = 0;
    while (same < std::min(n, name.size()) && name[same] == turned.first()[same]) ++same;
    n = same;
  }
  while (n > 0 && !parts(turned.first()[n - 1])) --n;
  return n;
}

/// How many characters all of them begin with, back to where a part of a name ends.
qsizetype common_head(const QStringList& names) {
  qsizetype n = names.first().size();
  for (const QString& name : names) {
    qsizetype same = 0;
    while (same < std::min(n, name.size()) && name[same] == names.first()[same]) ++same;
    n = same;
  }
  while (n > 0 && !parts(names.first()[n - 1])) --n;
  return n;
}

QString without_middle(const QString& name, int most) {
  if (name.size() <= most) return name;
  const int tail = (most - 1) / 2;
  return name.left(most - 1 - tail) + kDots + name.right(tail);
}

}  // namespace

QStringList short_names(const QStringList& names, int most) {
  const auto fits = [&](const QString& name) { return name.size() <= most; };
  if (std::all_of(names.begin(), names.end(), fits)) return names;
  QStringList different = names;
  different.removeDuplicates();
  const qsizetype head = different.size() > 1 ? common_head(different) : 0;
  const qsizetype tail = different.size() > 1 ? common_tail(different) : 0;
  QStringList out;
  for (const QString& name : without_common(names, head, tail, most))
    out << without_middle(name, most);
  // Where that made two alike, a number tells them apart.
  for (qsizetype i = 0; i < out.size(); ++i) {
    const auto taken = [&](const QString& name) {
      for (qsizetype j = 0; j < i; ++j) {
        if (names[j] != names[i] && out[j] == name) return true;
      }
      return false;
    };
    const QString own = out[i];
    for (int n = 2; taken(out[i]); ++n) {
      const QString number = QStringLiteral("#%1").arg(n);
      out[i] = own.left(most - number.size()) + number;
    }
  }
  return out;
}

}  // namespace kuvio::app
