// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/pixels.h"
#include "core/recipe.h"

#include <QWidget>

namespace kuvio::app {

/// How the capture's time is spread over levels, with the edges of a recipe's bands as handles that
/// can be dragged.
class LevelView : public QWidget {
  Q_OBJECT
public:
  explicit LevelView(QWidget* parent = nullptr);
  void setHistogram(LevelHistogramPtr histogram);
  void setRules(const std::vector<StateRule>& rules, const Fills& fills);
  QSize sizeHint() const override { return {220, Px{92}}; }
  /// Horizontal pixel of a level (A).
  double pixelOf(double level) const;

signals:
  /// A handle is at another level; `done` when it was let go. `upper`: the band's upper edge.
  void edgeDragged(int rule, bool upper, double level, bool done);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

private:
  struct Handle {
    int rule = -1;
    bool upper = false;
    double level = 0;
  };
  std::vector<Handle> handles() const;
  const Handle* handleAt(double x, std::vector<Handle>& all) const;
  double levelAt(double x) const;
  LevelHistogramPtr histogram_;
  std::vector<StateRule> rules_;
  Fills fills_;
  std::optional<Handle> dragged_;
};

}  // namespace kuvio::app
