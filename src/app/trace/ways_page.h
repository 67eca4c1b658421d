// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/view_state.h"

#include <QWidget>

#include <string>

class QLabel;

namespace kuvio::app {

class NotebookTable;
class WaysFan;
class WaysModel;

/// What follows what in the capture, beside the reference build: the second fan, a table of the
/// pairs, and in words what is new or rare. Picking a pair goes to the next moment at which it
/// happened, and Enter to the one after.
class WaysPage : public QWidget {
  Q_OBJECT
public:
  WaysPage(ViewState& view, Session& session, QWidget* parent = nullptr);
  QString words() const;

protected:
  void showEvent(QShowEvent* event) override;

private:
  void takeCapture();
  void takeReference(const WaysViewPtr& ways);
  void lay();
  void say(const WaysViewPtr& reference);
  void pick(const std::string& from, const std::string& to);

  ViewState& view_;
  Session& session_;
  WaysViewPtr reference_;
  WaysModel* model_;
  WaysFan* fan_;
  NotebookTable* table_;
  QLabel* words_;
  bool following_ = false;
};

}  // namespace kuvio::app
