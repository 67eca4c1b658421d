// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desk/actions.h"

#include <QMenu>
#include <QWidget>

#include <map>

namespace kuvio::app {

Actions::Actions(QWidget* owner) : QObject(owner), owner_(owner) {}

QAction* Actions::add(const QString& id, const QString& menu, const QString& text,
                      const QKeySequence& keys, std::function<void()> run,
                      std::optional<DeskId> desk) {
  auto* action = new QAction(text, this);
  action->setObjectName(id);
  action->setShortcut(keys);
  action->setShortcutContext(Qt::WindowShortcut);
  action->setProperty("menu", menu);
  if (desk) action->setProperty("desk", static_cast<int>(*desk));
  connect(action, &QAction::triggered, this, std::move(run));
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

QString Actions::menuOf(const QAction* action) { return action->property("menu").toString(); }

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
  if (action->isEnabled()) action->trigger();
}

void Actions::fill(QMenu* menu) const {
  menu->clear();
  std::map<QString, QMenu*> menus;
  for (QAction* a : all_) {
    const QString name = menuOf(a);
    QMenu*& sub = menus[name];
    if (!sub) sub = menu->addMenu(name);
    sub->addAction(a);
  }
}

}  // namespace kuvio::app
