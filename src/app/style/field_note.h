// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPointer>
#include <QTimer>

namespace kuvio::app {

/// Why a field does not take what was typed, beside that field: it lies over what is there and
/// moves nothing. There is one in a window. It goes when the field is understood or hidden, and
/// some seconds after the field was left.
class FieldNote : public QLabel {
  Q_OBJECT
public:
  static void say(QWidget* field, const QString& text);
  /// The same, quietly: how a field is used.
  static void hint(QWidget* field, const QString& text);
  /// Takes away what is said at this field; nothing where another one speaks.
  static void clear(const QWidget* field);
  /// What stands at a field; empty when nothing does.
  static QString at(const QWidget* field);

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void paintEvent(QPaintEvent* event) override;

private:
  explicit FieldNote(QWidget* window);
  static FieldNote* of(const QWidget* field);
  void stand(QWidget* field, const QString& text, bool quiet);
  void place();

  QPointer<QWidget> field_;
  QTimer left_;
  bool quiet_ = false;
};

}  // namespace kuvio::app
