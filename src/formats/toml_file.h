// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"

#include <initializer_list>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kuvio::formats {

/// Reading the TOML files a person writes: every complaint is an Error (bad_data; no_input when the
/// file is not there) whose `where` is "file:line".
class TomlTable {
public:
  /// Parses a file, and requires `kuvio = "<kind>/1"` in it.
  static TomlTable file(const std::string& path, const std::string& kind);
  /// The same from text; `path` is only for messages and for relative paths.
  static TomlTable text(const std::string& content, const std::string& path,
                        const std::string& kind);

  /// Complains about any key that is neither in `known` nor in `later`; those in `later` are "not
  /// yet supported".
  void expect(const std::vector<std::string_view>& known,
              const std::vector<std::string_view>& later = {}) const;
  bool has(std::string_view key) const;
  /// Whether a key is there and its value a text.
  bool is_text(std::string_view key) const;
  std::string string(std::string_view key) const;
  std::optional<std::string> optional_string(std::string_view key) const;
  bool boolean(std::string_view key, bool otherwise) const;
  /// A quantity with its unit in a string; a bare number is an error that names the key.
  double quantity(std::string_view key, Dimension dimension) const;
  std::optional<double> optional_quantity(std::string_view key, Dimension dimension) const;
  std::vector<std::string> strings(std::string_view key) const;
  TomlTable table(std::string_view key) const;
  std::optional<TomlTable> optional_table(std::string_view key) const;
  /// [[key]] tables; empty when there are none.
  std::vector<TomlTable> tables(std::string_view key) const;
  std::vector<std::string> keys() const;

  [[noreturn]] void complain(const std::string& why, std::string_view at_key = {}) const;
  const std::string& path() const;
  const std::string& source() const;  ///< the file's whole text
  int line(std::string_view at_key = {}) const;
  /// `name` as seen from this file's folder.
  std::string beside(const std::string& name) const;

private:
  struct Document;
  struct Node;
  TomlTable(std::shared_ptr<const Document> document, std::shared_ptr<const Node> node);
  std::shared_ptr<const Document> document_;
  std::shared_ptr<const Node> node_;
};

/// Refuses text whose keys nest so deep that reading them would end the program (they are read by
/// recursion), before it is parsed: Error bad_data with its line.
void refuse_deep(const std::string& content, const std::string& path);

/// A whole file as text; Error no_input, bad_data (larger than 4 MiB, or binary), io.
std::string read_text_file(const std::string& path);

}  // namespace kuvio::formats
