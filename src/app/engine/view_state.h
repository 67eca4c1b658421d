// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/session.h"
#include "app/engine/views_fwd.h"
#include "core/cycles.h"

#include <QObject>

#include <array>
#include <optional>
#include <utility>
#include <vector>

namespace kuvio::app {

/// What is looked at: the captures drawn together, the shown stretch of time with its history, the
/// span, the picked visit and the one pointed at. Every view reads it and changes it; none talks to
/// another.
///
/// While the capture is being recorded the view follows its end; panning back holds it there.
class ViewState : public QObject {
  Q_OBJECT
public:
  using QObject::QObject;

  /// The capture that is accounted for, or null.
  const CaptureViewPtr& capture() const { return capture_; }
  const ShownPtr& shown() const { return shown_; }
  /// Shows other captures whole; the same one anew (it has grown, or was split) keeps range, span
  /// and picked visit.
  void setShown(const ShownPtr& shown);
  /// First and last moment of all that is shown.
  double begin() const { return begin_; }
  double end() const { return end_; }

  bool recording() const;
  bool held() const { return recording() && !following_; }
  /// How far the view's right end lies behind the capture's (s).
  double behind() const { return end_ - to_; }
  void returnToLive();

  double from() const { return from_; }
  double to() const { return to_; }
  /// Shows [from, to], kept inside the capture and no narrower than a few nanoseconds. `remember`
  /// puts the range left into the history (a pan or a wheel notch soon after another does not).
  void show(double from, double to, bool remember = true);
  void showAll();
  void zoomAt(double t, double factor);
  void pan(double seconds);
  void back();
  void forward();
  bool canGoBack() const { return !back_.empty(); }
  bool canGoForward() const { return !forward_.empty(); }

  const std::optional<std::pair<double, double>>& span() const { return span_; }
  /// Marks a span; of whole cycles, where these are wanted and there are some.
  void setSpan(double a, double b);
  void clearSpan();
  /// Whether spans snap to whole cycles; a marked one does so at once.
  bool wholeCycles() const { return whole_cycles_; }
  void setWholeCycles(bool on);
  /// What the marked span holds of them; nothing when it did not snap.
  const std::optional<WholeCycles>& cycles() const { return cycles_; }

  /// Two moments that stay where they are put.
  static constexpr int kCursors = 2;
  const std::optional<double>& cursor(int i) const { return cursors_[static_cast<std::size_t>(i)]; }
  void setCursor(int i, std::optional<double> t);
  void clearCursors();

  /// Shows a moment and points at it.
  void goTo(double t);
  /// Goes to the nearest of `moments` (in order of time) after (+1) or before (-1) the one gone to
  /// last, else the pointer, else the middle of the view. False when there is none.
  bool step(const std::vector<double>& moments, int direction);
  /// Moments of the log lines that the filter leaves; empty without a filter.
  const std::vector<double>& logMatches() const { return log_matches_; }
  void setLogMatches(std::vector<double> moments);

  /// Where a capture lies on the axis, as it is being dragged or as it was left.
  double offsetOf(std::size_t capture) const;
  std::vector<double> offsets() const;
  /// Which of those shown a drag over the lanes moves; nothing: it marks a span.
  std::optional<std::size_t> moving() const { return moving_; }
  void setMoving(std::optional<std::size_t> capture);
  void dragOffset(double offset_s);
  /// The drag has ended: `offsetDragged` says where.
  void dropOffset();

  static constexpr int kNone = -1;
  int visit() const { return visit_; }
  void pickVisit(int index);
  void pickState(const std::string& state);
  /// Picks the next (+1) or previous (-1) visit and brings it into view.
  void stepVisit(int direction);
  int pointed() const { return pointed_; }
  void pointAt(int index);
  /// The moment under the pointer, wherever it is.
  const std::optional<double>& pointer() const { return pointer_; }
  void setPointer(std::optional<double> t);
  std::string pickedState() const;

signals:
  void captureChanged();
  void followChanged();
  void rangeChanged();
  void spanChanged();
  void visitChanged();
  void pointedChanged();
  void pointerChanged();
  void cursorsChanged();
  void wholeCyclesChanged();
  void logMatchesChanged();
  void offsetsChanged();
  void offsetDragged(std::size_t capture, double offset_s);
  void movingChanged();

private:
  void snap();
  void follow(bool on);
  ShownPtr shown_;
  CaptureViewPtr capture_;
  double begin_ = 0, end_ = 1, from_ = 0, to_ = 1;
  bool following_ = true;
  std::vector<std::pair<double, double>> back_, forward_;
  qint64 remembered_at_ = 0;
  std::optional<std::pair<double, double>> span_;
  std::optional<double> pointer_, gone_to_;
  std::optional<std::pair<double, double>> wanted_span_;  // before it snapped
  bool whole_cycles_ = false;
  std::optional<WholeCycles> cycles_;
  Visits visits_;
  std::array<std::optional<double>, kCursors> cursors_;
  std::vector<double> log_matches_;
  std::optional<std::size_t> moving_;
  std::optional<double> dragged_;
  int visit_ = kNone, pointed_ = kNone;
};

}  // namespace kuvio::app
