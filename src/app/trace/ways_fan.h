// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "core/transitions.h"

#include <QPainterPath>
#include <QWidget>

#include <string>
#include <vector>

namespace kuvio::app {

/// What follows what, as a second fan: at the left each state's exits, at the right what came next,
/// each pair joined by a band as wide as it is frequent; behind it the reference's bands as
/// outlines. Pointing lights a band, a click picks it.
class WaysFan : public QWidget {
  Q_OBJECT
public:
  explicit WaysFan(QWidget* parent);
  /// `reference` is drawn as outlines, by its shares of exits.
  void setWays(const Transitions& here, const Transitions& reference, const Fills& fills);
  void setPicked(const std::string& from, const std::string& to);
  /// Where a pair's band lies; empty when there is none.
  QPainterPath bandOf(const std::string& from, const std::string& to) const;
  QSize minimumSizeHint() const override;
  QSize sizeHint() const override { return minimumSizeHint(); }

signals:
  void picked(const std::string& from, const std::string& to);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void leaveEvent(QEvent* event) override;

private:
  /// A state's block on one side, from top to bottom.
  struct Part {
    std::string state;
    double count = 0;
    double top = 0, height = 0;            // of its block
    double slot_top = 0, slot_height = 0;  // of what it has room for, its name too
  };
  struct Band {
    std::string from, to;
    double left_top = 0, right_top = 0, height = 0;
  };
  struct Layout {
    std::vector<Part> left, right;
    std::vector<Band> bands, outlines;
    double each = 1;  // pixels an exit
  };
  Layout laidOut() const;
  std::vector<Part> side(const std::vector<std::string>& order, bool exits) const;
  std::vector<Band> bands(const Transitions& ways, const Layout& layout, double scale) const;
  QPainterPath path(const Band& band) const;
  int bandAt(const QPointF& place, const Layout& layout) const;
  double namesWidth() const;
  double leftEdge() const;
  double rightEdge() const;

  Transitions here_, reference_;
  Fills fills_;
  std::string from_, to_;  // picked
  int pointed_ = -1;
};

}  // namespace kuvio::app
