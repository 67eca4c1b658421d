// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "app/lifetime/life_plots.h"

#include <QComboBox>
#include <QStackedWidget>
#include <QTabBar>

namespace kuvio::app {

/// The Lifetime desk's pictures: life over an activity's interval, or of every build, and below
/// where the capacity goes.
class LifePictures : public QWidget {
  Q_OBJECT
public:
  explicit LifePictures(QWidget* parent = nullptr);
  /// `book` says which build is the reference, and the builds' inks.
  void setView(const LifeViewPtr& view, const BookViewPtr& book);
  /// The activity whose interval is plotted.
  std::size_t activity() const;
  void repaintAll();

signals:
  void activityChosen();
  void intervalDragged(double interval_s);

private:
  QTabBar* which_;
  QComboBox* activity_;
  QStackedWidget* stack_;
  LifeCurve* curve_;
  BuildLives* builds_;
  CapacityBar* bar_;
};

}  // namespace kuvio::app
