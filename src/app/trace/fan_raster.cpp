// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/fan_raster.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr double kThread = 0.7;

/// Lays a colour over a pixel with a weight of 0 … 256.
inline void lay_over(QRgb& pixel, int r, int g, int b, int weight) {
  const auto mix = [weight](int under, int over) {
    return under + (((over - under) * weight) >> 8);
  };
  pixel = qRgb(mix(qRed(pixel), r), mix(qGreen(pixel), g), mix(qBlue(pixel), b));
}

}  // namespace

double band_ease(double share) { return share * share * (3 - 2 * share); }

void paint_bands(QImage& image, double scale, const std::vector<BandShape>& bands) {
  const int height = image.height(), width = image.width();
  for (const BandShape& band : bands) {
    const int r = band.color.red(), g = band.color.green(), b = band.color.blue();
    const int alpha = static_cast<int>(std::lround(band.color.alphaF() * 256));
    for (int y = 0; y < height; ++y) {
      const double ease = band_ease((y + 0.5) / height);
      double from = (band.top_from + (band.foot_from - band.top_from) * ease) * scale;
      double to = (band.top_to + (band.foot_to - band.top_to) * ease) * scale;
      if (to - from < kThread * scale) {
        const double middle = (from + to) / 2;
        from = middle - kThread * scale / 2;
        to = middle + kThread * scale / 2;
      }
      const int first = std::max(0, static_cast<int>(std::floor(from)));
      const int last = std::min(width - 1, static_cast<int>(std::ceil(to)) - 1);
      auto* line = reinterpret_cast<QRgb*>(image.scanLine(y));
      for (int x = first; x <= last; ++x) {
        const double cover = std::min(to, x + 1.0) - std::max(from, static_cast<double>(x));
        const int weight = cover >= 1 ? alpha : static_cast<int>(cover * alpha);
        if (weight > 0) lay_over(line[x], r, g, b, weight);
      }
    }
  }
}

}  // namespace kuvio::app
