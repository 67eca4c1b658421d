// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include <optional>
#include <span>

namespace kuvio::app {

enum class DeskId { bench, trace, builds, budget, lifetime };

struct DeskInfo {
  DeskId id;
  const char* key;   ///< in preferences and object names; never translated
  const char* text;  ///< as the bar and the menus show it, before translation
  QString name() const;
};

/// All desks, in the order of the bar; the n-th is reached by Ctrl+n.
std::span<const DeskInfo> all_desks();
const DeskInfo& info(DeskId desk);
std::optional<DeskId> desk_of_key(const QString& key);

}  // namespace kuvio::app
