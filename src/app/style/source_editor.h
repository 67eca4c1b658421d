// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>

namespace kuvio::app {

/// The text of a file that people write, as it stands: typed in, applied by a button, with what is
/// wrong with it under it.
class SourceEditor : public QWidget {
  Q_OBJECT
public:
  /// Object names are `name` + "Source", "Error" and "ApplyText".
  SourceEditor(const QString& name, const QString& accessible_name, QWidget* parent);
  /// What stands; what is being typed is kept where it is the same.
  void setText(const QString& text);
  QString text() const { return text_->toPlainText(); }
  /// "name:line: why", or nothing.
  void setTrouble(const QString& trouble);

signals:
  void applied(const QString& text);

private:
  QPlainTextEdit* text_;
  QLabel* trouble_;
};

}  // namespace kuvio::app
