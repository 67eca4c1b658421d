// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desk/actions.h"

#include <QApplication>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QWidget>

namespace kuvio::app {

Actions::Actions(QWidget* owner) : QObject(owner), owner_(owner) { qApp->installEventFilter(this); }

/// A field takes the keys of undo for itself, also where it has nothing to undo: then they are the
/// window's, so that what Enter in it did is undone from there.
bool Actions::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() != QEvent::ShortcutOverride) return false;
  const auto* line = qobject_cast<QLineEdit*>(watched);
  if (!line || line->window() != owner_->window()) return false;
  const auto* key = static_cast<QKeyEvent*>(event);
  const bool windows = (key->matches(QKeySequence::Undo) && !line->isUndoAvailable()) ||
                       (key->matches(QKeySequence::Redo) && !line->isRedoAvailable());
  if (windows) event->ignore();
  return windows;
}

QAction* Actions::add(const QString& id, const QString& text, const QKeySequence& keys,
                      std::function<void()> run, std::optional<DeskId> desk) {
  auto* action = new QAction(text, this);
  action->setObjectName(id);
  action->setShortcut(keys);
  action->setShortcutContext(Qt::WindowShortcut);
  if (desk) action->setProperty("desk", static_cast<int>(*desk));
  connect(action, &QAction::triggered, this, [this, action, run = std::move(run)] {
    const QString why = whyNot(action);
    if (why.isEmpty()) {
      run();
    } else {
      emit refused(why);
    }
  });
  owner_->addAction(action);
  all_.push_back(action);
  return action;
}

QAction* Actions::find(const QString& id) const {
  for (QAction* a : all_) {
    if (a->objectName() == id) return a;
  }
  return nullptr;
}

std::optional<DeskId> Actions::deskOf(const QAction* action) {
  const QVariant desk = action->property("desk");
  if (!desk.isValid()) return std::nullopt;
  return static_cast<DeskId>(desk.toInt());
}

QKeySequence Actions::keysOf(const QAction* action) {
  const QVariant put_by = action->property("keys");
  return put_by.isNull() ? action->shortcut() : put_by.value<QKeySequence>();
}

void Actions::setDesk(DeskId desk) {
  for (QAction* a : all_) {
    const bool here = deskOf(a).value_or(desk) == desk;
    // Only the shortcut is off: in the menus and the find box everything stays in reach.
    if (!here && a->property("keys").isNull()) {
      a->setProperty("keys", QVariant::fromValue(a->shortcut()));
      a->setShortcut({});
    } else if (here && !a->property("keys").isNull()) {
      a->setShortcut(a->property("keys").value<QKeySequence>());
      a->setProperty("keys", {});
    }
  }
}

void Actions::run(QAction* action) {
  if (const auto desk = deskOf(action)) emit deskRequested(*desk);
  action->trigger();
}

QString Actions::whyNot(const QAction* action) const {
  const MenuEntry* entry = menu_entry(action->objectName());
  if (!entry) return {};
  const auto known = answers_.find(entry->needs);
  return known == answers_.end() || known->second() ? QString() : why_not(entry->needs);
}

void Actions::fill(QMenu* menu) const {
  menu->clear();
  qDeleteAll(menu->findChildren<QMenu*>(QString(), Qt::FindDirectChildrenOnly));
  for (const auto& menus : menu_plan()) {
    if (!menu->isEmpty()) menu->addSeparator();
    for (const Menu& one : menus) {
      QMenu* sub = menu->addMenu(menu_title(QLatin1String(one.groups.front().front().id)));
      sub->setToolTipsVisible(true);
      for (const auto& group : one.groups) {
        if (!sub->isEmpty()) sub->addSeparator();
        for (const MenuEntry& entry : group) {
          if (QAction* a = find(QLatin1String(entry.id))) sub->addAction(a);
        }
      }
      connect(sub, &QMenu::aboutToShow, this, [this, sub] { grey(sub); });
    }
  }
}

void Actions::grey(QMenu* menu) const {
  for (QAction* a : menu->actions()) {
    if (a->parent() != this) continue;
    const QString why = whyNot(a);
    a->setEnabled(why.isEmpty());
    a->setToolTip(why.isEmpty() ? a->text() : why);
  }
  // Their keys go on speaking.
  connect(menu, &QMenu::aboutToHide, this, [this, menu] {
    for (QAction* a : menu->actions()) {
      if (a->parent() == this) a->setEnabled(true);
    }
  });
}

}  // namespace kuvio::app
