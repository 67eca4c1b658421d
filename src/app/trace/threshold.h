// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

namespace kuvio::app {

/// A recipe's threshold on the lane of current.
struct Threshold {
  double level = 0;     ///< A
  QString text;         ///< "Uplink above 43 mA"
  bool pencil = false;  ///< being dragged
  int rule = -1;        ///< whose it is; of two that share it the first
  bool upper = false;   ///< the upper edge of that rule's band

  bool operator==(const Threshold&) const = default;
};

}  // namespace kuvio::app
