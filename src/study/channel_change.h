// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "book/notes.h"
#include "core/calibration.h"
#include "core/derive.h"

#include <cstdint>
#include <map>
#include <optional>
#include <stop_token>
#include <string>
#include <utility>
#include <vector>

namespace kuvio::study {

/// What people change of a capture's channels, in one act.
struct ChannelChange {
  std::int64_t capture = 0;
  std::map<std::string, ChannelCalibration> calibrations;    ///< in place of what each had, by name
  std::optional<std::pair<std::string, Derivation>> derive;  ///< makes a channel of that name
  std::string remove;                                        ///< a derived channel
};

/// What a change did.
struct ChannelChanged {
  std::vector<book::Change> changes;  ///< to be undone
  std::vector<std::string> said;      ///< what followed from it, for people
};

/// Puts channels right, makes or removes one; makes anew what is made of them, and splits the
/// capture again by its recipe where its states rest on one of them. Samples stay as they came.
/// Error (bad_data, usage) with why it cannot be; then nothing has changed.
ChannelChanged change_channels(book::Book& book, const ChannelChange& change,
                               const std::stop_token& stop = {});

/// The zero of a channel's span, or of the whole channel in another capture, as it was recorded.
/// When the other capture was is taken from when both began. Error bad_data where it shows none.
ZeroLevel zero_in_span(const book::Book& book, const book::CaptureInfo& capture,
                       const std::string& channel, double from_s, double to_s);
ZeroLevel zero_of_capture(const book::Book& book, const book::CaptureInfo& other,
                          const std::string& channel, const book::CaptureInfo& capture);

/// What a channel's values rest on, worked out from its samples.
struct ChannelFigures {
  std::optional<double> count;        ///< least step between its values: of whatever digitised it
  std::optional<ShuntLoad> load;      ///< of a current through a shunt
  std::vector<std::string> warnings;  ///< for people
};
ChannelFigures channel_figures(const book::Book& book, const book::CaptureInfo& capture,
                               const std::string& channel);

}  // namespace kuvio::study
