// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/trace_views.h"
#include "app/engine/view_state.h"
#include "app/style/pixels.h"
#include "app/trace/lane_plan.h"
#include "app/trace/threshold.h"

#include <QTimer>
#include <qcustomplot.h>

namespace kuvio::app {

class CurvePlottable;
class ThresholdMark;

/// Room to the left and right of every lane, so that lanes, overview and fan share one time axis.
inline constexpr Px kLaneLeft{84}, kLaneRight{16};
/// Length of the handle at the right end of a threshold's line (pixels).
inline constexpr int kThresholdHandle = 12;

/// The lanes of the Trace desk: channels, and what is derived of them, of all captures drawn
/// together, on one time axis. Which there are, in which order, how high and on which scale is a
/// LanePlan, kept with the book.
///
/// Wheel zooms time at the pointer, Shift+wheel pans, Ctrl+wheel zooms the value axis under it;
/// drag marks a span, whose ends are handles, or moves the capture that is being lined up; middle
/// drag, or a drag on an axis, pans; a lane's name is dragged to another place, the line between
/// two lanes up or down; click picks a visit, double-click zooms to it.
class Lanes : public QCustomPlot {
  Q_OBJECT
public:
  Lanes(ViewState& view, Session& session, QWidget* parent = nullptr);

  bool logarithmic() const { return logarithmic_; }
  /// The usual scale of the lanes of current; those with a scale of their own keep it.
  void setLogarithmic(bool on);
  /// Gives every lane's value axis back to its usual range.
  void fitValues();
  void applyTheme();

  /// Names of the lanes that are seen, from the top.
  std::vector<std::string> laneNames() const;
  const LanePlan& plan() const { return plan_; }
  /// Another plan; kept with the book.
  void setPlan(LanePlan plan);
  /// Channels of the captures that are drawn.
  const std::vector<book::ChannelInfo>& channels() const { return channels_; }
  bool isHidden(const std::string& channel) const;
  void setHidden(const std::string& channel, bool hidden);

  /// The lane that menus speak of: that under the pointer last. Index into the plan, or npos.
  std::size_t chosenLane() const;
  /// It has another place in the plan now.
  void followLane(std::size_t spec);
  /// Makes the next lane (+1) or the one before (-1) the chosen one, by keys: its name is
  /// underlined.
  void stepLane(int direction);
  ValueScale scaleOf(std::size_t spec) const;
  std::string unitOf(std::size_t spec) const;
  /// Lowest and highest value of a lane's axis as it is shown.
  std::pair<double, double> shownValues(std::size_t spec) const;

  QCPRange valueRange(int lane = 0) const;
  /// The curve painted for a capture in a lane; null when there is none yet.
  const Curve* curve(int lane = 0, int capture = 0) const;
  /// Pixels of a lane's inside.
  QRect laneRect(int lane = 0) const;
  /// Horizontal pixel of a moment.
  double pixelOf(double t) const;
  double timeAt(double pixel) const;
  /// Vertical pixel of a value in the topmost lane of current, clamped to it; for what is drawn
  /// beside it. Nothing when there is no such lane.
  std::optional<double> currentPixel(double value) const;
  QRect currentLane() const;
  /// The value at a vertical pixel of that lane, inside or not. Nothing when there is none.
  std::optional<double> currentValue(double pixel) const;
  /// Edges of equal steps along that lane's axis, as values; empty when there is none.
  /// There are at least `least`, more where the lane is tall.
  std::vector<double> currentEdges(int least = 20) const;
  /// Lines across that lane.
  void setThresholds(std::vector<Threshold> thresholds);
  const std::vector<Threshold>& thresholds() const;
  /// Room at the time axis' right end that its labels leave to something else (pixels).
  void setReserve(int pixels);
  /// Lanes that are not seen: by the user's wish, and those that found no room.
  int hiddenLanes() const;
  int lanesBeyond() const { return paging_.beyond; }
  /// Whether all that is asked for is shown, exact.
  bool settled() const { return frame_ && !frame_->approximate && frame_->revision == revision_; }

signals:
  /// A frame that was asked for has been painted.
  void framePainted();
  /// The context menu is wanted there.
  void menuWanted(const QPoint& global);
  /// The count of hidden lanes was clicked; their list is wanted there.
  void hiddenClicked(const QPoint& global);
  /// The time axis was clicked: its notation changes.
  void timesClicked();
  /// A threshold's handle is at another level (A); `done` when it was let go.
  void thresholdDragged(int rule, bool upper, double level, bool done);
  /// The value axes have moved.
  void valuesChanged();

protected:
  void wheelEvent(QWheelEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;
  void leaveEvent(QEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  bool event(QEvent* event) override;

private:
  enum class Drag {
    none,
    span,
    left_end,
    right_end,
    first_cursor,
    second_cursor,
    pan,
    value,
    order,   // a lane by its name
    height,  // the line below a lane
    threshold,
    capture
  };
  struct Lane {
    std::size_t spec = 0;
    std::string name;
    Quantity quantity = Quantity::current;
    std::string unit;
    QCPAxisRect* rect = nullptr;
    QCPAxis *time = nullptr, *value = nullptr;
    QCPItemText* caption = nullptr;
    std::vector<CurveSource> sources;
    std::vector<CurvePlottable*> curves;  // one a source
    ValueScale scale = ValueScale::linear;
    double quiet = 0;    // where a scale through zero is straight
    bool moved = false;  // by wheel or drag

    double toAxis(double value) const;
    double fromAxis(double place) const;
  };
  void takeShown();
  void restorePlan();
  void makePaging();
  /// The lanes that there are, and of which capture (-1: of all), from the top.
  std::vector<std::pair<std::size_t, int>> allLanes() const;
  int needOf(std::size_t spec) const;
  /// How many of them, from one on, find room.
  int room(const std::vector<std::pair<std::size_t, int>>& all, int from) const;
  void bringIntoView(std::size_t spec);
  void showCounts(int all);
  void keepPlan();
  void build();
  void addLane(std::size_t spec, int capture, bool last);
  void fillLane(Lane& lane, int capture) const;
  static void setUpAxes(Lane& lane, bool last);
  QString captionOf(const Lane& lane, int capture) const;
  void setHeights();
  void styleLane(Lane& lane) const;
  void inkLane(Lane& lane) const;
  ValueFit fitOf(const Lane& lane) const;
  void fitLane(Lane& lane) const;
  void chooseScale(Lane& lane, double lo, double hi, double quiet) const;
  void fitToSeen(Lane& lane) const;
  void placeCaptions();
  void choose(std::size_t spec);
  void rangeChanged();
  void updateTicks();
  void updateValueTicks(Lane& lane);
  void askFrame();
  void takeFrame(const FramePtr& frame);
  int laneAt(const QPointF& place) const;
  int captionAt(const QPointF& place) const;
  int borderAt(const QPointF& place) const;
  Drag handleAt(const QPointF& place) const;
  int thresholdAt(const QPointF& place) const;
  void beginDrag(Drag drag, const QPointF& place);
  void dragValues(double y);
  void dragBorder(double y);
  void dropLane();
  QString describeAt(const QPointF& place) const;

  ViewState& view_;
  Session& session_;
  LanePlan plan_;
  QString plan_book_;  // whose plan it is
  std::vector<Lane> lanes_;
  std::vector<book::ChannelInfo> channels_;
  QStringList built_;
  std::uint64_t revision_ = 0;
  FramePtr frame_;
  bool logarithmic_ = true, fresh_ = false;
  QTimer stand_in_;  // paints the last frame stretched where the new one takes its time
  std::size_t chosen_ = LanePlan::npos;
  bool chosen_by_keys_ = false;
  /// What the hand is doing, and how things lay when it began.
  struct Hand {
    Drag drag = Drag::none;
    int lane = -1;
    QPointF pressed;
    double time = 0, pan_from = 0, pan_to = 0, offset = 0;
    QCPRange values;
    std::vector<int> heights;
    QWidget* guide = nullptr;  // where a dragged lane would go
    int drop_at = -1;
    Threshold threshold;
  };
  Hand hand_;
  ThresholdMark* thresholds_ = nullptr;
  /// Which lanes are seen where not all find room.
  struct Paging {
    QScrollBar* bar = nullptr;
    QPushButton* hidden = nullptr;
    int top = 0, beyond = 0;
  };
  Paging paging_;
  int reserve_ = 0;
};

}  // namespace kuvio::app
