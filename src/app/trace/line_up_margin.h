// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/trace_views.h"
#include "app/engine/view_state.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPointer>
#include <QPushButton>
#include <QSpinBox>

#include <optional>
#include <tuple>

namespace kuvio::app {

/// The margin's page that lays captures drawn together over each other: by dragging over the lanes
/// while it is open, by a typed offset, by the n-th entry into a state, by a log line, or by what
/// both show. Every way can be undone and is kept with the book.
class LineUpMargin : public QWidget {
  Q_OBJECT
public:
  LineUpMargin(ViewState& view, Session& session, QWidget* parent = nullptr);
  QString status() const { return status_->text(); }

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;

private:
  QWidget* makeWays();
  void makeFields();
  void connectParts();
  void takeShown();
  void choose();
  /// The capture that is moved, or null.
  const CaptureView* moved() const;
  void lay(double offset_s, const QString& how);
  void byTyping();
  void byEntry();
  void byLog();
  void automatically();
  void takeResult(std::int64_t reference, std::int64_t other, const LineUp& result);

  ViewState& view_;
  QPointer<ViewState>
      alive_;  // a window that goes hides its parts after what they look at has gone
  Session& session_;
  QLabel *nothing_, *status_, *onto_;
  /// The two captures, and how they lay, that the status speaks of (null: of what is chosen).
  std::optional<std::tuple<std::int64_t, std::int64_t, double>> said_;
  QWidget* ways_;
  QComboBox *which_, *state_;
  QLineEdit *offset_, *line_;
  QSpinBox *entry_, *match_;
};

}  // namespace kuvio::app
