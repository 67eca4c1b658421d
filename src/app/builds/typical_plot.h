// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"

#include <QWidget>

namespace kuvio::app {

/// A state's typical visit of two builds: all visits laid from their start, mean and 10–90 % band,
/// one ink and one line style a build.
class TypicalPlot : public QWidget {
  Q_OBJECT
public:
  explicit TypicalPlot(QWidget* parent = nullptr);
  void setView(TypicalViewPtr view, std::size_t reference_ink, std::size_t candidate_ink);
  QString caption() const;
  QSize sizeHint() const override { return {480, 300}; }

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  TypicalViewPtr view_;
  std::size_t reference_ink_ = 0, candidate_ink_ = 1;
};

}  // namespace kuvio::app
