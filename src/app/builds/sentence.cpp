// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/builds/sentence.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/short_names.h"
#include "core/number_text.h"
#include "formats/phrases.h"

#include <QObject>
#include <QStringList>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
QString tr(const char* text) { return QObject::tr(text); }

QString captures(std::size_t a, std::size_t b) {
  return a == 1 && b == 1 ? tr("One capture each") : tr("%1 and %2 captures").arg(a).arg(b);
}

}  // namespace

QString shown_text(const CompareRow& row, std::size_t tests) {
  const QString per = row.by_charge ? tr(" per visit") : QString();
  switch (row.conclusion) {
    case Conclusion::higher:
    case Conclusion::lower: {
      QString out = (row.conclusion == Conclusion::higher ? tr("higher") : tr("lower")) + per;
      if (!row.by_charge && row.reference_mean && row.candidate_mean && *row.reference_mean > 0) {
        const double ratio = *row.candidate_mean / *row.reference_mean;
        if (std::fabs(ratio - 1) >= 0.005) out += QStringLiteral(": %1 ×").arg(ratio, 0, 'g', 3);
      }
      return out;
    }
    default:
      return qs(formats::shown_text(row, tests));
  }
}

namespace {

/// The difference as it was measured, in one sentence.
QString plain_difference(const BuildsView& v) {
  const Comparison& c = v.comparison;
  const QString candidate = qs(v.candidate), reference = qs(v.reference);
  const QString where = v.field ? tr("In the field, ") : tr("As captured, ");
  const QString amount = qs(formats::bounds_mark(c.total.bounds) +
                            with_uncertainty(std::fabs(c.total.value), c.total.U(), "A"));
  switch (c.total_conclusion) {
    case Conclusion::higher:
    case Conclusion::lower:
      return tr("%1%2 draws %3 %4 than %5.")
          .arg(where, candidate, amount, c.total.value > 0 ? tr("more") : tr("less"), reference);
    case Conclusion::equal:
      return tr("%1%2 draws as much as %3, within the margin.").arg(where, candidate, reference);
    default:
      return tr("%1no difference is shown between %2 and %3: %4.")
          .arg(where, candidate, reference,
               qs(with_interval(c.total.value, c.total.low, c.total.high, "A")));
  }
}

/// The states with the largest steps of the bridge.
QString what_accounts_for(const Comparison& c) {
  std::vector<const CompareRow*> rows;
  for (const CompareRow& r : c.rows) {
    if (r.mean.known && r.bridge != 0 &&
        (r.conclusion == Conclusion::higher || r.conclusion == Conclusion::lower))
      rows.push_back(&r);
  }
  std::sort(rows.begin(), rows.end(), [](const CompareRow* a, const CompareRow* b) {
    return std::fabs(a->bridge) > std::fabs(b->bridge);
  });
  QStringList parts;
  for (std::size_t i = 0; i < rows.size() && i < 2; ++i) {
    parts << (rows[i]->bridge > 0 ? tr("%1 adds %2") : tr("%1 saves %2"))
                 .arg(qs(rows[i]->state), qs(with_prefix(std::fabs(rows[i]->bridge), "A", 3)));
  }
  return parts.isEmpty() ? QString() : parts.join(QStringLiteral("; ")) + QStringLiteral(". ");
}

/// States that one of the builds alone has.
QString only_in_one(const Comparison& c) {
  QStringList alone;
  for (const CompareRow& r : c.rows) {
    if (!is_built_in_state(r.state) && r.reference_mean.has_value() != r.candidate_mean.has_value())
      alone << qs(r.state);
  }
  return alone.isEmpty() ? QString()
                         : tr("%1 is in only one of them. ").arg(alone.join(QStringLiteral(", ")));
}

/// What is shown of a state although nothing is of the whole: "Hibernate draws 12.2 × in 2.4.0-rc1
/// (+34.9 µA)". Empty where no state's mean differs.
QString shown_of_states(const BuildsView& v) {
  const CompareRow* most = nullptr;
  for (const CompareRow& r : v.comparison.rows) {
    const bool shown = !r.by_charge && r.mean.known && r.reference_mean && r.candidate_mean &&
                       (r.conclusion == Conclusion::higher || r.conclusion == Conclusion::lower);
    if (shown && (!most || std::fabs(r.bridge) > std::fabs(most->bridge))) most = &r;
  }
  if (!most || *most->reference_mean <= 0) return {};
  const double ratio = *most->candidate_mean / *most->reference_mean;
  return tr("%1 draws %2 × as much in %3 (%4%5); on the whole no difference is shown.")
      .arg(qs(most->state))
      .arg(ratio, 0, 'g', 3)
      .arg(qs(v.candidate), most->mean.value > 0 ? QStringLiteral("+") : QStringLiteral("−"),
           qs(with_prefix(std::fabs(most->mean.value), "A", 3)));
}

QString lives(const BuildsView& v) {
  if (!v.reference_life || !v.candidate_life || !v.reference_life->life || !v.candidate_life->life)
    return {};
  const double a = *v.reference_life->life, b = *v.candidate_life->life;
  return tr("Battery life %1 from %2 to %3 (%4%5). ")
      .arg(b < a ? tr("falls") : tr("rises"),
           qs(formats::bounds_mark(v.reference_life->interval.bounds) + life_time(a)),
           qs(formats::bounds_mark(v.candidate_life->interval.bounds) + life_time(b)),
           b < a ? QStringLiteral("−") : QStringLiteral("+"), qs(life_time(std::fabs(b - a))));
}

}  // namespace

Sentence sentence_of(const BuildsView& given) {
  Sentence out;
  BuildsView v = given;
  const QStringList names = short_names({qs(v.reference), qs(v.candidate)});
  v.reference = v.comparison.reference = names[0].toStdString();
  v.candidate = v.comparison.candidate = names[1].toStdString();
  const Comparison& c = v.comparison;
  const QString candidate = qs(v.candidate), reference = qs(v.reference);
  if (!c.total.known) {
    out.first = tr("%1 and %2 cannot be compared as a whole.").arg(candidate, reference);
    if (!c.missing.empty())
      out.second = tr("No whole visit to %1 was captured.").arg(qs(c.missing.front()));
    return out;
  }
  const QString plain = plain_difference(v);
  // What holds the weather common leads; the plain difference stands beside it.
  out.first = qs(formats::same_use_sentence(c));
  const bool whole_shown =
      c.total_conclusion == Conclusion::higher || c.total_conclusion == Conclusion::lower;
  const bool use_shown = c.same_use && (c.same_use->conclusion == Conclusion::higher ||
                                        c.same_use->conclusion == Conclusion::lower);
  QStringList then{plain};
  // Whoever reads the first sentence alone must not miss what the table shows.
  if (const QString states = shown_of_states(v); !use_shown && !whole_shown && !states.isEmpty()) {
    if (!out.first.isEmpty()) then.prepend(out.first);
    out.first = states;
  }
  if (out.first.isEmpty()) out.first = then.takeFirst();
  if (!then.isEmpty()) out.second = then.join(QLatin1Char(' ')) + QLatin1Char(' ');
  for (const std::string& line : formats::common_length_lines(c)) out.second += qs(line) + tr(". ");
  out.second += what_accounts_for(c) + only_in_one(c) + lives(v);
  for (const std::string& line : formats::comparison_remarks(c)) {
    if (c.of_builds || !line.starts_with("Within these")) out.second += qs(line) + tr(". ");
  }
  for (const std::string& line : v.old_edges) out.second += qs(line) + tr(". ");
  out.second += tr("%1%2%3.").arg(captures(v.reference_captures, v.candidate_captures),
                                  c.alike() ? tr(", same conditions") : QString(),
                                  c.of_builds ? QString() : tr(": it holds within these captures"));
  return out;
}

}  // namespace kuvio::app
