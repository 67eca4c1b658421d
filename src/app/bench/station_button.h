// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/bench/wire_plan.h"

#include <QPushButton>

namespace kuvio::app {

/// A station on the wire: its title and what it reads; pressed, it opens its drawer.
class StationButton : public QPushButton {
  Q_OBJECT
public:
  StationButton(bool one_row, QWidget* parent);
  void show(const Station& station, bool open);
  const Station& station() const { return station_; }
  void setOneRow(bool one_row);
  /// As wide as its words want to be.
  int wanted() const;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  Station station_;
  bool one_row_, open_ = false;
};

}  // namespace kuvio::app
