// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QString>
#include <QWidget>

namespace kuvio::app {

/// A sentence that is cut where there is no room for it, and whole on hover.
class CutLabel : public QWidget {
  Q_OBJECT
public:
  CutLabel(const QString& name, QWidget* parent);
  void say(const QString& text, const QColor& colour);
  QString text() const { return text_; }
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override { return {0, sizeHint().height()}; }

signals:
  void clicked();

protected:
  void paintEvent(QPaintEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

private:
  QString text_;
  QColor colour_;
};

}  // namespace kuvio::app
