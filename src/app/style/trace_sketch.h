// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/envelope.h"
#include "core/trace.h"

#include <QColor>
#include <QRectF>

#include <vector>

class QPainter;

namespace kuvio::app {

/// Paints columns of an envelope on a logarithmic scale into a box.
void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<EnvelopeColumn>& columns,
                  const QColor& ink);

/// Paints a trace of few samples as it is: straight lines between instants, steps of averages.
void paint_sketch(QPainter& painter, const QRectF& box, const std::vector<TracePoint>& points,
                  SampleKind kind, const QColor& ink);

}  // namespace kuvio::app
