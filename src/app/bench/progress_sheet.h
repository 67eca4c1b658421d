// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/bench_control.h"

#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

namespace kuvio::app {

class CutLabel;

/// What the run sheet becomes while it records: how far it is, a mark, and Stop.
class ProgressSheet : public QWidget {
  Q_OBJECT
public:
  explicit ProgressSheet(BenchControl& bench, QWidget* parent = nullptr);
  void refresh();
  QString text() const;
  QString takeNote();

signals:
  void markRequested();

private:
  BenchControl& bench_;
  CutLabel* text_;
  QLineEdit* note_;
  QPushButton *mark_, *begin_, *stop_;
};

}  // namespace kuvio::app
