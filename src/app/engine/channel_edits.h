// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration.h"
#include "core/derive.h"

#include "study/channel_change.h"

#include <QString>

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

class Session;

/// A channel with what was put right of it, and what that makes of it.
struct ChannelState {
  book::ChannelInfo info;
  Quantity recorded = Quantity::current;
  ChannelCalibration calibration;
  std::optional<Derivation> derivation;
  study::ChannelFigures figures;
  QString trouble;  ///< why there are none
};

/// The channels of a capture.
struct ChannelsView {
  std::int64_t capture = 0;
  std::vector<ChannelState> channels;
};
using ChannelsViewPtr = std::shared_ptr<const ChannelsView>;

/// Reads them beside the window; `done` is called in the interface thread.
void ask_channels(Session& session, std::int64_t capture,
                  std::function<void(const ChannelsViewPtr&)> done);

/// Puts channels right, or makes one; undone in one step. `text` names it.
void change_channels(Session& session, const QString& text, const study::ChannelChange& change);

/// What a channel reads in a span becomes its zero.
void zero_channel(Session& session, std::int64_t capture, const std::string& channel, double from_s,
                  double to_s);

}  // namespace kuvio::app
