// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/derive.h"

#include <functional>
#include <map>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::book {

// A derived channel's samples are made once and kept like any other's, with a pyramid of their own,
// in a capture of their own that nobody sees (its condition "derived_of" names whose they are). A
// note "derived:NAME" makes them a channel of the capture, so that it can be undone;
// docs/book-format.md has its text.

/// The derived channels of a capture by name. Error bad_data when one is damaged.
std::map<std::string, Derivation> derivations(const Book& book, std::int64_t capture);

/// Makes the samples of a derived channel from a capture's channels as they count now. The note it
/// gives, once put, makes it a channel. Error bad_data where a channel is missing or they cannot go
/// together; nothing is kept then.
Note make_derived(Book& book, const CaptureInfo& capture, const std::string& name,
                  const Derivation& derivation, const std::stop_token& stop = {});
/// Takes a derived channel away.
Note no_derived_note(std::int64_t capture, const std::string& name);
/// Puts anew what is made of channels that have changed, and what is made of that; their names.
/// `keep` puts each note in place of notes.h's `put`.
std::vector<std::string> make_again(Book& book, std::int64_t capture, std::set<std::string> changed,
                                    const std::stop_token& stop = {},
                                    const std::function<void(const Note&)>& keep = {});

/// The channels that notes say are a capture's, as they were made.
std::vector<ChannelInfo> derived_channels(const Book& book, std::int64_t capture);

}  // namespace kuvio::book
