// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <string>
#include <string_view>

namespace kuvio::book {

/// Text that is safe to store and show: bytes that are no UTF-8, control characters and those that
/// turn the direction of what stands beside them become \xNN.
std::string printable(std::string_view bytes);

/// Whether bytes are UTF-8; the last character may be cut off.
bool is_utf8(std::string_view bytes);

/// The text itself, or of a longer one its beginning and its length, in `most` bytes altogether.
/// No character is cut in two.
std::string shortened(std::string_view text, std::size_t most);

// What a book may hold. Whoever writes keeps to it; of a book that does not, longer text is shown
// shortened, further conditions are left out, a capture of more channels is not read, and verify
// says both. Beyond kMostValue a value is not read at all.
inline constexpr std::size_t kMostName = 1000;       ///< bytes of a name, a condition, a unit
inline constexpr std::size_t kMostLine = 4096;       ///< bytes of a log line, of an event's text
inline constexpr std::size_t kMostText = 1 << 20;    ///< bytes of a recipe, budget, note
inline constexpr std::size_t kMostChannels = 256;    ///< of a capture
inline constexpr std::size_t kMostConditions = 256;  ///< of a capture
inline constexpr int kMostValue = 16 << 20;          ///< bytes of whatever stands in one field

}  // namespace kuvio::book
