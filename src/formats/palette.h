// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstddef>
#include <map>
#include <string>
#include <vector>

namespace kuvio::formats {

/// Colours of one theme, as "#rrggbb"; text reaches 4.6 : 1 on both grounds, and text or ground
/// does on every fill: at night fills are lights, but for that of the longest state, which keeps
/// quiet. Inks and fills stay apart under the three colour blindnesses.
struct Palette {
  const char *ground, *text, *ruling, *ruling_tenth, *muted, *border, *focus, *accent;
  std::array<const char*, 6> inks;   ///< builds, in order
  std::array<const char*, 8> fills;  ///< states, the first to the longest
};

inline constexpr Palette kPaper{
    "#FBF9F3",
    "#22303C",
    "#E3E7E1",
    "#C9D1CB",
    "#56626C",
    "#7E8890",
    "#1C71C2",
    "#A8482A",
    {"#30538A", "#753501", "#227C7B", "#4F1852", "#53784C", "#3E404B"},
    {"#D3F0EF", "#CBBC89", "#DDDBFF", "#DEA9C6", "#F0EDAF", "#AAB9A8", "#F8DCCD", "#88BCF0"}};
inline constexpr Palette kNight{
    "#1E2428",
    "#D9DED8",
    "#2C353A",
    "#3E4A50",
    "#9AA5A6",
    "#6F7B80",
    "#7DB7E8",
    "#E88A66",
    {"#5D92B5", "#FEC15A", "#4EBBA5", "#EBAFF5", "#C3E0B1", "#D7D9DB"},
    {"#2C4F64", "#9A8A66", "#8C89D3", "#B97996", "#A9AE98", "#409E3A", "#CAA871", "#74B6CC"}};

/// Which fill each state gets: the first to the longest state, the others in their recipe's order,
/// so that states keep their fill from capture to capture.
std::map<std::string, std::size_t> assign_fills(const std::vector<std::string>& states_in_order,
                                                const std::string& longest);

}  // namespace kuvio::formats
