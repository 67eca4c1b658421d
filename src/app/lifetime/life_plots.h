// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"

#include "study/life.h"

#include <QWidget>

namespace kuvio::app {

/// Battery life against the interval of one round, with what was captured and the scenario on it.
class LifeCurve : public QWidget {
  Q_OBJECT
public:
  explicit LifeCurve(QWidget* parent = nullptr);
  void setView(LifeViewPtr view);
  QSize sizeHint() const override { return {560, 260}; }

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  LifeViewPtr view_;
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
  QSize sizeHint() const override { return {560, 76}; }

protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;

private:
  LifeViewPtr view_;
  std::vector<CapacityPart> parts_;
};

}  // namespace kuvio::app
