// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/endpoint.h"
#include "acquire/link.h"
#include "acquire/profile.h"

#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::acquire {

/// One thing that was said to an instrument, and how it answered.
struct CheckStep {
  std::string key;      ///< which key of the profile: "output.voltage.query"
  std::string command;  ///< as it was sent
  std::string answer;   ///< as it came back, shortened; "" for none
  std::string trouble;  ///< "" when it is as it should be
};

/// Sends every command of a profile to an instrument, one after the other, and looks at the
/// answers.
///
/// Nothing is changed: settings are asked for and set to what they are, and no output is switched.
/// It logs for half a second where the profile has a log. Stops where the link is lost; never
/// throws for what an instrument does.
/// `open`: the way to the instrument, where it is not the endpoint's own.
std::vector<CheckStep> try_profile(const Endpoint& endpoint, const Profile& profile,
                                   const std::stop_token& stop = {}, const LinkOpener& open = {});

}  // namespace kuvio::acquire
