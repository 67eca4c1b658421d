// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/style/widgets.h"

#include <QDialog>
#include <QListWidget>

namespace kuvio::app {

/// Another activity of the scenario: states that are gone through, and how often.
class RoundDialog : public QDialog {
  Q_OBJECT
public:
  RoundDialog(const QStringList& states, QWidget* parent);

signals:
  void given(const QStringList& states, double interval_s);

private:
  void accept() override;

  QListWidget* states_;
  QuantityEdit* interval_;
  QLabel* trouble_;
};

}  // namespace kuvio::app
