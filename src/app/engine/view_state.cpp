// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/view_state.h"

#include "app/engine/trace_views.h"

#include <QDateTime>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
constexpr double kNarrowest = 20e-9;
constexpr std::size_t kHistory = 100;
}  // namespace

bool ViewState::recording() const { return capture_ && capture_->info.recording; }

void ViewState::setShown(const ShownPtr& shown) {
  const CaptureViewPtr capture =
      shown && !shown->captures.empty() ? shown->captures.front() : nullptr;
  const bool same = capture_ && capture && capture_->info.id == capture->info.id;
  const bool whole = capture_ && from_ <= begin_ && to_ >= end_;
  const bool followed = same && recording() && following_;
  std::optional<double> picked;  // a moment inside the picked visit
  if (same && visit_ != kNone) {
    const Visit& v = capture_->visits[static_cast<std::size_t>(visit_)].visit;
    picked = (v.from_s + v.to_s) / 2;
  }
  shown_ = shown;
  capture_ = capture;
  visits_.clear();
  if (capture) {
    for (const VisitFigures& v : capture->visits) visits_.push_back(v.visit);
  }
  dragged_.reset();
  if (moving_ && (!shown || *moving_ >= shown->captures.size())) setMoving(std::nullopt);
  if (!same) {
    back_.clear();
    forward_.clear();
    span_.reset();
    cycles_.reset();
    wanted_span_.reset();
    gone_to_.reset();
    cursors_.fill(std::nullopt);
    pointer_.reset();
    following_ = true;
  }
  visit_ = pointed_ = kNone;
  if (picked) {
    const auto at = visit_at(capture_->visits, *picked);
    if (at < capture_->visits.size()) visit_ = static_cast<int>(at);
  }
  if (capture) {
    begin_ = capture->from_s;
    end_ = capture->to_s;
    for (const CaptureViewPtr& c : shown->captures) {
      begin_ = std::min(begin_, c->from_s + c->offset_s);
      end_ = std::max(end_, c->to_s + c->offset_s);
    }
    if (!(end_ > begin_)) {  // a single instant lies in the middle of a second
      begin_ -= 0.5;
      end_ += 0.5;
    }
    const double width = to_ - from_;
    if (!same || whole) {
      from_ = begin_;
      to_ = end_;
    } else if (followed) {
      to_ = end_;
      from_ = std::max(begin_, end_ - width);
    } else {  // it may have become shorter: another capture is no longer drawn with it
      to_ = std::min(to_, end_);
      from_ = std::clamp(from_, begin_, std::max(begin_, to_ - kNarrowest));
      if (to_ - from_ < kNarrowest) to_ = from_ + kNarrowest;
    }
  }
  emit captureChanged();
  emit rangeChanged();
  emit cursorsChanged();
  emit spanChanged();
  emit visitChanged();
  emit followChanged();
}

void ViewState::follow(bool on) {
  if (following_ == on) return;
  following_ = on;
  emit followChanged();
}

void ViewState::returnToLive() {
  const double width = to_ - from_;
  following_ = true;
  show(end_ - width, end_, false);
  emit followChanged();
}

void ViewState::show(double from, double to, bool remember) {
  if (!capture_ || !std::isfinite(from) || !std::isfinite(to)) return;
  const double whole = end_ - begin_;
  const double width = std::clamp(to - from, kNarrowest, whole);
  const double start = std::clamp(from, begin_, std::max(begin_, begin_ + whole - width));
  if (start == from_ && start + width == to_) return;
  if (remember) {
    // A turn of the wheel is many small steps: one place in the history.
    const qint64 now = QDateTime::currentMSecsSinceEpoch();
    if (now - remembered_at_ > 600) {
      back_.emplace_back(from_, to_);
      if (back_.size() > kHistory) back_.erase(back_.begin());
      forward_.clear();
    }
    remembered_at_ = now;
  }
  from_ = start;
  to_ = start + width;
  if (recording()) follow(to_ >= end_ - 0.01 * width);
  emit rangeChanged();
}

void ViewState::showAll() {
  if (!capture_) return;
  remembered_at_ = 0;
  show(begin_, end_);
}

void ViewState::zoomAt(double t, double factor) {
  const double width = (to_ - from_) * factor;
  const double share = (t - from_) / (to_ - from_);
  show(t - width * share, t + width * (1 - share));
}

void ViewState::pan(double seconds) { show(from_ + seconds, to_ + seconds); }

void ViewState::back() {
  if (back_.empty()) return;
  forward_.emplace_back(from_, to_);
  const auto [from, to] = back_.back();
  back_.pop_back();
  show(from, to, false);
}

void ViewState::forward() {
  if (forward_.empty()) return;
  back_.emplace_back(from_, to_);
  const auto [from, to] = forward_.back();
  forward_.pop_back();
  show(from, to, false);
}

void ViewState::setSpan(double a, double b) {
  if (!capture_) return;
  const double lo = std::clamp(std::min(a, b), begin_, end_);
  const double hi = std::clamp(std::max(a, b), begin_, end_);
  if (!(hi > lo)) return;
  wanted_span_ = {lo, hi};
  snap();
  emit spanChanged();
}

/// The span as it is wanted, or the whole cycles nearest to it.
void ViewState::snap() {
  span_ = wanted_span_;
  cycles_.reset();
  if (!whole_cycles_ || !span_) return;
  std::string state = pickedState();
  cycles_ =
      state.empty() ? std::nullopt : whole_cycles(visits_, state, span_->first, span_->second);
  if (!cycles_) {
    state = cycle_state(visits_, span_->first);
    if (!state.empty()) cycles_ = whole_cycles(visits_, state, span_->first, span_->second);
  }
  if (cycles_) span_ = {cycles_->from_s, cycles_->to_s};
}

void ViewState::setWholeCycles(bool on) {
  if (on == whole_cycles_) return;
  whole_cycles_ = on;
  emit wholeCyclesChanged();
  if (!span_) return;
  snap();
  emit spanChanged();
}

void ViewState::setCursor(int i, std::optional<double> t) {
  if (!capture_) return;
  if (t) t = std::clamp(*t, begin_, end_);
  cursors_[static_cast<std::size_t>(i)] = t;
  emit cursorsChanged();
}

void ViewState::clearCursors() {
  if (!cursors_[0] && !cursors_[1]) return;
  cursors_.fill(std::nullopt);
  emit cursorsChanged();
}

void ViewState::goTo(double t) {
  if (!capture_) return;
  t = std::clamp(t, begin_, end_);
  if (t < from_ || t > to_) {
    const double half = (to_ - from_) / 2;
    show(t - half, t + half);
  }
  gone_to_ = t;
  setPointer(t);
}

bool ViewState::step(const std::vector<double>& moments, int direction) {
  if (!capture_) return false;
  double at = (from_ + to_) / 2;
  if (pointer_) at = *pointer_;
  if (gone_to_ && *gone_to_ >= from_ && *gone_to_ <= to_) at = *gone_to_;
  const double grain = 1e-12 * std::max(1.0, std::fabs(at));
  if (direction > 0) {
    const auto next = std::upper_bound(moments.begin(), moments.end(), at + grain);
    if (next == moments.end()) return false;
    goTo(*next);
  } else {
    const auto next = std::lower_bound(moments.begin(), moments.end(), at - grain);
    if (next == moments.begin()) return false;
    goTo(*(next - 1));
  }
  return true;
}

void ViewState::setLogMatches(std::vector<double> moments) {
  if (moments == log_matches_) return;
  log_matches_ = std::move(moments);
  emit logMatchesChanged();
}

double ViewState::offsetOf(std::size_t capture) const {
  if (dragged_ && moving_ == capture) return *dragged_;
  return shown_ && capture < shown_->captures.size() ? shown_->captures[capture]->offset_s : 0;
}

std::vector<double> ViewState::offsets() const {
  std::vector<double> out;
  for (std::size_t i = 0; shown_ && i < shown_->captures.size(); ++i) out.push_back(offsetOf(i));
  return out;
}

void ViewState::setMoving(std::optional<std::size_t> capture) {
  if (capture == moving_) return;
  moving_ = capture;
  dragged_.reset();
  emit movingChanged();
}

void ViewState::dragOffset(double offset_s) {
  if (!moving_) return;
  dragged_ = offset_s;
  emit offsetsChanged();
}

void ViewState::dropOffset() {
  if (!moving_ || !dragged_) return;
  emit offsetDragged(*moving_, *dragged_);
}

void ViewState::clearSpan() {
  if (!span_) return;
  span_.reset();
  wanted_span_.reset();
  cycles_.reset();
  emit spanChanged();
}

void ViewState::pickVisit(int index) {
  if (!capture_ || index >= static_cast<int>(capture_->visits.size())) index = kNone;
  if (index == visit_) return;
  visit_ = index;
  emit visitChanged();
}

std::string ViewState::pickedState() const {
  return visit_ == kNone ? "" : capture_->visits[static_cast<std::size_t>(visit_)].visit.state;
}

void ViewState::pickState(const std::string& state) {
  if (!capture_ || pickedState() == state) return;
  // Of its visits the one that is shown and has the most charge.
  int best = kNone;
  bool best_shown = false;
  for (std::size_t i = 0; i < capture_->visits.size(); ++i) {
    const VisitFigures& v = capture_->visits[i];
    if (v.visit.state != state) continue;
    const bool shown = v.visit.to_s > from_ && v.visit.from_s < to_;
    const bool better =
        best == kNone || (shown && !best_shown) ||
        (shown == best_shown && v.charge > capture_->visits[static_cast<std::size_t>(best)].charge);
    if (better) {
      best = static_cast<int>(i);
      best_shown = shown;
    }
  }
  pickVisit(best);
}

void ViewState::stepVisit(int direction) {
  if (!capture_ || capture_->visits.empty()) return;
  const int last = static_cast<int>(capture_->visits.size()) - 1;
  int next = visit_ == kNone ? static_cast<int>(visit_at(capture_->visits, (from_ + to_) / 2))
                             : visit_ + direction;
  next = std::clamp(next, 0, last);
  pickVisit(next);
  const Visit& v = capture_->visits[static_cast<std::size_t>(next)].visit;
  if (v.from_s < from_ || v.to_s > to_) {
    const double width = to_ - from_, middle = (v.from_s + v.to_s) / 2;
    if (v.length_s() < width) show(middle - width / 2, middle + width / 2);
  }
}

void ViewState::pointAt(int index) {
  if (index == pointed_) return;
  pointed_ = index;
  emit pointedChanged();
}

void ViewState::setPointer(std::optional<double> t) {
  if (t == pointer_) return;
  pointer_ = t;
  emit pointerChanged();
  pointAt(t && capture_ && !capture_->visits.empty()
              ? [&] {
                  const auto at = visit_at(capture_->visits, *t);
                  return at < capture_->visits.size() ? static_cast<int>(at) : kNone;
                }()
              : kNone);
}

}  // namespace kuvio::app
