// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
#include <string>

namespace kuvio::formats {

/// A value's place in the TOML files that people write: a key of the file itself (`array` empty) or
/// of the index-th [[array]] block, and in it, where it is an inline table such as
/// { expect = "3 uA", max = "4 uA" }, one of its keys.
struct TomlPlace {
  std::string array;
  std::size_t index = 0;
  std::string key;
  std::string inner;
};

/// Changes single values of a TOML text and leaves everything else, comments and order included, as
/// it was written: the file stays its author's. All functions return the new text and throw Error
/// (bad_data, "name:line") when the text is not valid TOML or the block is not there.
/// `value` is TOML: put texts through `toml_quote`.
std::string toml_set(const std::string& text, const std::string& name, const TomlPlace& place,
                     const std::string& value);
/// Takes a value away; an inline table that is left empty goes too. No complaint if it is not
/// there.
std::string toml_remove(const std::string& text, const std::string& name, const TomlPlace& place);
/// Takes the index-th [[array]] block away, its header and all up to the next header.
std::string toml_remove_block(const std::string& text, const std::string& name,
                              const std::string& array, std::size_t index);
/// Puts a block (its header line and keys) before the index-th [[array]] block and the comment
/// right above that; after the last one where `index` is their number.
std::string toml_insert_block(const std::string& text, const std::string& name,
                              const std::string& array, std::size_t index,
                              const std::string& block);
/// The block `from`, with the comment right above it, becomes the `to`-th of its kind.
std::string toml_move_block(const std::string& text, const std::string& name,
                            const std::string& array, std::size_t from, std::size_t to);
/// Adds a block (its header line and keys) at the end, after an empty line.
std::string toml_append(const std::string& text, const std::string& block);

/// "text" in quotes, with what must be escaped.
std::string toml_quote(const std::string& text);

}  // namespace kuvio::formats
