// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

namespace kuvio::app {

/// A recipe's threshold on the lane of current.
struct Threshold {
  double level = 0;     ///< A
  QString text;         ///< "Uplink above 43 mA"
  bool pencil = false;  ///< being dragged

  bool operator==(const Threshold&) const = default;
};

}  // namespace kuvio::app
