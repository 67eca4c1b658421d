// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/calibration.h"

#include <map>
#include <optional>
#include <string>

namespace kuvio::book {

// What people have put right of channels is kept as notes "calibration:NAME" of their capture, so
// that it can be undone; docs/book-format.md has their text. Whoever reads a capture gets its
// channels as they count: ChannelInfo's calibration, quantity, unit and accuracy are then those
// that result.

/// The calibrations of a capture by channel. Error bad_data when one is damaged.
std::map<std::string, ChannelCalibration> calibrations(const Book& book, std::int64_t capture);
/// An identity takes the note away.
Note calibration_note(std::int64_t capture, const std::string& channel,
                      const ChannelCalibration& calibration);

/// Puts a calibration onto a channel as recorded. Throws std::invalid_argument where it does not
/// fit.
void calibrate(ChannelInfo& channel, const ChannelCalibration& calibration);
/// A channel as it was recorded, whatever was put right since.
ChannelInfo as_recorded(ChannelInfo channel);

}  // namespace kuvio::book
