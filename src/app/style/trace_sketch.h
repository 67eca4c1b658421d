// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/envelope.h"

#include <QColor>
#include <QRectF>

#include <vector>

class QPainter;

namespace kuvio::app {

/// The level a logarithmic scale should reach down to: that of the quietest columns but the few (4
/// %) under them, so that a moment with the output off does not stretch the scale over decades of
/// noise. 0 when nothing is above zero.
double quiet_level(const std::vector<EnvelopeColumn>& columns);

/// Paints columns of an envelope on a logarithmic scale into a box.
void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                  const QColor& ink);

}  // namespace kuvio::app
