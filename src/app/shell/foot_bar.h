// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"
#include "app/shell/foot_line.h"

class QComboBox;
class QPushButton;

namespace kuvio::app {

/// The window's foot: the read-out, whether spans snap to whole cycles, and the
/// unit charge is shown in.
class FootBar : public QWidget {
  Q_OBJECT
public:
  explicit FootBar(ViewState& view, QWidget* parent = nullptr);
  FootLine& line() { return *line_; }
  const FootLine& line() const { return *line_; }
  void showCycles(bool shown);
  /// What is under the pointer.
  void setInstant(const QString& text);
  QString instant() const;
  /// Takes a unit by its symbol, the first where there is none of that; its number and symbol.
  int setUnit(const QString& symbol);
  QString unit() const;
  /// The symbol after that of the unit shown.
  QString nextUnit() const;

signals:
  void unitChosen(const QString& symbol);

private:
  FootLine *line_, *instant_;
  QPushButton* cycles_;
  QComboBox* unit_;
};

}  // namespace kuvio::app
