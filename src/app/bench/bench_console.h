// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>
#include <QPlainTextEdit>
#include <QWidget>

namespace kuvio::app {

/// The device's own words as they come, and a line to send to it.
class BenchConsole : public QWidget {
  Q_OBJECT
public:
  explicit BenchConsole(QWidget* parent = nullptr);
  void append(const QString& text, bool sent);
  void clear() { text_->clear(); }
  void focusLine() { line_->setFocus(); }

signals:
  /// True when it was taken: then the line is emptied.
  void lineEntered(const QString& text, bool* taken);

private:
  void send();
  QPlainTextEdit* text_;
  QLineEdit* line_;
};

}  // namespace kuvio::app
