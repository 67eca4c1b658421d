// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/work/view_state.h"

#include <QTimer>
#include <qcustomplot.h>

#include <set>

namespace kuvio::app {

class CurvePlottable;

/// Room to the left and right of every lane, so that lanes, overview and fan share one time axis.
inline constexpr int kLaneLeft = 84, kLaneRight = 16;

/// The lanes of the Trace desk: a channel each, of all captures drawn together, on one time axis.
/// Currents first, then voltages, then what else there is, logic lines last.
///
/// Wheel zooms time at the pointer, Shift+wheel pans, Ctrl+wheel zooms the value axis under it;
/// drag marks a span, whose ends are handles; middle drag, or a drag on an axis, pans; click picks
/// a visit, double-click zooms to it.
class Lanes : public QCustomPlot {
  Q_OBJECT
public:
  Lanes(ViewState& view, Session& session, QWidget* parent = nullptr);

  bool logarithmic() const { return logarithmic_; }
  /// The scale of the lanes of current.
  void setLogarithmic(bool on);
  /// Fits the value axes to what the captures hold.
  void fitValues();
  void applyTheme();
  /// Names of the channels that have a lane, from the top, hidden ones left out.
  std::vector<std::string> laneNames() const;
  /// All channels that could have one.
  std::vector<std::string> channelNames() const { return channels_; }
  bool isHidden(const std::string& name) const { return hidden_.count(name) > 0; }
  void setHidden(const std::string& name, bool hidden);
  QCPRange valueRange(int lane = 0) const;
  /// The curve painted for a capture in a lane; null when there is none yet.
  const Curve* curve(int lane = 0, int capture = 0) const;
  /// Horizontal pixel of a moment.
  double pixelOf(double t) const;
  double timeAt(double pixel) const;

signals:
  /// A frame that was asked for has been painted.
  void framePainted();
  /// The context menu is wanted there.
  void menuWanted(const QPoint& global);

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

private:
  enum class Drag { none, span, left_end, right_end, pan, value };
  struct Lane {
    std::string name, quantity, unit;
    QCPAxisRect* rect = nullptr;
    QCPAxis *time = nullptr, *value = nullptr;
    QCPItemText* caption = nullptr;
    std::vector<CurvePlottable*> curves;  // one a capture
    bool fixed = false;                   // the value axis was set by hand

    /// Currents keep one scale for the whole capture; other lanes fit to what is seen.
    bool follows() const { return quantity != "current" && quantity != "logic" && !fixed; }
  };
  void takeShown();
  void build();
  void addLane(const book::ChannelInfo& channel, bool last);
  void styleLane(Lane& lane) const;
  void fitLane(Lane& lane) const;
  static void fitToSeen(Lane& lane);
  void placeCaptions();
  void rangeChanged();
  void updateTicks();
  void askFrame();
  void takeFrame(const FramePtr& frame);
  int laneAt(const QPointF& place) const;
  Drag handleAt(double pixel) const;

  ViewState& view_;
  Session& session_;
  std::vector<Lane> lanes_;
  std::vector<std::string> channels_, built_;
  std::size_t built_captures_ = 0;
  std::set<std::string> hidden_;
  FramePtr frame_;
  bool logarithmic_ = true, fresh_ = false;
  QTimer stand_in_;  // paints the last frame stretched where the new one takes its time
  Drag drag_ = Drag::none;
  int drag_lane_ = -1;
  QPointF pressed_;
  double pressed_time_ = 0, pan_from_ = 0, pan_to_ = 0;
  QCPRange pan_values_;
};

}  // namespace kuvio::app
