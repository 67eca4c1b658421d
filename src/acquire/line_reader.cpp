// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/line_reader.h"

#include "core/quantity.h"
#include "core/special_value.h"
#include "formats/log_number.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <stdexcept>

namespace kuvio::acquire {
namespace {

using formats::Column;
using formats::Role;

std::string_view trim(std::string_view s) {
  const auto blank = [](char c) { return c == ' ' || c == '\t' || c == '\r'; };
  while (!s.empty() && blank(s.front())) s.remove_prefix(1);
  while (!s.empty() && blank(s.back())) s.remove_suffix(1);
  return s;
}

/// A plain number; what follows it in `rest`.
std::optional<double> number(std::string_view cell, std::string_view& rest) {
  if (cell.starts_with('+')) cell.remove_prefix(1);
  double v = 0;
  const auto [end, failed] = std::from_chars(cell.data(), cell.data() + cell.size(), v);
  if (failed != std::errc{}) return std::nullopt;
  rest = trim(cell.substr(static_cast<std::size_t>(end - cell.data())));
  return v;
}

char separator_of(std::string_view line) {
  for (const char c : {'\t', ';', ','}) {
    if (line.find(c) != std::string_view::npos) return c;
  }
  return ' ';
}

bool is_plain_number(std::string_view cell) {
  std::string_view rest;
  return number(cell, rest) && rest.empty();
}

bool is_unit(std::string_view cell) {
  for (const Dimension d : {Dimension::current, Dimension::voltage, Dimension::time}) {
    try {
      unit_factor(cell, d);
      return true;
    } catch (const std::invalid_argument&) {  // of another kind
    }
  }
  return false;
}

/// Between spaces a unit belongs to the number before it: "71.9 mA" is one cell.
void cells_of(std::string_view line, char separator, std::vector<std::string_view>& out) {
  if (separator != ' ') {
    formats::split_log_line(line, separator, out);
    return;
  }
  out.clear();
  for (std::size_t at = 0; at < line.size();) {
    if (line[at] == ' ') {
      ++at;
      continue;
    }
    const auto end = std::min(line.find(' ', at), line.size());
    const auto cell = line.substr(at, end - at);
    if (!out.empty() && is_plain_number(out.back()) && !is_plain_number(cell) && is_unit(cell)) {
      const auto from = static_cast<std::size_t>(out.back().data() - line.data());
      out.back() = line.substr(from, end - from);
    } else {
      out.push_back(cell);
    }
    at = end;
  }
}

/// "1,5" with another separator than the comma.
std::string with_point(std::string_view cell) {
  std::string out(cell);
  if (out.find('.') == std::string::npos) std::replace(out.begin(), out.end(), ',', '.');
  return out;
}

}  // namespace

LineReader::LineReader(const std::string& columns, bool by_header)
    : by_header_(by_header || columns.empty()) {
  if (columns.empty()) return;
  std::vector<std::string_view> titles;
  formats::split_log_line(columns, ',', titles);
  std::vector<Column> out;
  for (const auto title : titles) out.push_back(formats::guess_column(std::string(title)));
  if (std::none_of(out.begin(), out.end(), [](const Column& c) {
        return c.role == Role::current || c.role == Role::voltage;
      }))
    throw std::invalid_argument("columns=" + columns +
                                " has neither a current nor a voltage; write it as a header line "
                                "would be, e.g. columns=t [ms],I [uA]");
  refuse_doubt(out);
  set_columns(std::move(out));
  if (by_header) titles_ = columns;
}

/// What a title says must be plain: a unit that is misread is a factor of a thousand.
void LineReader::refuse_doubt(const std::vector<Column>& columns) {
  for (const Column& c : columns) {
    if (c.role != Role::ignore && !c.doubt.empty())
      throw std::invalid_argument("column \"" + c.title + "\": " + c.doubt +
                                  "; columns=… says what the columns are");
  }
}

void LineReader::set_columns(std::vector<Column> columns) {
  formats::number_duplicates(columns);
  columns_ = std::move(columns);
  time_column_.reset();
  for (std::size_t i = 0; i < columns_.size(); ++i) {
    if (columns_[i].role == Role::time && !time_column_) time_column_ = i;
  }
  if (time_column_) time_factor_ = formats::exact_factor(columns_[*time_column_].factor);
}

/// A header that comes again: units may be others, the columns may not.
LineReader::What LineReader::header_again(const std::vector<Column>& now) {
  if (!by_header_) return What::header;  // columns= said what they are
  bool same = true, units = false;
  for (std::size_t i = 0; i < now.size(); ++i) {
    same =
        same && now[i].role == columns_[i].role && now[i].doubt.empty() &&
        (now[i].role == Role::ignore || now[i].title == columns_[i].title ||
         formats::guess_column(now[i].title).name == formats::guess_column(columns_[i].title).name);
    units |= now[i].factor != columns_[i].factor;
  }
  if (!same) return What::other_header;
  if (!units) return What::header;
  titles_.clear();
  for (const Column& c : now) titles_ += (titles_.empty() ? "" : ",") + c.title;
  set_columns(now);
  return What::other_units;
}

std::vector<LineReader::Value> LineReader::values() const {
  std::vector<Value> out;
  for (const Column& c : columns_) {
    if (c.role == Role::current) out.push_back({c.name, Quantity::current, "A"});
    if (c.role == Role::voltage) out.push_back({c.name, Quantity::voltage, "V"});
  }
  return out;
}

/// The columns that a line of words names, one of them a current or a voltage; none else.
std::vector<Column> LineReader::header_of(const std::vector<std::string_view>& cells) {
  std::vector<Column> out;
  bool any = false;
  for (const auto cell : cells) {
    std::string_view rest;
    if (number(cell, rest)) return {};
    out.push_back(formats::guess_column(std::string(cell)));
    any |= out.back().role == Role::current || out.back().role == Role::voltage;
  }
  if (!any) out.clear();
  return out;
}

bool LineReader::try_header(const std::vector<std::string_view>& cells) {
  std::vector<Column> out = header_of(cells);
  if (out.empty()) return false;
  refuse_doubt(out);
  for (const Column& c : out) {
    if (c.role == Role::ignore || c.guess.empty()) continue;
    guessed_ += (guessed_.empty() ? "column \"" : "; column \"") + c.title + "\" " + c.guess;
  }
  titles_.clear();
  for (const Column& c : out) titles_ += (titles_.empty() ? "" : ",") + c.title;
  set_columns(std::move(out));
  return true;
}

/// "1034 ms; 3.28 V; 71.9 mA": the units say what the columns are.
bool LineReader::try_units(const std::vector<std::string_view>& cells) {
  std::vector<Column> out;
  bool any = false;
  int currents = 0, voltages = 0;
  for (const auto cell : cells) {
    std::string_view rest;
    Column c;
    const std::string text = with_point(cell);
    if (number(text, rest)) {
      for (const auto& [role, dimension] :
           {std::pair{Role::time, Dimension::time}, std::pair{Role::current, Dimension::current},
            std::pair{Role::voltage, Dimension::voltage}}) {
        try {
          c.factor = unit_factor(rest, dimension);
          c.role = role;
          break;
        } catch (const std::invalid_argument&) {  // not of this kind
        }
      }
    }
    const auto name = [](const char* base, int n) {
      return n == 1 ? std::string(base) : base + std::to_string(n);
    };
    if (c.role == Role::current) c.name = name("I", ++currents);
    if (c.role == Role::voltage) c.name = name("V", ++voltages);
    any |= c.role == Role::current || c.role == Role::voltage;
    out.push_back(c);
  }
  if (any) set_columns(std::move(out));
  return any;
}

std::optional<double> LineReader::value(std::string_view cell, const Column& c) const {
  if (cell.empty()) return kNotANumber;
  if (const auto special = special_word(cell)) return special;
  std::string_view rest;
  const std::string text = separator_ == ',' ? std::string(cell) : with_point(cell);
  const auto v = number(text, rest);
  if (!v) return std::nullopt;
  if (flag_of_value(*v)) return standard_value(*v, c.factor);
  if (rest.empty()) return *v * c.factor;
  try {
    return *v *
           unit_factor(rest, c.role == Role::voltage ? Dimension::voltage : Dimension::current);
  } catch (const std::invalid_argument&) {
    return std::nullopt;
  }
}

LineReader::What LineReader::take(std::string_view line, Reading& out) {
  line = trim(line);
  if (line.empty() || line.front() == '#') return What::nothing;
  std::vector<std::string_view> cells;
  if (columns_.empty()) {
    separator_ = separator_of(line);
    cells_of(line, separator_, cells);
    if (try_header(cells)) return What::header;
    if (!try_units(cells)) {
      std::string_view rest;
      // A lone number without a word about it: a current in ampere, and that is reported.
      if (cells.size() != 1 || !number(cells[0], rest) || !rest.empty()) return What::text;
      set_columns({formats::guess_column("I [A]")});
      guessed_ =
          "its lines have no header: their one number is taken as a current in A "
          "(columns=… says otherwise)";
    }
  } else {
    if (separator_ == 0 || cells.empty()) {
      if (separator_ == 0) separator_ = columns_.size() == 1 ? '\t' : separator_of(line);
      cells_of(line, separator_, cells);
    }
    if (cells.size() == columns_.size()) {
      const auto now = header_of(cells);
      const auto known = [](const std::vector<Column>& columns) {
        return std::count_if(columns.begin(), columns.end(),
                             [](const Column& c) { return c.role != Role::ignore; });
      };
      if (!now.empty() && known(now) >= known(columns_)) return header_again(now);
    }
  }
  if (cells.size() != columns_.size()) return What::text;
  out.time_ns.reset();
  out.values.clear();
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const Column& c = columns_[i];
    if (time_column_ == i) {
      std::string_view rest;
      const std::string text = separator_ == ',' ? std::string(cells[i]) : with_point(cells[i]);
      if (!number(text, rest)) return What::text;
      const std::string digits = text.substr(0, text.size() - rest.size());
      out.time_ns =
          formats::exact_decimal(trim(digits), time_factor_.exponent, 9, time_factor_.times);
      if (!out.time_ns) return What::text;
    } else if (c.role == Role::current || c.role == Role::voltage) {
      const auto v = value(cells[i], c);
      if (!v) return What::text;
      out.values.push_back(*v);
    }
  }
  return What::reading;
}

std::vector<Column> columns_of_line(std::string_view line) {
  std::vector<std::string_view> cells;
  cells_of(line, separator_of(line), cells);
  std::vector<Column> out;
  for (const auto cell : cells) {
    const std::string text = with_point(trim(cell));
    std::string_view rest;
    Column column;
    if (!number(text, rest)) {
      column = formats::guess_column(text);
    } else if (!rest.empty()) {
      for (const auto& [quantity, role, name] : {std::tuple{Dimension::current, Role::current, "I"},
                                                 std::tuple{Dimension::voltage, Role::voltage, "V"},
                                                 std::tuple{Dimension::time, Role::time, "t"}}) {
        try {
          column.factor = unit_factor(rest, quantity);
          column.role = role;
          column.name = name;
          column.unit = std::string(rest);
        } catch (const std::invalid_argument&) {  // of another kind
        }
      }
    }
    if (column.title.empty()) column.title = fmt::format("column {}", out.size() + 1);
    out.push_back(std::move(column));
  }
  return out;
}

}  // namespace kuvio::acquire
