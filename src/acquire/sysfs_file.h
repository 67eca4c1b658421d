// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>

namespace kuvio::acquire {

/// A small file's text without the white space at its end; nothing when it cannot be read.
std::optional<std::string> text_of(const std::filesystem::path& file);
/// The number that is all its text; nothing for anything else.
std::optional<double> number_in(const std::filesystem::path& file);

}  // namespace kuvio::acquire
