// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/message.h"
#include "app/style/cut_label.h"

#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include <deque>

namespace kuvio::app {

class BenchControl;

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
  CutLabel* text_;
  QPushButton* cancel_;
  QTimer delay_, beat_;
  bool on_ = false;
  int phase_ = 0;
};

/// What is being recorded, with its end at hand. Its place is kept while nothing is.
class RecordingStrip : public QWidget {
  Q_OBJECT
public:
  explicit RecordingStrip(BenchControl& bench, QWidget* parent = nullptr);

private:
  void showState();
  BenchControl& bench_;
  CutLabel* text_;
  QPushButton* stop_;
};

/// The foot's second row, on every desk: the last message with what can be done about it, the ones
/// before behind a button, what is under way, and the recording. Whatever comes or goes, nothing
/// changes its place.
class MessageRow : public QWidget {
  Q_OBJECT
public:
  static constexpr std::size_t kKept = 20;
  explicit MessageRow(BenchControl& bench, QWidget* parent = nullptr);
  void say(const Message& message);
  /// The last one was seen: it stays in the list alone.
  void dismiss();
  QString text() const { return text_->text(); }
  WorkStrip& work() { return *work_; }
  /// All that were kept, the newest first, with their times and weights.
  QString history() const;

private:
  struct Said {
    QString time;
    Message message;
  };
  void showHistory();
  QColor colour() const;
  void fade();
  void takeLast();
  std::deque<Said> said_;
  Message shown_;
  bool faded_ = false;
  CutLabel* text_;
  QPushButton *offer_, *seen_, *history_;
  WorkStrip* work_;
  QTimer fading_;

protected:
  void changeEvent(QEvent* event) override;
};

}  // namespace kuvio::app
