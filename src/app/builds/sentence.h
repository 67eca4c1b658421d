// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"

#include <QString>

namespace kuvio {
struct CompareRow;
}

namespace kuvio::app {

/// The comparison in one sentence ("In the field 2.4.0-rc1 draws 34.1 ± 0.3 µA more than 2.3.0.")
/// and a second line with what accounts for it and what it means for the battery.
struct Sentence {
  QString first, second;
};
Sentence sentence_of(const BuildsView& given);

/// "higher: 12.2 ×", "no difference shown", "equal", "lower per visit: 0.50 ×".
QString shown_text(const CompareRow& row, std::size_t tests);

}  // namespace kuvio::app
