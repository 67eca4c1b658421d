// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/toml_file.h"

#include "core/error.h"

#include <toml++/toml.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <sstream>

namespace kuvio::formats {

namespace fs = std::filesystem;

struct TomlTable::Document {
  std::string path, source;
  toml::table root;
};
struct TomlTable::Node {
  const toml::table* table = nullptr;
};

namespace {}  // namespace

void refuse_deep(const std::string& content, const std::string& path) {
  constexpr std::size_t kLongest = 10'000;
  constexpr int kDeepest = 100;
  std::size_t at = 0;
  for (int number = 1; at < content.size(); ++number) {
    const std::size_t end = std::min(content.find('\n', at), content.size());
    const std::string_view line = std::string_view(content).substr(at, end - at);
    int dots = 0;
    char quoted = 0;
    for (const char c : line) {
      if (quoted != 0) {
        if (c == quoted) quoted = 0;
      } else if (c == '"' || c == '\'') {
        quoted = c;
      } else if (c == '.') {
        ++dots;
      }
    }
    if (line.size() > kLongest || dots > kDeepest) {
      throw Error(Failure::bad_data, "not valid TOML", path + ":" + std::to_string(number),
                  line.size() > kLongest ? "the line is longer than 10 kB"
                                         : "the line nests more than 100 levels deep");
    }
    at = end + 1;
  }
}

namespace {

std::string quote(std::string_view key) { return "\"" + std::string(key) + "\""; }

}  // namespace

std::string read_text_file(const std::string& path) {
  std::error_code ignored;
  if (!fs::exists(path, ignored))
    throw Error(Failure::no_input, "no such file", path, "check the path");
  if (fs::is_directory(path, ignored))
    throw Error(Failure::no_input, "not a file", path, "it is a folder");
  std::ifstream in(path, std::ios::binary);
  if (!in) throw Error(Failure::io, "cannot read", path, "permission denied");
  std::string out;
  std::vector<char> buffer(1 << 16);
  while (in.read(buffer.data(), static_cast<std::streamsize>(buffer.size())) || in.gcount() > 0) {
    out.append(buffer.data(), static_cast<std::size_t>(in.gcount()));
    if (out.size() > (4 << 20))
      throw Error(Failure::bad_data, "too large", path,
                  "files of this kind must be smaller than 4 MiB");
  }
  return out;
}

TomlTable::TomlTable(std::shared_ptr<const Document> document, std::shared_ptr<const Node> node)
    : document_(std::move(document)), node_(std::move(node)) {}

TomlTable TomlTable::file(const std::string& path, const std::string& kind) {
  return text(read_text_file(path), path, kind);
}

TomlTable TomlTable::text(const std::string& content, const std::string& path,
                          const std::string& kind) {
  auto document = std::make_shared<Document>();
  document->path = path;
  document->source = content;
  refuse_deep(content, path);
  try {
    document->root = toml::parse(content, path);
  } catch (const toml::parse_error& e) {
    throw Error(Failure::bad_data, "not valid TOML",
                path + ":" + std::to_string(e.source().begin.line), std::string(e.description()));
  }
  auto node = std::make_shared<Node>();
  node->table = &document->root;
  TomlTable out(document, node);
  const std::string wanted = kind + "/1";
  const auto found = document->root["kuvio"].value<std::string>();
  if (!found) out.complain("it needs the line kuvio = " + quote(wanted));
  if (*found != wanted) out.complain("it is " + quote(*found) + ", not " + quote(wanted), "kuvio");
  return out;
}

const std::string& TomlTable::path() const { return document_->path; }
const std::string& TomlTable::source() const { return document_->source; }

int TomlTable::line(std::string_view at_key) const {
  const toml::node* node = at_key.empty() ? nullptr : node_->table->get(at_key);
  const auto line = node ? node->source().begin.line : node_->table->source().begin.line;
  return std::max(1, static_cast<int>(line));
}

void TomlTable::complain(const std::string& why, std::string_view at_key) const {
  throw Error(Failure::bad_data, "bad file", path() + ":" + std::to_string(line(at_key)), why);
}

void TomlTable::expect(const std::vector<std::string_view>& known,
                       const std::vector<std::string_view>& later) const {
  for (const auto& [key, node] : *node_->table) {
    const std::string_view name = key.str();
    if (std::find(known.begin(), known.end(), name) != known.end()) continue;
    const auto at = "the key " + quote(name);
    const std::string where =
        path() + ":" + std::to_string(std::max<int>(1, static_cast<int>(key.source().begin.line)));
    if (std::find(later.begin(), later.end(), name) != later.end()) {
      throw Error(Failure::bad_data, "bad file", where, at + " is not yet supported");
    }
    std::string list;
    for (const auto k : known) list += (list.empty() ? "" : ", ") + std::string(k);
    throw Error(Failure::bad_data, "bad file", where, at + " is not known here; known are " + list);
  }
}

bool TomlTable::is_text(std::string_view key) const {
  const toml::node* node = node_->table->get(key);
  return node && node->is_string();
}

bool TomlTable::has(std::string_view key) const { return node_->table->contains(key); }

std::optional<std::string> TomlTable::optional_string(std::string_view key) const {
  if (!has(key)) return std::nullopt;
  auto value = node_->table->get(key)->value_exact<std::string>();
  if (!value) complain(quote(key) + " must be a quoted string", key);
  return value;
}

std::string TomlTable::string(std::string_view key) const {
  if (auto value = optional_string(key)) return *value;
  complain("the key " + quote(key) + " is missing");
}

bool TomlTable::boolean(std::string_view key, bool otherwise) const {
  if (!has(key)) return otherwise;
  const auto value = node_->table->get(key)->value_exact<bool>();
  if (!value) complain(quote(key) + " must be true or false", key);
  return *value;
}

std::optional<double> TomlTable::optional_quantity(std::string_view key,
                                                   Dimension dimension) const {
  if (!has(key)) return std::nullopt;
  const toml::node* node = node_->table->get(key);
  if (node->is_number())
    complain(quote(key) + " has no unit; write it in quotes with " + describe(dimension), key);
  const auto value = node->value_exact<std::string>();
  if (!value)
    complain(quote(key) + " must be a quantity in quotes with " + describe(dimension), key);
  try {
    return parse_quantity(*value, dimension);
  } catch (const std::invalid_argument& e) {
    complain(quote(key) + ": " + e.what(), key);
  }
}

double TomlTable::quantity(std::string_view key, Dimension dimension) const {
  if (const auto value = optional_quantity(key, dimension)) return *value;
  complain("the key " + quote(key) + " is missing");
}

std::vector<std::string> TomlTable::strings(std::string_view key) const {
  if (!has(key)) complain("the key " + quote(key) + " is missing");
  const toml::array* array = node_->table->get(key)->as_array();
  std::vector<std::string> out;
  if (array) {
    for (const auto& item : *array) {
      const auto value = item.value_exact<std::string>();
      if (!value) complain(quote(key) + " must be a list of texts in quotes", key);
      out.push_back(*value);
    }
  }
  if (out.empty()) complain(quote(key) + " must be a list of texts in quotes", key);
  return out;
}

std::optional<TomlTable> TomlTable::optional_table(std::string_view key) const {
  if (!has(key)) return std::nullopt;
  const toml::table* table = node_->table->get(key)->as_table();
  if (!table) complain(quote(key) + " must be a table such as { max = … }", key);
  auto node = std::make_shared<Node>();
  node->table = table;
  return TomlTable(document_, node);
}

TomlTable TomlTable::table(std::string_view key) const {
  if (auto out = optional_table(key)) return *out;
  complain("the key " + quote(key) + " is missing");
}

std::vector<TomlTable> TomlTable::tables(std::string_view key) const {
  std::vector<TomlTable> out;
  if (!has(key)) return out;
  const toml::array* array = node_->table->get(key)->as_array();
  if (!array) complain(quote(key) + " must be written as [[" + std::string(key) + "]]", key);
  for (const auto& item : *array) {
    const toml::table* table = item.as_table();
    if (!table) complain(quote(key) + " must be written as [[" + std::string(key) + "]]", key);
    auto node = std::make_shared<Node>();
    node->table = table;
    out.push_back(TomlTable(document_, node));
  }
  return out;
}

std::vector<std::string> TomlTable::keys() const {
  std::vector<std::string> out;
  for (const auto& [key, node] : *node_->table) out.emplace_back(key.str());
  return out;
}

std::string TomlTable::beside(const std::string& name) const {
  const fs::path given(name);
  return given.is_absolute() ? name : (fs::path(path()).parent_path() / given).string();
}

}  // namespace kuvio::formats
