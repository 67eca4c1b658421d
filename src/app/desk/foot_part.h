// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

namespace kuvio::app {

/// A piece of the line at the window's foot.
struct FootPart {
  QString text, how;
};

}  // namespace kuvio::app
