// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/pixels.h"
#include "core/recipe.h"

#include <QWidget>

#include <optional>
#include <vector>

namespace kuvio::app {

class Lanes;

/// How the capture's time is spread over levels, on the value axis of the lane of current that it
/// stands beside, with the edges of a recipe's bands as handles that can be dragged. Where the lane
/// is too low, or elsewhere, it has an axis of its own.
class LevelView : public QWidget {
  Q_OBJECT
public:
  explicit LevelView(const Lanes& lanes, QWidget* parent = nullptr);
  void setHistogram(LevelHistogramPtr histogram);
  void setRules(const std::vector<StateRule>& rules, const Fills& fills);
  QSize sizeHint() const override { return {220, wanted()}; }
  /// Vertical pixel of a level (A); beyond the ends it is one of them.
  double pixelOf(double level) const;
  /// Whether it stands beside the lane, on the lane's own pixels.
  bool beside() const;

signals:
  /// A handle is at another level; `done` when it was let go. `upper`: the band's upper edge.
  void edgeDragged(int rule, bool upper, double level, bool done);

protected:
  void paintEvent(QPaintEvent* event) override;
  void showEvent(QShowEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

private:
  struct Handle {
    int rule = -1;
    bool upper = false;
    double level = 0;
  };
  /// As high as reaches the lane's foot from where it stands.
  int wanted() const;
  /// Where levels are drawn: from top to bottom.
  struct Room {
    double top = 0, bottom = 0;
  };
  Room room() const;
  std::vector<Handle> handles() const;
  std::optional<Handle> handleAt(double y) const;
  double levelAt(double y) const;
  QBrush fillOf(double level) const;
  void paintNames(QPainter& painter) const;
  void paintAxis(QPainter& painter) const;

  const Lanes& lanes_;
  LevelHistogramPtr histogram_;
  std::vector<StateRule> rules_;
  Fills fills_;
  std::optional<Handle> dragged_;
};

}  // namespace kuvio::app
