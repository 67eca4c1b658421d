// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/actions.h"

#include <QLabel>
#include <QPushButton>

#include <vector>

namespace kuvio::app {

class BenchControl;

/// A desk's name in the bar at the top, underlined while the desk is shown.
class DeskButton : public QPushButton {
  Q_OBJECT
public:
  DeskButton(const DeskInfo& desk, QWidget* parent);
  DeskId desk() const { return desk_; }
  QSize sizeHint() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  DeskId desk_;
};

/// The bar at the window's top: desks, the find box, the output's state and the menu.
class TopBar : public QWidget {
  Q_OBJECT
public:
  TopBar(Actions& actions, BenchControl& bench, QWidget* parent = nullptr);
  void setDesk(DeskId desk);

signals:
  void deskRequested(kuvio::app::DeskId desk);
  void findRequested();

private:
  void showOutput();
  BenchControl& bench_;
  std::vector<DeskButton*> desks_;
  QPushButton* find_;
  QLabel* output_;
  QPushButton *switch_off_, *menu_;
};

}  // namespace kuvio::app
