// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/actions.h"

#include <QFrame>
#include <QLineEdit>
#include <QListWidget>
#include <QPointer>

namespace kuvio::app {

/// "Type what you want done": finds every action of the window by its words, in any order and with
/// letters left out, and runs the one picked.
class FindBox : public QFrame {
  Q_OBJECT
public:
  FindBox(Actions& actions, QWidget* window);
  void open();
  /// Whether every word begins a word of the text.
  static bool begins(const QString& words, const QString& text);
  /// How well words fit a text: 0 not at all, more is better.
  static int fit(const QString& words, const QString& text);

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void paintEvent(QPaintEvent* event) override;

private:
  void search();
  void runCurrent();
  void close();
  Actions& actions_;
  QPointer<QWidget> before_;  ///< had the keyboard
  QLineEdit* line_;
  QListWidget* list_;
};

}  // namespace kuvio::app
