// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include <span>
#include <vector>

namespace kuvio::app {

/// What must be there before an action can do anything.
enum class Needs {
  nothing,
  undo,
  redo,
  book,
  capture,        ///< one that is shown, with samples
  chosen,         ///< one in the list, recorded or typed
  more_captures,  ///< more than one in the book
  overlay,        ///< more than one drawn together
  deleted,        ///< captures that can be put back
  states,         ///< the shown capture is split
  visit,          ///< one is selected
  span,
  span_or_visit,
  cursors,  ///< both are set
  earlier_view,
  later_view,
  log,
  marks,
  breaks,  ///< gaps or flagged samples
  edits,   ///< by hand
  recipe,
  hidden_lanes,
  derived_lane,  ///< the selected lane is one
  live,          ///< what is shown is being recorded
  budget,
  limit,  ///< one is selected
  battery,
  scenario,  ///< differs from what was captured
  connected,
  output,  ///< one that can be switched
  recording,
  no_recording,
};

/// What to do first, for people: "Mark a span first: drag over the trace."
QString why_not(Needs needs);

/// Where an action stands, what it needs, and what else people call it.
struct MenuEntry {
  const char* id;
  Needs needs = Needs::nothing;
  const char* words = "";  ///< the find box finds it by these too
};

/// One menu: groups with rules between, none of more than `kMostInGroup`.
struct Menu {
  const char* title;  ///< before translation
  std::vector<std::vector<MenuEntry>> groups;
};

inline constexpr std::size_t kMostInGroup = 9;

/// The whole menu of the window: groups of menus, in order. An action that is added must be here.
const std::vector<std::vector<Menu>>& menu_plan();

/// The entry of an action; null for one that is not in the plan.
const MenuEntry* menu_entry(const QString& id);
/// The title of the menu it stands in, translated; empty for one that is not in the plan.
QString menu_title(const QString& id);

}  // namespace kuvio::app
