// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/read_out.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/trace/time_text.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "formats/phrases.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

/// Of an identity as instruments answer it, "maker,model,serial,version": what people call it by.
QString maker_and_model(const std::string& identity) {
  return qs(identity).split(QLatin1Char(',')).mid(0, 2).join(QLatin1Char(' ')).trimmed();
}

QString tr(const char* text) { return QObject::tr(text); }

std::vector<FootPart> sentence(const CaptureView& capture, const SpanFigures& s, double u,
                               const QString& lead, ChargeUnit unit) {
  const double width = s.duration_s();
  std::vector<FootPart> out;
  const QString flagged =
      s.flagged() > 0 ? tr("\n%1 samples over range, %2 below, %3 not a number, %4 dropped, "
                           "%5 while the range changed")
                            .arg(s.over_range)
                            .arg(s.below_range)
                            .arg(s.not_a_number)
                            .arg(s.dropped)
                            .arg(s.range_change)
                      : tr("\nno sample flagged");
  const QString missing =
      s.missing_s > 0 ? tr("\n%1 missing, not counted").arg(qs(duration(s.missing_s))) : QString();
  out.push_back({tr("%1%2 → %3 s (%4):")
                     .arg(lead, moment_text(s.from_s, width), moment_text(s.to_s, width),
                          qs(duration(width))),
                 tr("Times from the capture's start.%1").arg(missing)});
  if (!s.mean()) {
    out.push_back({tr("no samples"), missing});
    return out;
  }
  const QString least = qs(formats::bounds_mark(s.bounds()));
  const QString rests =
      capture.channel.accuracy.empty()
          ? tr("\nNo accuracy given, so no ±.")
          : tr("\n± from the accuracy %1, at 95 %.").arg(qs(capture.channel.accuracy));
  out.push_back({tr("mean %1%2").arg(least, qs(with_uncertainty(*s.mean(), u, "A"))),
                 tr("Charge over the %1 with samples.").arg(qs(duration(s.observed_s))) + rests +
                     missing + flagged});
  const double volts = capture.basis.voltage;
  out.push_back({least + qs(charge_with_uncertainty(s.charge, u * s.observed_s, unit, volts)),
                 tr("Exact integral over the span; its edges may fall between samples.") + rests +
                     missing + flagged});
  out.push_back({tr("peak %1%2").arg(least, qs(with_prefix(s.max.value_or(0), "A", 3))),
                 tr("Largest sample; a shorter peak inside a sample is averaged.") + flagged});
  if (volts > 0 && unit != ChargeUnit::joule) {
    out.push_back(
        {tr("%1 at %2")
             .arg(qs(with_prefix(s.charge * volts, "J", 3)), qs(with_prefix(volts, "V", 3))),
         tr("Charge times the nominal supply voltage.")});
  }
  if (s.missing_s > 0) out.push_back({tr("%1 missing").arg(qs(duration(s.missing_s))), missing});
  return out;
}

}  // namespace

std::vector<FootPart> read_out(const ViewState& view, const SpanReadingPtr& reading,
                               ChargeUnit unit) {
  const auto& capture = view.capture();
  if (!capture) return {};
  if (view.span()) {
    if (!reading) return {};
    auto out = sentence(*capture, reading->figures, reading->mean_u, {}, unit);
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
    SpanFigures s;
    s.from_s = v.visit.from_s;
    s.to_s = v.visit.to_s;
    s.observed_s = v.observed_s;
    s.missing_s = v.missing_s;
    s.charge = v.charge;
    s.max = v.peak;
    s.over_range = v.bounds.lower ? 1 : 0;
    s.below_range = v.bounds.upper ? 1 : 0;
    const double u = v.mean ? expand(accuracy_components(capture->basis.accuracy, *v.mean)).U : 0;
    return sentence(*capture, s, u, qs(v.visit.state) + QStringLiteral("  "), unit);
  }
  return {{tr("%1: %2 from %3, %4 log lines")
               .arg(qs(capture->info.name), qs(duration(capture->info.duration_s())),
                    capture->channel.input.empty() ? tr("a file")
                                                   : maker_and_model(capture->channel.input))
               .arg(capture->log.size()),
           tr("Drag over the trace to measure a span, or point at a visit.")}};
}

}  // namespace kuvio::app
