// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/preferences.h"

#include <QSettings>

#include <algorithm>

namespace kuvio::app {
namespace {
constexpr int kRecent = 8;
}

Preferences Preferences::load() {
  const QSettings s;
  Preferences p;
  const QString look = s.value(QStringLiteral("look")).toString();
  p.look = look == QStringLiteral("paper")   ? Look::paper
           : look == QStringLiteral("night") ? Look::night
                                             : Look::system;
  p.geometry = s.value(QStringLiteral("window/geometry")).toByteArray();
  p.parts = s.value(QStringLiteral("window/parts")).toByteArray();
  p.trace_parts = s.value(QStringLiteral("window/trace_parts")).toByteArray();
  p.parts_percent = s.value(QStringLiteral("window/parts_percent"), 100).toInt();
  p.recent = s.value(QStringLiteral("recent")).toStringList();
  p.desk = s.value(QStringLiteral("window/desk")).toString();
  p.unit = s.value(QStringLiteral("unit"), p.unit).toString();
  p.times_in_seconds = s.value(QStringLiteral("times_in_seconds"), false).toBool();
  p.text_percent = std::clamp(s.value(QStringLiteral("text_percent"), 100).toInt(), 100, 200);
  p.output_address = s.value(QStringLiteral("bench/output")).toString();
  p.log_address = s.value(QStringLiteral("bench/log")).toString();
  p.other_addresses = s.value(QStringLiteral("bench/others")).toString();
  p.profile = s.value(QStringLiteral("bench/profile")).toString();
  p.shunts = s.value(QStringLiteral("bench/shunts")).toStringList();
  p.addresses = s.value(QStringLiteral("bench/addresses")).toStringList();
  p.voltages = s.value(QStringLiteral("bench/voltages")).toStringList();
  p.ceilings = s.value(QStringLiteral("bench/ceilings")).toStringList();
  p.setups = s.value(QStringLiteral("bench/setups")).toStringList();
  p.simulated_build =
      s.value(QStringLiteral("bench/simulated_build"), p.simulated_build).toString();
  p.conditions = s.value(QStringLiteral("bench/conditions")).toStringList();
  p.layouts = s.value(QStringLiteral("import/layouts")).toStringList();
  if (p.layouts.size() % 2 != 0) p.layouts.clear();
  return p;
}

void Preferences::store() const {
  QSettings s;
  s.setValue(QStringLiteral("look"), look == Look::paper   ? QStringLiteral("paper")
                                     : look == Look::night ? QStringLiteral("night")
                                                           : QStringLiteral("system"));
  s.setValue(QStringLiteral("window/geometry"), geometry);
  s.setValue(QStringLiteral("window/parts"), parts);
  s.setValue(QStringLiteral("window/trace_parts"), trace_parts);
  s.setValue(QStringLiteral("window/parts_percent"), parts_percent);
  s.setValue(QStringLiteral("recent"), recent);
  s.setValue(QStringLiteral("window/desk"), desk);
  s.setValue(QStringLiteral("unit"), unit);
  s.setValue(QStringLiteral("times_in_seconds"), times_in_seconds);
  s.setValue(QStringLiteral("text_percent"), text_percent);
  s.setValue(QStringLiteral("bench/output"), output_address);
  s.setValue(QStringLiteral("bench/log"), log_address);
  s.setValue(QStringLiteral("bench/others"), other_addresses);
  s.setValue(QStringLiteral("bench/profile"), profile);
  s.setValue(QStringLiteral("bench/shunts"), shunts);
  s.setValue(QStringLiteral("bench/addresses"), addresses);
  s.setValue(QStringLiteral("bench/voltages"), voltages);
  s.setValue(QStringLiteral("bench/ceilings"), ceilings);
  s.setValue(QStringLiteral("bench/setups"), setups);
  s.setValue(QStringLiteral("bench/simulated_build"), simulated_build);
  s.setValue(QStringLiteral("bench/conditions"), conditions);
  s.setValue(QStringLiteral("import/layouts"), layouts);
  s.sync();
}

void Preferences::remember(const QString& book) {
  recent.removeAll(book);
  recent.prepend(book);
  while (recent.size() > kRecent) recent.removeLast();
}

void PreferenceKeeper::save(const Preferences& preferences) {
  strand_.at_end([preferences] { preferences.store(); });
  strand_.post([preferences](const std::stop_token&) { preferences.store(); });
}

}  // namespace kuvio::app
