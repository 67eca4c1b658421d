// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/style/pixels.h"

#include "study/life.h"

#include <QWidget>

#include <functional>
#include <optional>

namespace kuvio::app {

/// Battery life against the interval of one round, with what was captured and the scenario on it.
class LifeCurve : public QWidget {
  Q_OBJECT
public:
  explicit LifeCurve(QWidget* parent = nullptr);
  void setView(LifeViewPtr view);
  QSize sizeHint() const override { return {560, 260}; }
  /// Where the scenario's point is painted, or would be for another interval of its activity (s).
  QPointF scenarioPoint() const;
  QPointF pointOf(double interval_s) const;

signals:
  /// The scenario's point was dragged along the curve to that interval of the activity (s).
  void intervalDragged(double interval_s);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  QRectF plot() const;
  /// What a curve says of an interval between its points (s).
  std::optional<double> lifeAt(double interval_s) const;
  double intervalAt(double x) const;

  LifeViewPtr view_;
  std::optional<double> dragged_;  // an interval in pencil
};

/// Lives of all builds in the scenario, side by side, each with its interval.
class BuildLives : public QWidget {
  Q_OBJECT
public:
  explicit BuildLives(QWidget* parent = nullptr);
  void setView(LifeViewPtr view, const std::string& reference,
               const std::function<std::size_t(const std::string&)>& ink_of);
  QSize sizeHint() const override { return {560, 260}; }

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  LifeViewPtr view_;
  std::string reference_;
  std::vector<std::size_t> inks_;
};

/// A part of the battery's capacity: a state's, what it loses by itself, what is left unused.
struct CapacityPart {
  QString name;
  double share = 0;
  std::string state;  ///< empty for what is no state's
};
std::vector<CapacityPart> capacity_parts(const study::LifeFigures& life,
                                         const study::LifeBasis& basis);

/// Where the capacity goes, as one stacked bar.
class CapacityBar : public QWidget {
  Q_OBJECT
public:
  explicit CapacityBar(QWidget* parent = nullptr);
  void setView(LifeViewPtr view);
  QSize sizeHint() const override { return {560, Px{76}}; }

protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

private:
  LifeViewPtr view_;
  std::vector<CapacityPart> parts_;
};

}  // namespace kuvio::app
