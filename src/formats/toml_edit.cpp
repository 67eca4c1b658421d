// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/toml_edit.h"

#include "core/error.h"
#include "formats/toml_file.h"

#include <toml++/toml.h>

#include <algorithm>
#include <vector>

namespace kuvio::formats {
namespace {

class Source {
public:
  Source(const std::string& text, const std::string& name) : text_(text), name_(name) {
    refuse_deep(text, name);
    try {
      root_ = toml::parse(text, name);
    } catch (const toml::parse_error& e) {
      throw Error(Failure::bad_data, "not valid TOML",
                  name + ":" + std::to_string(e.source().begin.line), std::string(e.description()));
    }
    starts_.push_back(0);
    for (std::size_t i = 0; i < text.size(); ++i) {
      if (text[i] == '\n') starts_.push_back(i + 1);
    }
  }

  const toml::table& root() const { return root_; }
  const toml::array* array(const std::string& key) const { return root_[key].as_array(); }
  const toml::table& block(const std::string& key, std::size_t index) const {
    if (key.empty()) return root_;
    const toml::array* list = array(key);
    const toml::table* table =
        list && index < list->size() ? list->get(index)->as_table() : nullptr;
    if (!table) {
      throw Error(Failure::bad_data, "bad file", name_,
                  "there is no [[" + key + "]] number " + std::to_string(index + 1));
    }
    return *table;
  }

  /// Byte offset of a position; columns count characters, not bytes.
  std::size_t offset(const toml::source_position& at) const {
    std::size_t i = starts_.at(std::min<std::size_t>(at.line, starts_.size()) - 1);
    for (std::uint32_t column = 1; column < at.column && i < text_.size(); ++column) {
      ++i;
      while (i < text_.size() && (static_cast<unsigned char>(text_[i]) & 0xc0) == 0x80) ++i;
    }
    return i;
  }
  std::string of(const toml::node& node) const {
    const std::size_t a = offset(node.source().begin), b = offset(node.source().end);
    return text_.substr(a, b - a);
  }
  std::string with(const toml::node& node, const std::string& value) const {
    const std::size_t a = offset(node.source().begin), b = offset(node.source().end);
    return text_.substr(0, a) + value + text_.substr(b);
  }
  /// Where the lines of a block end: after its last key. A comment above the next header is that
  /// one's.
  std::size_t end_of(const toml::table& table, bool whole_file) const {
    const std::size_t line = last_line(table, whole_file);
    return line < starts_.size() ? starts_[line] : text_.size();
  }
  /// A block with its header, the comment right above it and the empty lines after it.
  std::pair<std::size_t, std::size_t> lines_of(const toml::table& table) const {
    std::size_t first = table.source().begin.line - 1;
    while (first > 0 && line_text(first - 1).starts_with('#')) --first;
    std::size_t line = last_line(table, false);
    while (line < starts_.size() && blank(line)) ++line;
    return {starts_[first], line < starts_.size() ? starts_[line] : text_.size()};
  }
  /// The whole line that a key stands on.
  std::pair<std::size_t, std::size_t> line_of(const toml::node& node) const {
    const std::size_t first = node.source().begin.line - 1, after = node.source().end.line;
    return {starts_[first], after < starts_.size() ? starts_[after] : text_.size()};
  }

private:
  /// The line after a block's last key.
  std::size_t last_line(const toml::table& table, bool whole_file) const {
    const std::size_t begin = whole_file ? 0 : table.source().begin.line;
    std::size_t line = begin;
    while (line < starts_.size() && !line_text(line).starts_with('[')) ++line;
    const bool more = line < starts_.size();
    while (line > begin && (blank(line - 1) || (more && line_text(line - 1).starts_with('#'))))
      --line;
    return line;
  }
  std::string line_text(std::size_t line) const {
    const std::size_t a = starts_[line],
                      b = line + 1 < starts_.size() ? starts_[line + 1] : text_.size();
    std::string out = text_.substr(a, b - a);
    out.erase(0, std::min(out.find_first_not_of(" \t"), out.size()));
    return out;
  }
  bool blank(std::size_t line) const {
    return line_text(line).find_first_not_of(" \t\r\n") == std::string::npos;
  }

  const std::string& text_;
  const std::string& name_;
  toml::table root_;
  std::vector<std::size_t> starts_;
};

/// An inline table written anew, with one key set (or left out when the value is empty).
std::string inline_table(const Source& source, const toml::table& table, const std::string& key,
                         const std::string& value) {
  std::vector<std::pair<toml::source_position, std::string>> parts;
  bool found = false;
  for (const auto& [k, node] : table) {
    const bool it = k.str() == key;
    found |= it;
    if (it && value.empty()) continue;
    parts.emplace_back(node.source().begin,
                       std::string(k.str()) + " = " + (it ? value : source.of(node)));
  }
  std::sort(parts.begin(), parts.end(), [](const auto& a, const auto& b) {
    return std::tie(a.first.line, a.first.column) < std::tie(b.first.line, b.first.column);
  });
  if (!found && !value.empty()) parts.emplace_back(toml::source_position{}, key + " = " + value);
  std::string out;
  for (const auto& [at, part] : parts) out += (out.empty() ? "{ " : ", ") + part;
  return out.empty() ? "" : out + " }";
}

}  // namespace

std::string toml_quote(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    if (static_cast<unsigned char>(c) < 0x20) {
      out += ' ';
      continue;
    }
    out += c;
  }
  return out + "\"";
}

std::string toml_set(const std::string& text, const std::string& name, const TomlPlace& place,
                     const std::string& value) {
  const Source source(text, name);
  const toml::table& table = source.block(place.array, place.index);
  const toml::node* node = table.get(place.key);
  if (node && place.inner.empty()) return source.with(*node, value);
  if (node && node->is_table()) {
    return source.with(*node, inline_table(source, *node->as_table(), place.inner, value));
  }
  const std::string line =
      place.key + " = " + (place.inner.empty() ? value : "{ " + place.inner + " = " + value + " }");
  if (node) return source.with(*node, line.substr(place.key.size() + 3));
  const std::size_t at = source.end_of(table, place.array.empty());
  const bool open = at > 0 && text[at - 1] != '\n';
  return text.substr(0, at) + (open ? "\n" : "") + line + "\n" + text.substr(at);
}

std::string toml_remove(const std::string& text, const std::string& name, const TomlPlace& place) {
  const Source source(text, name);
  const toml::table& table = source.block(place.array, place.index);
  const toml::node* node = table.get(place.key);
  if (!node) return text;
  if (!place.inner.empty() && node->is_table()) {
    const std::string rest = inline_table(source, *node->as_table(), place.inner, "");
    if (!rest.empty()) return source.with(*node, rest);
  }
  const auto [from, to] = source.line_of(*node);
  return text.substr(0, from) + text.substr(to);
}

std::string toml_remove_block(const std::string& text, const std::string& name,
                              const std::string& array, std::size_t index) {
  const Source source(text, name);
  const auto [from, to] = source.lines_of(source.block(array, index));
  return text.substr(0, from) + text.substr(to);
}

std::string toml_insert_block(const std::string& text, const std::string& name,
                              const std::string& array, std::size_t index,
                              const std::string& block) {
  const Source source(text, name);
  const toml::array* list = source.array(array);
  if (!list || list->empty()) return toml_append(text, block);
  const bool last = index >= list->size();
  const auto [from, to] = source.lines_of(source.block(array, last ? list->size() - 1 : index));
  if (last && to == text.size()) return toml_append(text, block);
  std::string lines = block;
  while (!lines.empty() && lines.back() == '\n') lines.pop_back();
  const std::size_t at = last ? to : from;
  return text.substr(0, at) + lines + "\n\n" + text.substr(at);
}

std::string toml_move_block(const std::string& text, const std::string& name,
                            const std::string& array, std::size_t from, std::size_t to) {
  if (from == to) return text;
  const Source source(text, name);
  const auto [begin, end] = source.lines_of(source.block(array, from));
  return toml_insert_block(text.substr(0, begin) + text.substr(end), name, array, to,
                           text.substr(begin, end - begin));
}

std::string toml_append(const std::string& text, const std::string& block) {
  std::string out = text;
  while (!out.empty() && out.back() == '\n') out.pop_back();
  return out + "\n\n" + block + (block.ends_with('\n') ? "" : "\n");
}

}  // namespace kuvio::formats
