// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/actions.h"
#include "app/desk/foot_part.h"
#include "app/engine/documents.h"
#include "app/engine/message.h"
#include "app/engine/view_state.h"
#include "core/number_text.h"

#include <QWidget>

#include <vector>

namespace kuvio::app {

class BenchControl;

/// What every desk is given: the book, what is looked at, the bench, and where its actions go.
struct Context {
  Session& session;
  Documents& documents;
  ViewState& view;
  BenchControl& bench;
  Actions& actions;
};

/// One of the window's five desks. A desk shows and wires; it talks to the others through the
/// context alone.
class Desk : public QWidget {
  Q_OBJECT
public:
  using QWidget::QWidget;
  /// It is shown: time to ask for what it shows.
  virtual void enter() {}
  virtual void applyTheme() {}
  virtual void setUnit(ChargeUnit) {}
  /// The line at the window's foot, in parts that each explain on hover how they came about.
  virtual std::vector<FootPart> foot() const { return {}; }

signals:
  void footChanged();
  /// What is under the pointer, for the foot's right end; empty when nothing is.
  void instantChanged(const QString& text);
  /// Something for the message line, in words.
  void messageReported(const kuvio::app::Message& message);
  void deskRequested(kuvio::app::DeskId desk);
};

}  // namespace kuvio::app
