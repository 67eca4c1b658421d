// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/envelope.h"

#include <QColor>
#include <QRectF>

#include <vector>

class QPainter;

namespace kuvio::app {

/// As the lanes have them: currents by decades, voltages from their least to their most.
enum class SketchScale { decades, straight };

/// Paints columns of an envelope into a box.
void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                  const QColor& ink, SketchScale scale = SketchScale::decades);

}  // namespace kuvio::app
