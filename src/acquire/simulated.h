// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace kuvio::acquire {

/// How accurate the simulated analyser is that ships with Kuvio, as its own data sheet would state
/// it: it says so nowhere over the wire.
inline constexpr const char* kSimulatedAccuracy = "0.08 % + 40 nA";

}  // namespace kuvio::acquire
