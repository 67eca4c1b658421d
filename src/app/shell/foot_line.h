// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/foot_part.h"

#include <QWidget>

#include <vector>

namespace kuvio::app {

/// The line at the window's foot: a sentence in parts with places of their own, so that numbers do
/// not jump as they change; each part explains on hover how it came about.
class FootLine : public QWidget {
  Q_OBJECT
public:
  explicit FootLine(QWidget* parent = nullptr);
  void setParts(std::vector<FootPart> parts);
  /// The sentence as plain text.
  QString text() const;

protected:
  void paintEvent(QPaintEvent* event) override;
  bool event(QEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

private:
  std::vector<FootPart> parts_;
  std::vector<double> widths_;  // the widest each has been: its place
};

}  // namespace kuvio::app
