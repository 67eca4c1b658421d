// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/actions.h"

#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include <vector>

namespace kuvio::app {

class BenchControl;

/// A desk's name in the bar at the top, underlined while the desk is shown.
class DeskButton : public QPushButton {
  Q_OBJECT
public:
  DeskButton(const DeskInfo& desk, QWidget* parent);
  DeskId desk() const { return desk_; }
  QSize sizeHint() const override;

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  DeskId desk_;
};

/// The bar at the window's top: desks, the find box, the output's state and the menu.
class TopBar : public QWidget {
  Q_OBJECT
public:
  TopBar(Actions& actions, BenchControl& bench, QWidget* parent = nullptr);
  void setDesk(DeskId desk);

signals:
  void deskRequested(kuvio::app::DeskId desk);
  void findRequested();

private:
  void showOutput();
  BenchControl& bench_;
  std::vector<DeskButton*> desks_;
  QPushButton* find_;
  QLabel* output_;
  QPushButton *switch_off_, *menu_;
};

/// What is being recorded, on every desk, only while it is.
class RecordingStrip : public QWidget {
  Q_OBJECT
public:
  explicit RecordingStrip(BenchControl& bench, QWidget* parent = nullptr);
  QString text() const { return text_->text(); }

private:
  void showState();
  BenchControl& bench_;
  QLabel* text_;
  QPushButton* stop_;
};

/// What is under way for longer than a moment, with a way to stop it.
class WorkStrip : public QWidget {
  Q_OBJECT
public:
  explicit WorkStrip(QWidget* parent = nullptr);
  /// Shows it once it has taken 0.2 s; an empty text ends it.
  void setWork(const QString& what);

signals:
  void cancelled();

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  QLabel* text_;
  QTimer delay_, beat_;
  int phase_ = 0;
};

}  // namespace kuvio::app
