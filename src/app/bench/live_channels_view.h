// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/bench_control.h"

#include <QWidget>

namespace kuvio::app {

/// Every channel of every input with what it reads right now, and the power where a current and a
/// voltage of the output are known.
class LiveChannelsView : public QWidget {
  Q_OBJECT
public:
  explicit LiveChannelsView(const BenchControl& bench, QWidget* parent = nullptr);
  QSize sizeHint() const override;
  /// Takes in what is read now; as high as it has rows.
  void refresh();
  /// A row as it is painted: name, reading, least, most.
  QList<QStringList> rows() const;

protected:
  void paintEvent(QPaintEvent*) override;

private:
  const BenchControl& bench_;
  int shown_ = 0;  // rows
};

}  // namespace kuvio::app
