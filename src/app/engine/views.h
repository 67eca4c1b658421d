// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/documents.h"
#include "book/notes.h"
#include "core/budget.h"
#include "core/compare.h"
#include "core/distribution.h"
#include "core/envelope.h"
#include "core/fan.h"
#include "core/ledger.h"
#include "core/lifetime.h"
#include "core/spectrum.h"
#include "core/typical.h"

#include "study/comparison.h"

#include <QString>

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

using book::DocumentKind;

// What the window shows: plain values, made by the session's threads, never changed after.

/// Which fill each state has.
using Fills = std::map<std::string, std::size_t>;

/// One capture as the Trace desk shows it.
struct CaptureView {
  book::CaptureInfo info;
  book::ChannelInfo channel;         ///< the current that is split and accounted for
  std::size_t ink = 0;               ///< of its build
  std::vector<VisitFigures> visits;  ///< empty: not split yet
  std::optional<Ledger> ledger;
  std::string recipe_name, recipe_text;
  std::size_t edits = 0;  ///< corrections by hand
  std::vector<Edit> edit_list;
  std::vector<Conflict> conflicts;  ///< those whose ground is gone
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
};
using CaptureViewPtr = std::shared_ptr<const CaptureView>;

/// The captures drawn together; the first is the one that is accounted for.
struct ShownCaptures {
  std::vector<CaptureViewPtr> captures;
};
using ShownPtr = std::shared_ptr<const ShownCaptures>;

/// A row of the captures list.
struct CaptureRow {
  book::CaptureInfo info;
  std::vector<EnvelopeColumn> thumbnail;
  Visits visits;
  Fills fills;
  std::size_t ink = 0;
  std::optional<Verdict> verdict;  ///< of its build, when the book holds a budget
};

/// The book as a whole: its captures and what people put into it.
struct BookView {
  QString path;
  std::string unclean;  ///< it was not closed, and something is missing; for people
  std::vector<CaptureRow> rows;
  std::vector<std::string> builds;
  std::map<std::string, std::string> kept;  ///< the book's own notes: "reference", "unlike/…"
  std::map<DocumentKind, book::Document> documents;

  std::string note(const std::string& key) const {
    const auto it = kept.find(key);
    return it == kept.end() ? "" : it->second;
  }
  const book::Document* document(DocumentKind kind) const {
    const auto it = documents.find(kind);
    return it == documents.end() ? nullptr : &it->second;
  }
  const CaptureRow* row(std::int64_t capture) const {
    for (const CaptureRow& r : rows) {
      if (r.info.id == capture) return &r;
    }
    return nullptr;
  }
  /// The reference build: the one that carries the R, else the first.
  std::string reference() const {
    const std::string chosen = note("reference");
    for (const std::string& b : builds) {
      if (b == chosen) return b;
    }
    return builds.empty() ? "" : builds.front();
  }
  std::size_t ink_of(const std::string& build) const {
    for (std::size_t i = 0; i < builds.size(); ++i) {
      if (builds[i] == build) return i;
    }
    return 0;
  }
};
using BookViewPtr = std::shared_ptr<const BookView>;

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
  bool loose = false;  ///< some column is not exact yet: another frame of this view follows
};
using FramePtr = std::shared_ptr<const Frame>;

struct SpanReading {
  SpanFigures figures;
  double mean_u = 0;  ///< expanded uncertainty of the mean (A)
};
using SpanReadingPtr = std::shared_ptr<const SpanReading>;

/// Values at single moments.
struct MomentsReading {
  struct Channel {
    std::string name, unit;
    std::vector<std::optional<double>> values;  ///< one a moment; nothing in a gap
  };
  std::vector<double> moments;
  std::vector<Channel> channels;
};
using MomentsReadingPtr = std::shared_ptr<const MomentsReading>;

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
  bool final = false;  ///< every sample was looked at
};
using SpreadViewPtr = std::shared_ptr<const SpreadView>;

/// How a capture's time is spread over levels, and what a recipe that is being written makes of it.
struct RecipePreview {
  std::int64_t capture = 0;
  std::string text;                           ///< of the recipe
  std::string error;                          ///< empty when it can be applied
  std::map<std::string, std::size_t> visits;  ///< by state
  double unassigned_s = 0;
};
using RecipePreviewPtr = std::shared_ptr<const RecipePreview>;

struct LevelHistogram {
  std::int64_t capture = 0;
  double low = 1e-9,
         high = 1;            ///< edges of the first and last bin (A), bins equal in the logarithm
  std::vector<double> share;  ///< of the time
};
using LevelHistogramPtr = std::shared_ptr<const LevelHistogram>;

/// Two builds side by side.
struct BuildsView : study::BuildComparison {
  std::string reference, candidate;
  Fills fills;
  std::string accepted;  ///< why unlike captures are compared anyway
  std::string trouble;   ///< why there is nothing to show
};
using BuildsViewPtr = std::shared_ptr<const BuildsView>;

struct TypicalView {
  std::string state, reference, candidate;
  TypicalVisit reference_visit, candidate_visit;
};
using TypicalViewPtr = std::shared_ptr<const TypicalView>;

/// The book's budget held against its builds.
struct BudgetView {
  std::shared_ptr<const Budget> budget;  ///< null: there is none, or its text is not valid
  std::string text, error;
  std::vector<std::string> builds;
  std::vector<CheckResult> results;    ///< one a build; its limits point into `budget`
  std::vector<std::string> troubles;   ///< one a build: why it could not be checked
  std::vector<std::string> states;     ///< that its recipe knows
  std::optional<std::string> on_disk;  ///< the file's text where it is no longer what was read
  bool not_looked_at = false;          ///< its file may not be read (trusted_files.h)
};
using BudgetViewPtr = std::shared_ptr<const BudgetView>;

struct LifeView : study::CaptureLife {
  std::string build;
  std::vector<std::string> old_edges;  ///< the capture's split stands on samples
  Fills fills;
  std::string trouble;
};
using LifeViewPtr = std::shared_ptr<const LifeView>;

}  // namespace kuvio::app
