// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/trace_views.h"

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QRadioButton>

#include <functional>

namespace kuvio::app {

/// Names a span as a state: by hand for this span alone, or as a rule that finds it everywhere.
class NameSpanDialog : public QDialog {
  Q_OBJECT
public:
  NameSpanDialog(const QStringList& states, const QString& rule, bool offer_rule, QWidget* parent);

signals:
  void named(const QString& state, bool as_rule);

private:
  QComboBox* name_;
  QRadioButton *as_rule_, *by_hand_;
  bool hand_chosen_ = false;
};

/// Changes a visit's state, for itself or for the whole state, and its edges, by keyboard.
class VisitDialog : public QDialog {
  Q_OBJECT
public:
  VisitDialog(const Visit& visit, const QStringList& states, QWidget* parent);

signals:
  void renamed(const QString& state, bool whole_state);
  /// Its beginning (or end) is to lie at another moment.
  void edgeMoved(bool end, double to_s);

private:
  void take();
  Visit visit_;
  QComboBox* name_;
  QRadioButton *this_visit_, *whole_state_;
  QLineEdit *from_, *to_;
  QLabel* trouble_;
};

/// The hand edits of a capture, each to be taken away; those whose anchor is gone are marked.
class EditsDialog : public QDialog {
  Q_OBJECT
public:
  EditsDialog(const CaptureView& capture, QWidget* parent);
  /// The capture's edits as they are now; without any it closes.
  void take(const CaptureView& capture);

signals:
  /// -1: all of them.
  void dropped(int edit);

private:
  QListWidget* list_;
  QStringList texts_;
};

}  // namespace kuvio::app
