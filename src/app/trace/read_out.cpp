// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/read_out.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/trace/time_text.h"
#include "core/accuracy.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "formats/phrases.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kFlowsBack = 1e-4;     // of what flows out: less is noise about zero
constexpr double kWorthNaming = 0.005;  // of the charge
constexpr qsizetype kValuesShown = 2;

/// Of an identity as instruments answer it, "maker,model,serial,version": what people call it by.
QString maker_and_model(const std::string& identity) {
  return qs(identity).split(QLatin1Char(',')).mid(0, 2).join(QLatin1Char(' ')).trimmed();
}

QString tr(const char* text) { return QObject::tr(text); }

/// How many samples were no data, and why. Of a visit it is only known that there were some.
QString flagged_text(const SpanFigures& s, bool counted) {
  if (s.flagged() == 0) return tr("\nno sample flagged");
  if (!counted)
    return s.over_range == 0    ? tr("\nsome samples below range")
           : s.below_range == 0 ? tr("\nsome samples over range")
                                : tr("\nsome samples over range, some below");
  return tr("\n%1 samples over range, %2 below, %3 not a number, %4 dropped, "
            "%5 while the range changed")
      .arg(s.over_range)
      .arg(s.below_range)
      .arg(s.not_a_number)
      .arg(s.dropped)
      .arg(s.range_change);
}

/// What a stretch of the current came to, each part with how it did.
/// `ledger`: the capture's, whose mean it is then. `counted`: its flagged samples are.
void add_figures(std::vector<FootPart>& out, const CaptureView& capture, const SpanReading& reading,
                 ChargeUnit unit, const Ledger* ledger = nullptr, bool counted = true) {
  const SpanFigures& s = reading.figures;
  const bool by_ledger = ledger && ledger->mean && s.mean();
  const double u = by_ledger ? ledger->mean_u.U : reading.mean_u;
  const QString flagged = flagged_text(s, counted);
  const QString missing =
      s.missing_s > 0 ? tr("\n%1 missing, not counted").arg(qs(duration(s.missing_s))) : QString();
  if (!s.mean()) {
    out.push_back({tr("no samples"), missing});
    return;
  }
  const QString mark = qs(formats::bounds_mark(s.bounds()));
  const QString rests =
      capture.channel.accuracy.empty()
          ? tr("\nNo accuracy given, so no ±.")
          : tr("\n± from the accuracy %1, at 95 %: how well this is measured, not how it would "
               "repeat.")
                .arg(qs(accuracy_words(capture.channel.accuracy,
                                       info(capture.channel.quantity).dimension)));
  const bool current = capture.shows_current();
  const std::string& in = capture.channel.unit;
  const double mean = by_ledger ? *ledger->mean : *s.mean();
  const double over_s = by_ledger ? ledger->observed_s() : s.observed_s;
  out.push_back(
      {tr("mean %1%2").arg(mark, qs(with_uncertainty(mean, u, in))),
       (current ? tr("Charge over the %1 with samples%2.") : tr("Over the %1 with samples%2."))
               .arg(qs(duration(over_s)),
                    by_ledger && ledger->off_s > 0 ? tr(", Off left out") : QString()) +
           rests + missing + flagged});
  const double volts = current ? capture.basis.voltage : 0;
  if (current)
    out.push_back({mark + qs(charge_with_uncertainty(s.charge, u * over_s, unit, volts)),
                   tr("Exact integral over the span; its edges may fall between samples.") + rests +
                       missing + flagged});
  if (current && reading.flow.in > kFlowsBack * reading.flow.out) {
    out.push_back({tr("out %1, in %2")
                       .arg(qs(charge_text(reading.flow.out, unit, volts)),
                            qs(charge_text(reading.flow.in, unit, volts))),
                   tr("What flowed out of the source, and what flowed back into it.")});
  }
  out.push_back({tr("peak %1%2").arg(mark, qs(with_prefix(s.max.value_or(0), in, 3))),
                 tr("Largest sample; a shorter peak inside a sample is averaged.") + flagged});
  if (s.min) {
    out.push_back({tr("least %1").arg(qs(with_prefix(*s.min, in, 3))),
                   tr("Smallest sample, its noise included.") + flagged});
  }
  if (volts > 0 && unit != ChargeUnit::joule) {
    out.push_back(
        {tr("%1 at %2")
             .arg(qs(with_prefix(s.charge * volts, "J", 3)), qs(with_prefix(volts, "V", 3))),
         tr("Charge times the nominal supply voltage.")});
  }
  if (s.missing_s > 0) out.push_back({tr("%1 missing").arg(qs(duration(s.missing_s))), missing});
}

std::vector<FootPart> sentence(const CaptureView& capture, const SpanReading& reading,
                               const QString& lead, ChargeUnit unit, bool counted = true) {
  const SpanFigures& s = reading.figures;
  std::vector<FootPart> out;
  out.push_back({tr("%1%2 → %3 (%4):")
                     .arg(lead, moment_text(s.from_s, s.duration_s()),
                          moment_text(s.to_s, s.duration_s()), qs(duration(s.duration_s()))),
                 tr("Times from the capture's start.")});
  add_figures(out, capture, reading, unit, nullptr, counted);
  return out;
}

/// The states that take most of the charge: "Locate 52 %, Uplink 30 %".
QString largest_shares(const Ledger& ledger) {
  QStringList out;
  for (const LedgerRow& row : ledger.rows) {  // by falling charge
    if (out.size() == 2 || row.charge_share < kWorthNaming) break;
    out << QStringLiteral("%1 %2").arg(qs(row.state), qs(percent(row.charge_share)));
  }
  return out.join(QStringLiteral(", "));
}

std::vector<FootPart> whole(const CaptureView& capture, const SpanReadingPtr& reading,
                            ChargeUnit unit) {
  if (capture.info.typed) {
    const std::size_t n = capture.typed.size();
    return {FootPart{n == 1 ? tr("%1: 1 reading taken by eye").arg(qs(capture.info.name))
                            : tr("%1: %2 readings taken by eye").arg(qs(capture.info.name)).arg(n),
                     tr("Typed by somebody: there are no samples behind them.")}};
  }
  const double length = capture.info.duration_s();
  const QString from =
      capture.channel.input.empty() ? tr("a file") : maker_and_model(capture.channel.input);
  QStringList about{capture.log.size() == 1
                        ? tr("From %1, 1 log line.").arg(from)
                        : tr("From %1, %2 log lines.").arg(from).arg(capture.log.size()),
                    tr("Drag over the trace to measure a span, or point at a visit.")};
  std::vector<FootPart> out{{tr("%1, %2:").arg(qs(capture.info.name), qs(duration(length))),
                             about.join(QLatin1Char('\n'))}};
  const auto scale = capture.info.conditions.find("time_scale");
  const auto value = capture.extremes.find(capture.channel.name);
  if (!(length > 0) && value != capture.extremes.end()) {
    out.front().text = tr("%1:").arg(qs(capture.info.name));
    out.push_back({tr("one sample of %1: neither length nor charge")
                       .arg(qs(with_prefix(value->second.first, capture.channel.unit, 4))),
                   tr("A mean and a charge need two instants, or samples that are averaged.")});
  }
  if (reading && reading->figures.to_s > reading->figures.from_s) {
    add_figures(out, capture, *reading, unit, capture.ledger ? &*capture.ledger : nullptr);
    if (capture.ledger) {
      const QString shares = largest_shares(*capture.ledger);
      if (!shares.isEmpty())
        out.insert(out.begin() + 3, {shares, tr("The states that take most of the charge.")});
    }
  }
  if (scale != capture.info.conditions.end()) {
    out.push_back({tr("simulated, %1 × time").arg(qs(scale->second)),
                   tr("Recorded from the simulated bench: all times are the device's.")});
  }
  return out;
}

}  // namespace

std::vector<FootPart> read_out(const ViewState& view, const Readings& readings, ChargeUnit unit) {
  const auto& capture = view.capture();
  if (!capture) return {};
  if (view.span()) {
    if (!readings.span) return {};
    auto out = sentence(*capture, *readings.span, {}, unit);
    if (view.cycles()) {
      const QString cycles = view.cycles()->cycles == 1
                                 ? tr("1 whole cycle of %1").arg(qs(view.cycles()->state))
                                 : tr("%1 whole cycles of %2")
                                       .arg(view.cycles()->cycles)
                                       .arg(qs(view.cycles()->state));
      out.push_back({cycles, tr("From one entry into the state to another: no cycle is cut.")});
    } else if (view.wholeCycles()) {
      out.push_back({tr("no whole cycle"),
                     tr("No state is entered twice; split the capture, or turn this off with W.")});
    }
    return out;
  }
  const int index = view.pointed() != ViewState::kNone ? view.pointed() : view.visit();
  if (index != ViewState::kNone && index < static_cast<int>(capture->visits.size())) {
    const VisitFigures& v = capture->visits[static_cast<std::size_t>(index)];
    SpanReading reading;
    SpanFigures& s = reading.figures;
    s.from_s = v.visit.from_s;
    s.to_s = v.visit.to_s;
    s.observed_s = v.observed_s;
    s.missing_s = v.missing_s;
    s.charge = v.charge;
    s.max = v.peak;
    s.min = v.least;
    s.over_range = v.bounds.lower ? 1 : 0;
    s.below_range = v.bounds.upper ? 1 : 0;
    if (v.mean) reading.mean_u = expand(accuracy_components(capture->basis.accuracy, *v.mean)).U;
    return sentence(*capture, reading, qs(v.visit.state) + QStringLiteral("  "), unit, false);
  }
  return whole(*capture, readings.whole, unit);
}

QString instant_text(const MomentsReading& reading, std::size_t at, double width,
                     const std::string& first) {
  QStringList values;
  const auto add = [&](const MomentsReading::Channel& c) {
    const auto& v = c.values[at];
    const QString text = !v ? QStringLiteral("–")
                         : c.unit.empty()
                             ? QStringLiteral("%1 %2").arg(qs(c.name)).arg(*v, 0, 'g', 4)
                             : qs(with_prefix(*v, c.unit, 4));
    if (v || c.name == first) values << text;
  };
  for (const auto& c : reading.channels) {
    if (c.name == first) add(c);
  }
  for (const auto& c : reading.channels) {
    if (c.name != first) add(c);
  }
  QString out = moment_text(reading.moments[at], width);
  for (qsizetype i = 0; i < values.size() && i < kValuesShown; ++i)
    out += QStringLiteral(" · ") + values[i];
  if (values.size() > kValuesShown) out += QStringLiteral(" +%1").arg(values.size() - kValuesShown);
  return out;
}

}  // namespace kuvio::app
