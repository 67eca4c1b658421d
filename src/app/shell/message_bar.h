// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>

namespace kuvio::app {

/// What went wrong, in words, above the desks until it is dismissed.
class MessageBar : public QWidget {
  Q_OBJECT
public:
  explicit MessageBar(QWidget* parent = nullptr);
  void say(const QString& message);
  QString text() const { return text_->text(); }

private:
  QLabel* text_;
};

}  // namespace kuvio::app
