// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/bench_control.h"

#include <QPushButton>
#include <QWidget>

#include <vector>

namespace kuvio::app {

/// A thing to have seen to before one records: blank, ticked or refused, by click or Space.
class Stamp : public QPushButton {
  Q_OBJECT
public:
  enum class State { blank, ticked, refused };
  Stamp(const QString& name, const QString& text, QWidget* parent);
  State state() const { return state_; }
  void setState(State state);
  QSize sizeHint() const override;

signals:
  void stateChanged();

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  State state_ = State::blank;
};

/// The stamps under the run sheet: zeroed, debugger and USB detached, settled. None is required;
/// what they say is kept with the capture as conditions. *Settled* ticks itself. All are blank
/// again when something else is connected, or another range or board is chosen.
class Stamps : public QWidget {
  Q_OBJECT
public:
  explicit Stamps(const BenchControl& bench, QWidget* parent = nullptr);
  void refresh();
  void blankAll();
  void tickZeroed() { zeroed_->setState(Stamp::State::ticked); }
  void read(RecordRequest& request) const;

signals:
  /// *Zeroed* was pressed while it was blank: the drawer where that is done.
  void zeroRequested();

private:
  const BenchControl& bench_;
  Stamp *zeroed_, *detached_, *settled_;
  bool settled_by_itself_ = false;
};

}  // namespace kuvio::app
