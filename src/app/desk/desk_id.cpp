// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desk/desk_id.h"

#include <QCoreApplication>

#include <algorithm>

namespace kuvio::app {
namespace {
constexpr DeskInfo kDesks[] = {
    {DeskId::bench, "Bench", QT_TRANSLATE_NOOP("DeskInfo", "Bench")},
    {DeskId::trace, "Trace", QT_TRANSLATE_NOOP("DeskInfo", "Trace")},
    {DeskId::builds, "Builds", QT_TRANSLATE_NOOP("DeskInfo", "Builds")},
    {DeskId::budget, "Budget", QT_TRANSLATE_NOOP("DeskInfo", "Budget")},
    {DeskId::lifetime, "Lifetime", QT_TRANSLATE_NOOP("DeskInfo", "Lifetime")},
};
}  // namespace

QString DeskInfo::name() const { return QCoreApplication::translate("DeskInfo", text); }

std::span<const DeskInfo> all_desks() { return kDesks; }

const DeskInfo& info(DeskId desk) { return kDesks[static_cast<std::size_t>(desk)]; }

std::optional<DeskId> desk_of_key(const QString& key) {
  const auto* it = std::find_if(std::begin(kDesks), std::end(kDesks),
                                [&](const DeskInfo& d) { return key == QLatin1String(d.key); });
  if (it == std::end(kDesks)) return std::nullopt;
  return it->id;
}

}  // namespace kuvio::app
