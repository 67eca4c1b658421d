// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "book/book.h"
#include "core/charge_flow.h"
#include "core/distribution.h"
#include "core/edits.h"
#include "core/envelope.h"
#include "core/fan.h"
#include "core/ledger.h"
#include "core/measure.h"
#include "core/spectrum.h"

#include <array>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

/// One capture as the Trace desk shows it.
struct CaptureView {
  book::CaptureInfo info;
  book::ChannelInfo channel;         ///< the current that is split and accounted for
  std::size_t ink = 0;               ///< of its build
  std::vector<VisitFigures> visits;  ///< empty: not split yet
  std::optional<Ledger> ledger;
  std::vector<TypedReading> typed;  ///< of one that was typed: it has no channel and no samples
  std::string recipe_name, recipe_text;
  std::size_t edits = 0;  ///< corrections by hand
  std::vector<Edit> edit_list;
  std::vector<Conflict> conflicts;  ///< those whose anchor is gone
  std::vector<book::LogLine> log;
  Fills fills;
  std::vector<EnvelopeColumn> overview;
  std::map<std::string, std::pair<double, double>> extremes;  ///< of each channel, by name
  Basis basis;
  double from_s = 0, to_s = 0;
  double offset_s = 0;      ///< where its time 0 lies on the axis of the first that is drawn
  std::string lined_up_by;  ///< how that was found, for people
  double lined_up_s = 0;    ///< where it lies on the axis that all of the book share
  std::vector<std::pair<double, std::string>> marks;  ///< the operator's, in order of time
  /// Stretches without usable samples of the channel: gaps, over-range and what else is flagged.
  std::vector<std::pair<double, double>> breaks;

  /// Whether what is shown is a current; else a capture has only voltages or others.
  bool shows_current() const { return channel.quantity == Quantity::current; }
};

/// The captures drawn together; the first is the one that is accounted for.
struct ShownCaptures {
  std::vector<CaptureViewPtr> captures;
};

/// What of a channel a curve shows.
enum class CurveForm {
  samples,  ///< its values
  charge,   ///< its integral from the capture's start
  mean,     ///< its mean over a window around each moment
};

/// One curve that is wanted.
struct CurveSource {
  std::size_t capture = 0;  ///< index among those shown
  std::string channel;
  CurveForm form = CurveForm::samples;
  double window_s = 0;  ///< of a mean

  auto operator<=>(const CurveSource&) const = default;
};

/// One curve of a lane, on the axis that all captures share.
struct Curve {
  CurveSource source;
  double from_s = 0, to_s = 0;          ///< what the columns cover: a little more than the view
  std::vector<EnvelopeColumn> columns;  ///< many samples per pixel
  std::vector<TracePoint> points;       ///< few: the samples themselves
  bool averaged = true;                 ///< points are steps, not corners of a line
  std::vector<FlagRun> flags;           ///< inside the view, those closer than a pixel as one
  std::vector<std::pair<double, double>> gaps;  ///< likewise, where nothing was observed at all
};
struct LaneFrame {
  std::vector<Curve> curves;
};
/// What the lanes need to paint one view, and the fan that goes with it.
struct Frame {
  double from_s = 0, to_s = 0;
  std::uint64_t revision = 0;  ///< of the lanes that it was made for
  std::vector<LaneFrame> lanes;
  Fan fan;
  bool approximate = false;  ///< some column is not exact yet: another frame of this view follows
};

struct SpanReading {
  double asked_from_s = 0, asked_to_s = 0;  ///< as it was asked for, before it was cut to the trace
  SpanFigures figures;
  double mean_u = 0;  ///< expanded uncertainty of the mean (A)
  ChargeFlow flow;    ///< both zero where nothing flows back, or it would take too long to say
};

/// Values at single moments.
struct MomentsReading {
  struct Channel {
    std::string name, unit;
    std::vector<std::optional<double>> values;  ///< one a moment; nothing in a gap
  };
  std::vector<double> moments;
  std::vector<Channel> channels;
};

/// What is to be known of how a span's current is spread.
struct SpreadRequest {
  std::int64_t capture = 0;
  double from_s = 0, to_s = 0;
  Bins bins;
};
struct SpreadView {
  SpreadRequest request;
  Distribution spread;
  std::optional<Ripple> ripple;  ///< known with the last answer only
  double peak_to_peak = 0;
  static constexpr std::array<double, 3> kShares{0.5, 0.9, 0.99};
  std::array<double, 3> levels{};  ///< not exceeded for such shares of the time (A)
  bool final = false;              ///< every sample was looked at
};

/// How a capture's time is spread over levels, and what a recipe that is being written makes of it.
struct RecipePreview {
  std::int64_t capture = 0;
  std::string text;                           ///< of the recipe
  std::string error;                          ///< empty when it can be applied
  std::map<std::string, std::size_t> visits;  ///< by rule, whatever it names them
  std::vector<std::string> turned_away;       ///< by rule: what had its level and is none of it
  /// By rule: the visit whose length is the median, as it is drawn; empty where it has none.
  std::vector<std::vector<EnvelopeColumn>> specimens;
  double unassigned_s = 0;
};

struct LevelHistogram {
  std::int64_t capture = 0;
  double low = 1e-9,
         high = 1;            ///< edges of the first and last bin (A), bins equal in the logarithm
  std::vector<double> share;  ///< of the time
};

/// What a frame is to show.
struct FrameRequest {
  double from_s = 0, to_s = 0;
  int columns = 0;                              ///< pixels across
  std::uint64_t revision = 0;                   ///< of the lanes
  std::vector<std::vector<CurveSource>> lanes;  ///< curves of each
  /// Where the captures lie, instead of where they were left: while one is being dragged.
  std::vector<double> offsets{};
};

}  // namespace kuvio::app
