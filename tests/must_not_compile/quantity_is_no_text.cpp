// SPDX-License-Identifier: GPL-3.0-or-later
// layers: book core
// error: no match for ‘operator==’
#include "book/book.h"

bool is_current(const kuvio::book::ChannelInfo& channel) { return channel.quantity == "current"; }
