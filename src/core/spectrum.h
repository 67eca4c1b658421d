// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/trace.h"

#include <complex>
#include <optional>
#include <span>
#include <vector>

namespace kuvio {

/// Spectrum of real values: bins 0 to n/2 of the unscaled discrete Fourier transform. Safe from
/// several threads. `values` must not be empty.
std::vector<std::complex<double>> transform(std::span<const double> values);
/// Back to `n` real values, unscaled: transform and back multiply by n.
std::vector<double> transform_back(std::span<const std::complex<double>> bins, std::size_t n);

/// What swings in a span, beside its peak-to-peak value.
struct Ripple {
  double peak_to_peak = 0;  ///< of the samples, in the channel's unit
  /// The strongest frequency, when one stands out of the noise; else nothing.
  std::optional<double> frequency_hz;
  double amplitude = 0;         ///< of the sine at that frequency, in the channel's unit
  double resolution_hz = 0;     ///< two frequencies nearer than this are one
  double from_s = 0, to_s = 0;  ///< what was transformed: up to a million samples of the span
};

/// Dominant ripple of a span. The trend is taken off and a Hann window laid on; a line counts when
/// it holds a fifth of what swings, in five periods or more, and stands out of the noise around it,
/// white or rising towards low frequencies, as noise does less than once in a thousand spans (found
/// by simulation of white noise, first-order processes and random walks). No frequency is stated
/// with fewer than 64 samples; nothing at all when fewer than 16 evenly spaced ones lie in one
/// piece.
std::optional<Ripple> ripple(const Trace& trace, double from_s, double to_s);

}  // namespace kuvio
