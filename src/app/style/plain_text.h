// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

namespace kuvio::app {

/// Shows every label and tool tip of the application as plain text. Names, log lines and limits
/// come from devices, instruments and books: as rich text they could draw what is not so, and have
/// the window's thread open files.
class PlainText : public QObject {
  Q_OBJECT
public:
  /// Makes it so for all widgets there will be; once is enough.
  static void insist();
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  using QObject::QObject;
};

}  // namespace kuvio::app
