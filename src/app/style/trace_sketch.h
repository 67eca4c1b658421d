// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/envelope.h"

#include <QColor>
#include <QRectF>

#include <vector>

class QPainter;

namespace kuvio::app {

/// Paints columns of an envelope on a logarithmic scale into a box.
void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                  const QColor& ink);

}  // namespace kuvio::app
