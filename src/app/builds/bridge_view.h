// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"

#include <QWidget>

namespace kuvio::app {

/// Where a bridge's axis begins and ends (A). From zero; where both means stand high beside what
/// lies between them the foot is cut away, so that the steps can be seen.
struct BridgeAxis {
  double foot = 0, top = 1e-9;
  bool cut = false;
};
/// `low` and `high`: the lowest and highest mean that the bridge passes.
BridgeAxis bridge_axis(double low, double high);

/// The bridge: from the reference's mean current to the candidate's, one step per state.
class BridgeView : public QWidget {
  Q_OBJECT
public:
  explicit BridgeView(QWidget* parent = nullptr);
  void setView(BuildsViewPtr view, std::size_t reference_ink, std::size_t candidate_ink);
  void setPicked(const std::string& state);
  QSize sizeHint() const override { return {560, 300}; }

signals:
  void picked(const QString& state);

protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

private:
  struct Step {
    QString name, state;
    double from = 0, to = 0;
    bool total = false;
  };
  std::vector<Step> steps() const;
  QRectF plot() const;
  BuildsViewPtr view_;
  std::size_t reference_ink_ = 0, candidate_ink_ = 1;
  std::string picked_;
};

}  // namespace kuvio::app
