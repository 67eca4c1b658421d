// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"
#include "core/number_text.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QLineEdit;

namespace kuvio::app {

class NotebookTable;
class VisitPlot;
class VisitsModel;

/// The visits to one state: a table in which those unlike the others are marked, their charges as
/// dots, and what each byte or event that the log counts costs. Picking a visit here shows it on
/// the trace.
class VisitsPage : public QWidget {
  Q_OBJECT
public:
  explicit VisitsPage(ViewState& view, QWidget* parent = nullptr);
  void setUnit(ChargeUnit unit);
  QString words() const;

protected:
  void showEvent(QShowEvent* event) override;

private:
  void takeCapture();
  void follow();
  void showState(const std::string& state);
  void say();
  void fit();
  void pick(int visit);

  ViewState& view_;
  CaptureViewPtr capture_;
  std::string state_;
  VisitsModel* model_;
  NotebookTable* table_;
  VisitPlot* plot_;
  QComboBox* states_;
  QLabel *words_, *cost_;
  QLineEdit* per_;
  bool following_ = false;
};

}  // namespace kuvio::app
