// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>
#include <QPlainTextEdit>
#include <QWidget>

namespace kuvio::app {

/// The device's own words as they come, and a line to send to it. Up and Down bring back what was
/// sent.
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

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  void send();
  void recall(qsizetype at);
  QPlainTextEdit* text_;
  QLineEdit* line_;
  QStringList sent_;  // the last one last
  qsizetype at_ = 0;  // among them; one past the last is what is being written
  QString begun_;
};

}  // namespace kuvio::app
