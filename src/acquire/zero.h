// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/recorder.h"

namespace kuvio::acquire {

/// What a current reads while nothing should flow.
struct Zero {
  std::string channel;
  double mean = 0;      ///< A
  double expanded = 0;  ///< of the mean at 95 %, drift while it was taken included (A)
  std::int64_t samples = 0;
  std::string accuracy;  ///< statement that holds once it is subtracted, "" if none was given

  book::Calibration calibration() const;
};

/// Measures the zero of an input's currents for `seconds`, with the device disconnected: its
/// outputs must be off. Switches nothing.
///
/// Throws Error: unavailable when the input is lost; bad_data "not zeroed" when an output is on, or
/// more flows than the accuracy statement's offset explains (five times; 1 µA where there is none),
/// or the readings drift.
std::vector<Zero> measure_zero(const InputConfig& request, double seconds,
                               const std::string& accuracy, const std::stop_token& stop = {});

}  // namespace kuvio::acquire
