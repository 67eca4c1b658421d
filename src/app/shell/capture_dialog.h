// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"

#include <QDialog>
#include <QLineEdit>
#include <QPlainTextEdit>

#include <vector>

namespace kuvio::app {

/// What a capture is called, which build it is of, and what was true while it was made: to be put
/// right, for one or for several at once. What was recorded stays in the book.
class CaptureDialog : public QDialog {
  Q_OBJECT
public:
  /// Of several, fields show what all have in common; those where they differ stand empty, and
  /// left so change nothing. At least one.
  CaptureDialog(std::vector<book::CaptureInfo> captures, QWidget* parent);

signals:
  /// What is other than it was; never empty.
  void described(const std::vector<kuvio::book::Note>& notes);

private:
  void take();
  std::vector<book::CaptureInfo> captures_;
  Conditions common_;
  QLineEdit *name_, *build_, *board_, *tester_, *temperature_, *note_;
  QPlainTextEdit* others_;
};

/// The notes that make a capture's name, build and conditions what is wanted; none where nothing
/// differs. An empty name or build is left as it was.
std::vector<book::Note> description_changes(const book::CaptureInfo& capture,
                                            const std::string& name, const std::string& build,
                                            const Conditions& conditions);

/// Lines "key = value"; what is wrong with the first that is none.
struct WrittenConditions {
  Conditions conditions;
  QString trouble;
};
WrittenConditions written_conditions(const QString& lines);

}  // namespace kuvio::app
