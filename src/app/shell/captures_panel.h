// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/actions.h"
#include "app/engine/message.h"
#include "app/engine/session.h"
#include "app/shell/captures_list.h"

#include <QLineEdit>
#include <QListView>
#include <QMenu>
#include <QPushButton>

#include <vector>

namespace kuvio::app {

/// The captures of the open book, with what can be done with one. The current one and those that
/// are ticked are asked of the session whenever they change.
class CapturesPanel : public QWidget {
  Q_OBJECT
public:
  CapturesPanel(Session& session, Actions& actions, QWidget* parent = nullptr);

  /// Takes the book's list. `other`: it is another book than before, with ticks of its own.
  void setBook(const BookViewPtr& book, bool other);
  void setVerdicts(std::map<std::string, Verdict> verdicts);
  /// The capture that is, or as soon as the list has it will be, the current one; 0 for none.
  qint64 current() const { return current_; }
  void setCurrent(qint64 capture) { current_ = capture; }
  void takeFocus() { list_->setFocus(Qt::OtherFocusReason); }

signals:
  /// Another capture was made the current one by hand.
  void chosen();
  void messageReported(const kuvio::app::Message& message);

private:
  std::vector<const CaptureRow*> selected() const;
  static QString words(const std::vector<const CaptureRow*>& rows);
  void makeActions(Actions& actions);
  void choose(const QModelIndex& index);
  void ask();
  void step(int by);
  void tick();
  void rename();
  void describe();
  void typeReadings();
  void remove();
  void putBack();
  void giveReference();
  QMenu* makeGroupMenu();
  void setGrouping(const QString& by);
  void setCompact(bool compact);
  void pickCurrent();

  Session& session_;
  CapturesModel* model_;
  CaptureDelegate* delegate_;
  QLineEdit* filter_;
  QPushButton* group_;
  QListView* list_;
  qint64 current_ = 0;
  std::vector<std::int64_t> wanted_;
  bool taking_ = false;
};

}  // namespace kuvio::app
