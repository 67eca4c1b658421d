// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace kuvio {

// Lengths of time (s). A year is the Julian one, a month its twelfth part.
inline constexpr double kHour = 3600, kDay = 24 * kHour, kYear = 365.25 * kDay, kMonth = kYear / 12;

}  // namespace kuvio
