// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/desk_id.h"

#include <QAction>
#include <QObject>

#include <functional>
#include <vector>

class QMenu;

namespace kuvio::app {

/// Every action of the window, by menu: what the menus, the shortcuts and the find box are made of.
class Actions : public QObject {
  Q_OBJECT
public:
  /// `owner` is the widget whose window the shortcuts work in.
  explicit Actions(QWidget* owner);

  /// Adds an action to a menu ("Book", "Edit", …), in order of adding. `desk` is the one it belongs
  /// to, or nothing for all: elsewhere its shortcut is off, and the find box goes there
  /// first.
  QAction* add(const QString& id, const QString& menu, const QString& text,
               const QKeySequence& keys, std::function<void()> run,
               std::optional<DeskId> desk = {});
  QAction* find(const QString& id) const;
  void setDesk(DeskId desk);
  /// Runs an action from wherever it is asked for.
  void run(QAction* action);
  void fill(QMenu* menu) const;
  const std::vector<QAction*>& all() const { return all_; }
  static std::optional<DeskId> deskOf(const QAction* action);
  static QString menuOf(const QAction* action);

signals:
  void deskRequested(DeskId desk);

private:
  QWidget* owner_;
  std::vector<QAction*> all_;
};

}  // namespace kuvio::app
