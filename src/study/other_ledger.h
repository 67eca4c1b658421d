// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "book/channel_trace.h"

#include <memory>
#include <string>
#include <vector>

namespace kuvio::study {

/// A current accounted for in the visits of a capture's split, which is of another: a subsystem's
/// share.
struct OtherLedger {
  book::ChannelInfo channel;
  std::unique_ptr<book::ChannelTrace> trace;
  std::vector<VisitFigures> visits;
  Ledger ledger;
};

/// Error usage where the capture has no such channel, or it holds no current.
OtherLedger ledger_on(const book::Book& book, const book::SplitCapture& capture,
                      const std::string& channel);

}  // namespace kuvio::study
