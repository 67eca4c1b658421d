// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/account_views.h"
#include "app/engine/view_state.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QStandardItemModel;

namespace kuvio::app {

class NotebookTable;
class WaitPlot;

/// How long a state is waited for from a log line, a mark or an edge of a logic line: a sentence,
/// each wait as a dot and as a row, and the times it was waited for in vain.
class WaitsPage : public QWidget {
  Q_OBJECT
public:
  WaitsPage(ViewState& view, Session& session, QWidget* parent = nullptr);
  QString words() const;

protected:
  void showEvent(QShowEvent* event) override;

private:
  void takeCapture();
  void offer();
  void ask();
  void takeWaits(const WaitsViewPtr& waits);
  void lay();
  void pick(int wait);
  Anchor anchor() const;

  ViewState& view_;
  Session& session_;
  std::int64_t capture_ = 0;
  WaitsRequest asked_;
  WaitsViewPtr waits_;
  QComboBox *kind_, *of_, *state_;
  QLabel* words_;
  QStandardItemModel* model_;
  NotebookTable* table_;
  WaitPlot* plot_;
  bool following_ = false;
};

}  // namespace kuvio::app
