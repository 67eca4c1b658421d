// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/plain_text.h"

#include <QApplication>
#include <QEvent>
#include <QLabel>
#include <QMessageBox>

namespace kuvio::app {

void PlainText::insist() {
  static const auto* once = [] {
    auto* filter = new PlainText(qApp);
    qApp->installEventFilter(filter);
    return filter;
  }();
  Q_UNUSED(once)
}

/// A widget is polished before it measures or shows its text for the first time; tool tips are
/// labels too.
bool PlainText::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::Polish) {
    if (auto* label = qobject_cast<QLabel*>(watched)) label->setTextFormat(Qt::PlainText);
    if (auto* box = qobject_cast<QMessageBox*>(watched)) box->setTextFormat(Qt::PlainText);
  }
  return false;
}

}  // namespace kuvio::app
