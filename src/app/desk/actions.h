// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/desk_id.h"
#include "app/desk/menu_plan.h"

#include <QAction>
#include <QObject>

#include <functional>
#include <map>
#include <vector>

class QMenu;

namespace kuvio::app {

/// Every action of the window: what the menus, the shortcuts and the find box are made of. Where it
/// stands in the menus and what it needs is said by desk/menu_plan.h.
///
/// An action that lacks what it needs says what to do first when its keys are pressed; in menus it
/// is greyed.
class Actions : public QObject {
  Q_OBJECT
public:
  /// `owner` is the widget whose window the shortcuts work in.
  explicit Actions(QWidget* owner);

  /// `desk` is the one it belongs to, or nothing for all: elsewhere its shortcut is off, and the
  /// find box goes there first.
  QAction* add(const QString& id, const QString& text, const QKeySequence& keys,
               std::function<void()> run, std::optional<DeskId> desk = {});
  QAction* find(const QString& id) const;
  void setDesk(DeskId desk);
  /// Runs an action from wherever it is asked for.
  void run(QAction* action);

  /// Who knows whether something is there says so; what nobody knows of counts as there.
  void answer(Needs needs, std::function<bool()> there) { answers_[needs] = std::move(there); }
  /// What to do before this action can do anything; empty when it can.
  QString whyNot(const QAction* action) const;

  /// The whole menu, by the plan.
  void fill(QMenu* menu) const;
  /// Greys what can't be done in a menu that is about to open, until it closes.
  void grey(QMenu* menu) const;
  const std::vector<QAction*>& all() const { return all_; }
  static std::optional<DeskId> deskOf(const QAction* action);
  static QString menuOf(const QAction* action) { return menu_title(action->objectName()); }
  /// Its keys, also on a desk where they are off.
  static QKeySequence keysOf(const QAction* action);

  bool eventFilter(QObject* watched, QEvent* event) override;

signals:
  void deskRequested(DeskId desk);
  /// An action was asked for that lacks something.
  void refused(const QString& why);

private:
  QWidget* owner_;
  std::vector<QAction*> all_;
  std::map<Needs, std::function<bool()>> answers_;
};

}  // namespace kuvio::app
