// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/reader.h"

#include "app/engine/book_view.h"
#include "app/engine/fills.h"
#include "app/engine/spread.h"
#include "app/engine/trace_views.h"
#include "book/analysis.h"
#include "book/anchors.h"
#include "book/notes.h"
#include "book/typed.h"
#include "core/error.h"
#include "core/measure.h"
#include "formats/palette.h"
#include "formats/project_files.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace kuvio::app {
namespace {

/// What people marked, switched and suffered stands among the device's lines, with a sign in front.
void add_events(std::vector<book::LogLine>& log, const std::vector<Event>& events) {
  constexpr std::size_t kOfAKind = 100;
  std::map<EventKind, std::size_t> seen;
  for (const Event& e : events) {
    const EventClass what = info(e.kind).what;
    if (what == EventClass::timing || ++seen[e.kind] > kOfAKind) continue;
    const char* sign = what == EventClass::mark ? "◆ " : what == EventClass::trouble ? "⚠ " : "● ";
    log.push_back(
        {e.earliest_s, false, sign + (e.text.empty() ? event_text(e.kind, "", "") : e.text)});
  }
  std::stable_sort(log.begin(), log.end(),
                   [](const auto& a, const auto& b) { return a.time_s < b.time_s; });
}

/// Gaps and flagged stretches in order of time.
std::vector<std::pair<double, double>> breaks_of(const Trace& trace) {
  std::vector<std::pair<double, double>> out;
  for (const FlagRun& run : trace.flags()) out.emplace_back(run.from_s, run.to_s);
  const auto blocks = trace.blocks();
  for (std::size_t i = 1; i < blocks.size(); ++i) {
    const double a = trace.time_base().seconds(blocks[i - 1].end),
                 b = trace.time_base().seconds(blocks[i].start);
    if (b > a) out.emplace_back(a, b);
  }
  std::sort(out.begin(), out.end());
  // Flagged samples are gaps too: what overlaps or touches is one.
  std::size_t n = 0;
  for (const auto& stretch : out) {
    if (n > 0 && stretch.first <= out[n - 1].second) {
      out[n - 1].second = std::max(out[n - 1].second, stretch.second);
    } else {
      out[n++] = stretch;
    }
  }
  out.resize(n);
  return out;
}

constexpr int kThumbnail = 180;

/// Whether what was opened as `before` has only grown since.
bool same_capture(const book::CaptureInfo& before, const book::CaptureInfo& now) {
  return before.id == now.id && before.started_utc == now.started_utc && before.name == now.name;
}
bool same_channel(const book::ChannelInfo& before, const book::ChannelInfo& now) {
  return before.id == now.id && before.time_base == now.time_base && before.kind == now.kind &&
         before.encoding == now.encoding && before.samples <= now.samples &&
         before.calibration == now.calibration && before.quantity == now.quantity;
}

/// The channel that stands for a capture, and how it was put right.
std::pair<std::int64_t, book::Calibration> shown_as(const book::CaptureInfo& info,
                                                    const std::string& path) {
  try {
    const book::ChannelInfo& channel = book::shown_channel(info, path);
    return {channel.id, channel.calibration};
  } catch (const Error&) {  // it has none to show
    return {};
  }
}

std::int64_t samples_of(const book::CaptureInfo& info) {
  std::int64_t out = 0;
  for (const book::ChannelInfo& c : info.channels) out += c.samples;
  return out;
}

}  // namespace

Reader::Reader(const QString& path, const std::string& unclean)
    : book_(book::Book::open(path.toStdString(), book::Book::Mode::read)),
      path_(path),
      unclean_(unclean.empty() ? book_.unclean() : unclean) {
  version_ = book_.data_version();
}

bool Reader::changed() {
  const auto version = book_.data_version();
  const bool other = std::exchange(version_, version) != version;
  if (other) opened_for_list_.clear();
  return other;
}

/// An open trace takes in what is new; of its pictures, what its old end touched is forgotten.
void Reader::grow(Open& open, book::ChannelTrace& trace, const book::ChannelInfo& now) {
  const book::ChannelInfo before = trace.info();
  if (now.samples == before.samples && now.flagged == before.flagged && now.clock == before.clock)
    return;
  const double from = trace.from_s(), to = trace.to_s();
  const TimeBase base = trace.time_base();
  const std::pair key{open.view->info.id, now.name};
  try {
    trace.grow(now);
  } catch (const Error&) {  // reported when it is opened anew
    columns_.erase(key);
    open.current = nullptr;
    open.traces.clear();
    throw;
  }
  const auto it = columns_.find(key);
  if (it == columns_.end()) return;
  Columns& c = it->second;
  if (!(trace.time_base() == base) || trace.from_s() != from) {
    columns_.erase(it);
    return;
  }
  // The column before the end's too: its last straight line had no end yet.
  const auto whole = static_cast<std::int64_t>(std::floor(to / c.width)) - 1 - c.first;
  if (whole < static_cast<std::int64_t>(c.columns.size()))
    c.columns.resize(static_cast<std::size_t>(std::max<std::int64_t>(0, whole)));
}

const Reader::CaptureThumbnail& Reader::thumbnail_of(const book::CaptureInfo& info) {
  CaptureThumbnail& known_picture = thumbnails_[info.id];
  const std::int64_t samples = samples_of(info);
  const auto shown = shown_as(info, book_.path());
  if (samples == known_picture.samples && shown == known_picture.shown) return known_picture;
  try {
    const book::ChannelInfo& channel = book::shown_channel(info, book_.path());
    const auto it = std::find_if(open_.begin(), open_.end(), [&](const Open& o) {
      return o.current && same_capture(o.view->info, info) &&
             same_channel(o.current->info(), channel);
    });
    if (it != open_.end()) {
      grow(*it, *it->current, channel);
      known_picture.take(*it->current, info.recording);
    } else {
      constexpr std::size_t kSpare = 8;
      if (opened_for_list_.size() >= kSpare) opened_for_list_.erase(opened_for_list_.begin());
      auto& trace = opened_for_list_[channel.id] =
          std::make_unique<book::ChannelTrace>(book_, channel);
      known_picture.take(*trace, info.recording);
    }
  } catch (const Error&) {  // without a current, or damaged: reported when it is opened
    known_picture = {};
  }
  known_picture.samples = samples;
  known_picture.shown = shown;
  return known_picture;
}

void Reader::CaptureThumbnail::take(const Trace& trace, bool growing) {
  if (!(trace.to_s() > trace.from_s())) return;
  if (growing) {
    whole.grow(trace);
    thumbnail = whole.columns(trace.from_s(), trace.to_s(), kThumbnail);
  } else {
    whole = GrowingEnvelope(kOverview);
    thumbnail = envelope(trace, trace.from_s(), trace.to_s(), kThumbnail);
  }
}

CaptureRow Reader::row(const book::CaptureInfo& info, std::size_t ink) {
  CaptureRow out;
  out.info = info;
  out.ink = ink;
  if (info.typed) {
    out.typed = book::typed_readings(book_, info.id);
    return out;
  }
  out.thumbnail = thumbnail_of(info).thumbnail;
  if (auto edited = book::edited_split(book_, info)) {
    out.fills = fills_for(edited->split.recipe_text, edited->split.visits);
    out.visits = std::move(edited->split.visits);
  }
  return out;
}

BookViewPtr Reader::list() {
  opened_for_list_.clear();
  auto out = std::make_shared<BookView>();
  out->path = path_;
  out->unclean = unclean_;
  out->deleted = book_.deleted().size();
  out->builds = book_.builds();
  for (const book::Note& note : book_.notes()) {
    if (note.capture == 0 && note.value) out->notes[note.key] = *note.value;
  }
  for (const book::DocumentKindInfo& kind : book::document_kinds()) {
    if (auto document = book::document(book_, kind.id))
      out->documents[kind.id] = std::move(*document);
    out->notes.erase(std::string(kind.key));
  }
  for (const book::CaptureInfo& info : book_.captures())
    out->rows.push_back(row(info, out->ink_of(info.build)));
  return out;
}

Reader::Open Reader::open(const book::CaptureInfo& info, std::size_t ink, double axis_s,
                          Open known) {
  Open out;
  auto view = std::make_shared<CaptureView>();
  view->info = info;
  view->ink = ink;
  if (info.typed) {
    const book::SplitCapture typed = book::load_split(book_, info);
    view->typed = typed.typed;
    view->basis = typed.account().basis;
    view->ledger = make_ledger({typed.account()});
    view->fills = fills_for(view->typed);
    out.view = view;
    return out;
  }
  view->channel = book::shown_channel(view->info, book_.path());
  for (const book::ChannelInfo& c : view->info.channels) {
    if (c.samples == 0) continue;
    auto& trace = out.traces[c.name];
    // Put right since, its pictures are others too.
    if (const auto it = known.traces.find(c.name);
        it != known.traces.end() && !same_channel(it->second->info(), c))
      columns_.erase({info.id, c.name});
    trace = trace_of(c, known);
    if (c.id == view->channel.id) out.current = trace.get();
    if (trace->to_s() > trace->from_s()) {
      const SpanFigures all = measure(*trace);
      view->extremes[c.name] = {all.min.value_or(0), all.max.value_or(0)};
    } else if (!trace->blocks().empty()) {  // one instant: no span to measure, but a value
      double value = 0;
      trace->read(trace->blocks().front(), 0, std::span(&value, 1));
      view->extremes[c.name] = {value, value};
    }
  }
  view->from_s = view->info.from_s();
  view->to_s = view->info.to_s();
  const book::LinedUp place = book::lined_up(book_, info.id);
  view->offset_s = place.offset_s - axis_s;
  view->lined_up_by = place.how;
  view->lined_up_s = place.offset_s;
  view->log = book_.log(info.id);
  const auto events = book_.events(info.id);
  add_events(view->log, events);
  for (const Event& e : events) {
    if (e.kind == EventKind::mark)
      view->marks.emplace_back((e.earliest_s + e.latest_s) / 2, e.text);
  }
  std::stable_sort(view->marks.begin(), view->marks.end());
  if (out.current) view->breaks = breaks_of(*out.current);
  book::SplitCapture basis;
  basis.info = view->info;
  basis.channel = view->channel;
  view->basis = basis.basis();
  view->edit_list = book::edits(book_, info.id);
  if (out.current && out.current->to_s() > out.current->from_s()) add_states(*view, *out.current);
  out.view = view;
  return out;
}

/// The trace as it was open already, grown; else opened.
std::unique_ptr<book::ChannelTrace> Reader::trace_of(const book::ChannelInfo& c, Open& known) {
  std::unique_ptr<book::ChannelTrace> trace;
  if (const auto it = known.traces.find(c.name);
      it != known.traces.end() && same_channel(it->second->info(), c)) {
    trace = std::move(it->second);
    known.traces.erase(it);
    grow(known, *trace, c);
  } else if (const auto spare = opened_for_list_.find(c.id);
             spare != opened_for_list_.end() && same_channel(spare->second->info(), c)) {
    trace = std::move(spare->second);
    opened_for_list_.erase(spare);  // whatever throws from here on, nothing empty stays
    trace->grow(c);
  } else {
    trace = std::make_unique<book::ChannelTrace>(book_, c);
  }
  return trace;
}

/// Picture, states and ledger of a capture.
void Reader::add_states(CaptureView& view, const book::ChannelTrace& current) {
  CaptureThumbnail& known_picture = thumbnails_[view.info.id];
  if (view.info.recording) {
    known_picture.take(current, true);
    view.overview = known_picture.whole.columns(view.from_s, view.to_s, kOverview);
  } else {
    view.overview = envelope(current, view.from_s, view.to_s, kOverview);
  }
  if (auto edited = book::edited_split(book_, view.info)) {
    view.recipe_name = edited->split.recipe_name;
    view.recipe_text = edited->split.recipe_text;
    view.edits = edited->edits;
    view.conflicts = edited->conflicts;
    view.fills = fills_for(view.recipe_text, edited->split.visits);
    view.visits = measure_visits(current, edited->split.visits);
  }
  if (!view.visits.empty()) view.ledger = make_ledger({{&current, view.visits, view.basis}});
}

ShownPtr Reader::show(const std::vector<std::int64_t>& captures) {
  std::vector<Open> before = std::exchange(open_, {});
  auto out = std::make_shared<ShownCaptures>();
  const auto builds = book_.builds();
  const double axis_s = captures.empty() ? 0 : book::lined_up(book_, captures.front()).offset_s;
  for (const std::int64_t id : captures) {
    const book::CaptureInfo info = book_.capture(id);
    const auto at = std::find(builds.begin(), builds.end(), info.build);
    const auto known = std::find_if(before.begin(), before.end(), [&](const Open& o) {
      return o.view && same_capture(o.view->info, info);
    });
    if (known == before.end())
      std::erase_if(columns_, [&](const auto& c) { return c.first.first == id; });
    Open one = open(info, at == builds.end() ? 0 : static_cast<std::size_t>(at - builds.begin()),
                    axis_s, known == before.end() ? Open{} : std::move(*known));
    out->captures.push_back(one.view);
    open_.push_back(std::move(one));
  }
  opened_for_list_.clear();
  std::erase_if(columns_, [&](const auto& c) {
    return std::find(captures.begin(), captures.end(), c.first.first) == captures.end();
  });
  return out;
}

SpanReadingPtr Reader::span(double from_s, double to_s) const {
  if (open_.empty() || !open_.front().current) return nullptr;
  const Trace& trace = *open_.front().current;
  const double from = std::clamp(from_s, trace.from_s(), trace.to_s());
  const double to = std::clamp(to_s, from, trace.to_s());
  auto out = std::make_shared<SpanReading>();
  out->asked_from_s = from_s;
  out->asked_to_s = to_s;
  out->figures = measure(trace, from, to);
  // Where the current changes its sign all samples are read; noise about zero is not worth it.
  constexpr std::int64_t kReadable = 1'000'000;
  constexpr double kFlowsBack = 1e-4;  // of the peak
  const double least = out->figures.min.value_or(0), most = out->figures.max.value_or(0);
  if (-least > kFlowsBack * std::fabs(most) && out->figures.samples <= kReadable)
    out->flow = charge_flow(trace, from, to);
  if (const auto mean = out->figures.mean()) {
    out->mean_u = expand(accuracy_components(open_.front().view->basis.accuracy, *mean)).U;
  }
  return out;
}

MomentsReadingPtr Reader::moments(const std::vector<double>& moments) const {
  if (open_.empty()) return nullptr;
  auto out = std::make_shared<MomentsReading>();
  out->moments = moments;
  for (const book::ChannelInfo& c : open_.front().view->info.channels) {
    const auto it = open_.front().traces.find(c.name);
    if (it == open_.front().traces.end()) continue;
    MomentsReading::Channel channel{c.name, c.unit, {}};
    for (const double t : moments) channel.values.push_back(value_at(*it->second, t));
    out->channels.push_back(std::move(channel));
  }
  return out;
}

SpreadViewPtr Reader::spread(const SpreadRequest& request) const {
  constexpr std::int64_t kAtOnce = 200'000;  // samples: some milliseconds
  if (open_.empty() || !open_.front().current || open_.front().view->info.id != request.capture)
    return nullptr;
  return spread_of(*open_.front().current, request, kAtOnce, {});
}

LevelHistogramPtr Reader::histogram(const std::function<bool()>& going_on) const {
  if (open_.empty() || !open_.front().current) return nullptr;
  const Trace& trace = *open_.front().current;
  auto out = std::make_shared<LevelHistogram>();
  out->capture = open_.front().view->info.id;
  constexpr int kBins = 120;
  constexpr std::int64_t kPiece = 4096, kAtMost = 4 << 20;
  const auto known = open_.front().view->extremes.find(open_.front().view->channel.name);
  if (known == open_.front().view->extremes.end()) return nullptr;
  out->high = std::max(known->second.second, 1e-9);
  double quiet = out->high;
  for (const EnvelopeColumn& c : open_.front().view->overview) {
    if (c.any && c.hi > 0) quiet = std::min(quiet, std::max(c.lo, c.hi / 30));
  }
  out->low = std::clamp(quiet / 2, out->high * 1e-9, out->high / 10);
  out->share.assign(kBins, 0);
  // Of a very long trace evenly spread pieces are read.
  const std::int64_t stride = std::max<std::int64_t>(1, trace.samples() / kAtMost);
  const double scale = kBins / std::log(out->high / out->low);
  std::vector<double> values;
  double total = 0;
  std::int64_t piece = 0;
  for (const Block& block : trace.blocks()) {
    const double dt = trace.time_base().seconds(block.end - block.start) /
                      static_cast<double>(std::max<std::int64_t>(1, block.count));
    for (std::int64_t at = 0; at < block.count; at += kPiece) {
      if (piece++ % stride != 0) continue;
      if (!going_on()) return nullptr;
      values.resize(static_cast<std::size_t>(std::min(kPiece, block.count - at)));
      trace.read(block, at, values);
      for (const double v : values) {
        const double bin = v > out->low ? std::log(v / out->low) * scale : 0;
        out->share[static_cast<std::size_t>(std::clamp(bin, 0.0, kBins - 1.0))] += dt;
        total += dt;
      }
    }
  }
  for (double& s : out->share) s /= std::max(total, 1e-300);
  return out;
}

namespace {

constexpr int kSpecimenColumns = 48;
constexpr double kBesideIt = 0.1;  // of its length, on either side

/// By rule, the visit whose length is the median of the whole ones, with a little beside it.
std::vector<std::vector<EnvelopeColumn>> specimens_of(const Trace& trace, const Recipe& recipe,
                                                      const Visits& visits) {
  std::map<std::string, std::vector<const Visit*>> of;
  for (const Visit& v : visits) {
    if (v.whole && !v.narrow) of[v.state].push_back(&v);
  }
  std::vector<std::vector<EnvelopeColumn>> out;
  for (const StateRule& rule : recipe.states) {
    out.emplace_back();
    std::vector<const Visit*>& list = of[rule.name];
    if (list.empty()) continue;
    const auto middle = list.begin() + static_cast<std::ptrdiff_t>(list.size() / 2);
    std::nth_element(list.begin(), middle, list.end(),
                     [](const Visit* a, const Visit* b) { return a->length_s() < b->length_s(); });
    const double beside = kBesideIt * (*middle)->length_s();
    out.back() =
        envelope(trace, (*middle)->from_s - beside, (*middle)->to_s + beside, kSpecimenColumns);
  }
  return out;
}

}  // namespace

RecipePreviewPtr Reader::preview(const std::string& text) const {
  auto out = std::make_shared<RecipePreview>();
  out->text = text;
  if (open_.empty()) return out;
  const CaptureView& view = *open_.front().view;
  out->capture = view.info.id;
  try {
    const formats::RecipeFile recipe = formats::parse_recipe(text, "recipe");
    const Recipe used = book::of_main_current(recipe.recipe, view.info, book_.path());
    const book::ToldSplit told = book::told_split(book_, view.info, used, recipe.text);
    std::string names;  // the rule that names its visits by what it meets
    for (const StateRule& rule : used.states) {
      out->visits[rule.name] = 0;
      if (names.empty() && !book::groups_in(rule.name).empty()) names = rule.name;
    }
    for (const Visit& v : told.split.visits) {
      const bool met = !is_built_in_state(v.state) && out->visits.count(v.state) == 0;
      ++out->visits[met ? names : v.state];
      if (v.state == kUnassigned) out->unassigned_s += v.length_s();
    }
    if (open_.front().current)
      out->specimens = specimens_of(*open_.front().current, used, told.split.visits);
    out->turned_away.resize(used.states.size());
    const book::ChannelInfo* channel = view.info.channel(used.channel);
    for (const Rejected& r : told.rejected) {
      std::string& said = out->turned_away[r.rule];
      said += (said.empty() ? "" : ".\n") + in_words(r, used, channel ? channel->unit : "A");
    }
  } catch (const Error& e) {
    out->error = e.where() + ": " + e.why();
  }
  return out;
}

}  // namespace kuvio::app
