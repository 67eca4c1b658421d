// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QImage>

#include <vector>

namespace kuvio::app {

/// One band of the fan in pixels: where it begins and ends at the top and at the foot.
struct BandShape {
  double top_from = 0, top_to = 0, foot_from = 0, foot_to = 0;
  QColor color;  ///< with its alpha
};

/// How far a band has come from the top (0) to the foot (1) at a share of the height: smooth at
/// both ends.
double band_ease(double share);

/// Paints bands row by row, each pixel by how much of it a band covers; one too thin to cover a
/// pixel is a thread of 0.7. Hundreds of bands cost less than a millisecond, which paths do not.
/// `scale`: device pixels per pixel; `image` is as large as that asks for.
void paint_bands(QImage& image, double scale, const std::vector<BandShape>& bands);

}  // namespace kuvio::app
