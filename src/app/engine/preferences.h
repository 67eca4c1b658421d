// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/strand.h"

#include <QByteArray>
#include <QString>
#include <QStringList>

#include <memory>

namespace kuvio::app {

/// What the window remembers from one day to the next, apart from any book. A plain value: read
/// once before the window is made, written by a strand of its own.
struct Preferences {
  enum class Look { system, paper, night };
  Look look = Look::system;
  QByteArray geometry, parts, trace_parts;
  int parts_percent = 100;  ///< of text, that the parts were laid out for
  QStringList recent;       ///< books, the last one first
  QString desk;
  QString unit = QStringLiteral("C");
  int text_percent = 100;         ///< of text as designed; from the next start on
  bool times_in_seconds = false;  ///< moments as 1898.486 s, not as 31:38.486
  QString output_address, log_address, simulated_build = QStringLiteral("2.3.0");
  QString other_addresses, profile;
  QStringList shunts;      ///< "I_shunt: 0.1 Ohm; 0.25 W; 1 %"
  QStringList addresses;   ///< connected to before, the last one first
  QStringList voltages;    ///< set before, the last one first: "3.6 V"
  QStringList ceilings;    ///< "ADDRESS | OUTPUT | 3.9 V | 0.45 A"
  QStringList setups;      ///< files of bench set-ups, the last one first
  QStringList conditions;  ///< "board=satchel-07"
  /// How logs were read: their kind, then a layout's text (formats/import_layout.h), in turn; the
  /// last one used first.
  QStringList layouts;

  static Preferences load();
  /// Writes them; to be called in the strand that writes.
  void store() const;
  /// Puts a book first among the recent ones.
  void remember(const QString& book);
};

/// Writes preferences behind the window's back, the newest only.
class PreferenceKeeper {
public:
  void save(const Preferences& preferences);

private:
  Strand strand_;
};

}  // namespace kuvio::app
