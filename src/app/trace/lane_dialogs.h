// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>

#include <string>

namespace kuvio::app {

/// Asks for a length of time; nothing modal.
class WindowDialog : public QDialog {
  Q_OBJECT
public:
  WindowDialog(double suggested_s, QWidget* parent);

signals:
  void given(double window_s);
};

/// Asks for the two ends of a value axis.
class AxisDialog : public QDialog {
  Q_OBJECT
public:
  /// `unit`: of what the lane shows.
  AxisDialog(double low, double high, const std::string& unit, QWidget* parent);

signals:
  void given(double low, double high);
};

}  // namespace kuvio::app
