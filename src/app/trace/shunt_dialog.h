// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/shunt_choice.h"

#include <QCheckBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include <optional>

namespace kuvio::app {

/// Where a shunt's currents lie between one count and full scale, by decades: what drowns in
/// counts, what is seen, and where the peak stands.
class ShuntReach : public QWidget {
  Q_OBJECT
public:
  explicit ShuntReach(QWidget* parent);
  void setChoice(const std::optional<ShuntChoice>& choice, const ShuntTask& task);
  QSize sizeHint() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  std::optional<ShuntChoice> choice_;
  ShuntTask task_;
};

/// Proposes a shunt for a task, or judges one that is there: burden voltage, heat, full scale, one
/// count, and what the smallest current is in counts. Answers while it is typed.
class ShuntDialog : public QDialog {
  Q_OBJECT
public:
  explicit ShuntDialog(QWidget* parent);
  /// Whether there is a channel that the shunt could be given to: `name`, or nothing.
  void setTarget(const QString& name);
  /// The greatest current known (A), where nothing is typed yet.
  void proposePeak(double amperes);

signals:
  /// The shunt, as its channel's field takes it.
  void chosen(const QString& shunt);

private:
  QLineEdit* field(const char* name, const QString& accessible, const QString& example);
  void work();
  bool read(ShuntTask& task, std::optional<double>& ohm);

  QLineEdit *peak_, *smallest_, *range_, *drop_, *decoupling_, *ohm_;
  QSpinBox* bits_;
  QCheckBox* both_ways_;
  ShuntReach* reach_;
  QLabel *answer_, *more_;
  QPushButton* use_;
  std::optional<ShuntChoice> choice_;
};

}  // namespace kuvio::app
