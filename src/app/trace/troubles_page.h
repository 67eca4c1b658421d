// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"

#include <QWidget>

class QLabel;
class QStandardItemModel;

namespace kuvio::app {

class NotebookTable;

/// What of the capture is not the device at its normal work, a row each, and what could not be
/// looked for. Picking a row goes there. Looks by itself whenever another split is shown.
class TroublesPage : public QWidget {
  Q_OBJECT
public:
  TroublesPage(ViewState& view, Session& session, QWidget* parent = nullptr);
  QString words() const;

signals:
  /// So many are known of what is shown.
  void found(int count);

private:
  void takeCapture();
  void takeTroubles(const TroublesViewPtr& troubles);
  void lay();
  void go(int row);

  ViewState& view_;
  Session& session_;
  CaptureViewPtr asked_;  // of what troubles were asked last
  TroublesViewPtr troubles_;
  QStandardItemModel* model_;
  NotebookTable* table_;
  QLabel* words_;
};

}  // namespace kuvio::app
