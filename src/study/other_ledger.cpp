// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/other_ledger.h"

#include "core/error.h"
#include "core/visits_on.h"

namespace kuvio::study {

OtherLedger ledger_on(const book::Book& book, const book::SplitCapture& capture,
                      const std::string& channel) {
  OtherLedger out;
  out.channel = book::choose_channel(capture.info, channel, book.path());
  if (out.channel.quantity != Quantity::current)
    throw Error(Failure::usage, "no current", book.path(),
                "channel \"" + channel +
                    "\" holds no current, which a ledger accounts for; span and export say what it "
                    "holds");
  out.trace = std::make_unique<book::ChannelTrace>(book, out.channel);
  out.visits = measure_visits(*out.trace, visits_on(*out.trace, visits_of(capture.visits)));
  out.ledger =
      make_ledger({{out.trace.get(), out.visits, book::basis_of(capture.info, out.channel)}});
  return out;
}

}  // namespace kuvio::study
