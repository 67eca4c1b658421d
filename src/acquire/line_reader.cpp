// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/line_reader.h"

#include "core/quantity.h"
#include "core/special_value.h"
#include "core/trimmed.h"
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

/// A plain number; what follows it in `rest`.
std::optional<double> number(std::string_view cell, std::string_view& rest) {
  if (cell.starts_with('+')) cell.remove_prefix(1);
  double v = 0;
  const auto [end, failed] = std::from_chars(cell.data(), cell.data() + cell.size(), v);
  if (failed != std::errc{}) return std::nullopt;
  rest = trimmed(cell.substr(static_cast<std::size_t>(end - cell.data())));
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

/// What stands behind a cell's number, whatever its marks; nothing where it has none.
std::optional<std::string> unit_behind(std::string_view cell) {
  std::string room;
  for (const formats::NumberMarks marks : {formats::NumberMarks{'.', ','}, {',', '.'}}) {
    if (const auto number = formats::number_cell(cell, marks, room))
      return std::string(number->unit);
  }
  return std::nullopt;
}

}  // namespace

LineReader::LineReader(const std::string& columns, bool by_header, std::optional<char> decimal)
    : decimal_(decimal), by_header_(by_header || columns.empty()) {
  plan_.dialect.separator = 0;
  if (decimal) {
    plan_.dialect.marks = {*decimal, *decimal == ',' ? '.' : ','};
    marks_known_ = true;
  }
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
  plan_.columns = std::move(columns);
  plan_.unit_in_cell.assign(plan_.columns.size(), false);
  plan_.time_column = plan_.date_column = -1;
  for (std::size_t i = 0; i < plan_.columns.size(); ++i) {
    if (plan_.columns[i].role == Role::time && plan_.time_column < 0)
      plan_.time_column = static_cast<int>(i);
  }
  times_known_ = false;
  if (has_time())
    plan_.time_factor =
        formats::exact_factor(plan_.columns[static_cast<std::size_t>(plan_.time_column)].factor);
  cells_.emplace(plan_, std::nullopt);
}

void LineReader::keep_titles(const std::vector<Column>& columns) {
  titles_.clear();
  for (const Column& c : columns) titles_ += (titles_.empty() ? "" : ",") + c.title;
}

/// A header that comes again: units may be others, the columns may not.
LineReader::What LineReader::header_again(const std::vector<Column>& now) {
  if (!by_header_) return What::header;  // columns= said what they are
  bool same = true, units = false;
  for (std::size_t i = 0; i < now.size(); ++i) {
    same = same && now[i].role == plan_.columns[i].role && now[i].doubt.empty() &&
           (now[i].role == Role::ignore || now[i].title == plan_.columns[i].title ||
            formats::guess_column(now[i].title).name ==
                formats::guess_column(plan_.columns[i].title).name);
    units |= now[i].factor != plan_.columns[i].factor;
  }
  if (!same) return What::other_header;
  if (!units) return What::header;
  header_.clear();
  units_.clear();
  keep_titles(now);
  set_columns(now);
  return What::other_units;
}

std::vector<LineReader::Value> LineReader::values() const {
  std::vector<Value> out;
  for (const Column& c : plan_.columns) {
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
    if (number(cell, rest) || formats::time_form(cell, {})) return {};
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
  keep_titles(out);
  set_columns(std::move(out));
  return true;
}

/// "1034 ms; 3.28 V; 71.9 mA": the units say what the columns are.
bool LineReader::try_units(const std::vector<std::string_view>& cells) {
  std::vector<Column> out;
  bool any = false;
  int currents = 0, voltages = 0;
  for (const auto cell : cells) {
    Column c;
    const auto form = formats::time_form(cell, {});
    if (form == formats::TimeForm::clock || form == formats::TimeForm::calendar) {
      c.role = Role::time;
    } else if (const auto unit = unit_behind(cell)) {
      for (const auto& [role, dimension] :
           {std::pair{Role::time, Dimension::time}, std::pair{Role::current, Dimension::current},
            std::pair{Role::voltage, Dimension::voltage}}) {
        try {
          c.factor = unit_factor(*unit, dimension);
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

/// A line of units below a header that has none: "s;mA;V".
bool LineReader::take_units(const std::vector<std::string_view>& cells) {
  if (any_ || !by_header_ || titles_.empty()) return false;
  std::vector<Column> now = plan_.columns;
  bool any = false;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (now[i].role == Role::ignore) continue;
    if (cells[i].empty() || now[i].guess.empty()) continue;  // it says its own
    std::string_view unit = cells[i];
    if (unit.size() > 2 && (unit.front() == '[' || unit.front() == '('))
      unit = trimmed(unit.substr(1, unit.size() - 2));
    if (!is_unit(unit)) return false;
    Column with = formats::guess_column(now[i].title + " [" + std::string(unit) + "]");
    if (with.role != now[i].role || !with.doubt.empty()) return false;
    now[i] = std::move(with);
    any = true;
  }
  if (!any) return false;
  guessed_.clear();
  keep_titles(now);
  set_columns(std::move(now));
  return true;
}

/// How the numbers of a line are written, one mark for all lines: `reading` once that is known,
/// `open` as long as they can be read in two ways, `text` where they contradict themselves.
LineReader::What LineReader::find_marks(const std::vector<std::string_view>& cells) {
  if (marks_known_) return What::reading;
  std::vector<std::string_view> numbers;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (plan_.columns[i].role != Role::ignore) numbers.push_back(cells[i]);
  }
  formats::MarkFinder finder = finder_;
  finder.look(1, numbers);
  if (finder.settled()) {
    try {
      plan_.dialect.marks = finder.marks();
    } catch (const std::invalid_argument&) {
      return What::text;
    }
    marks_known_ = true;
  }
  finder_ = finder;
  return finder_.open() ? What::open : What::reading;
}

/// In which form the first line of numbers writes its time.
void LineReader::find_times(const std::vector<std::string_view>& cells) {
  if (times_known_) return;
  times_known_ = true;
  plan_.time_form = formats::TimeForm::number;
  if (!has_time()) return;
  const auto form =
      formats::time_form(cells[static_cast<std::size_t>(plan_.time_column)], plan_.dialect.marks);
  if (!form) {
    times_known_ = false;
    return;
  }
  plan_.time_form = *form == formats::TimeForm::count ? formats::TimeForm::number : *form;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (plan_.time_form == formats::TimeForm::clock && formats::date_ns(cells[i]))
      plan_.date_column = static_cast<int>(i);
  }
}

/// When a line was read, by its own time: counters and days that go round go on.
std::optional<std::int64_t> LineReader::moment(const std::vector<std::string_view>& cells) {
  const auto column = static_cast<std::size_t>(plan_.time_column);
  auto out = cells_->moment(column, cells[column]);
  if (!out) return std::nullopt;
  if (plan_.date_column >= 0) {
    const auto day = formats::date_ns(cells[static_cast<std::size_t>(plan_.date_column)]);
    return day ? std::optional(*day + out->ns) : std::nullopt;
  }
  if (plan_.time_form == formats::TimeForm::clock) {
    // Midnight is passed by a step about as long as the others, not by a time that is garbled.
    constexpr std::int64_t kHour = 3'600'000'000'000;
    const std::int64_t through = out->ns + (days_ + 1) * formats::kDayNs - last_ns_;
    if (any_ && out->ns + days_ * formats::kDayNs < last_ns_ - formats::kDayNs / 2 &&
        through <= std::max(kHour, 20 * step_ns_))
      ++days_;
    const std::int64_t ns = out->ns + days_ * formats::kDayNs;
    if (any_ && ns > last_ns_) step_ns_ = ns - last_ns_;
    last_ns_ = ns;
    return ns;
  }
  if (!out->raw) return out->ns;
  const std::int64_t raw = *out->raw;
  if (counter_.contradicts(raw)) counter_.restart();
  const bool wraps = counter_.wraps(raw);
  if (counter_.added() != 0 || wraps)
    out = cells_->moment(column, cells[column], counter_.peek(raw) - raw);
  counter_.take(raw);
  return out ? std::optional(out->ns) : std::nullopt;
}

void LineReader::restart() {
  counter_.restart();
  last_ns_ = step_ns_ = days_ = 0;
  any_ = false;
}

LineReader::What LineReader::read(const std::vector<std::string_view>& cells, Reading& out) {
  out.time_ns.reset();
  out.values.clear();
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const Column& c = plan_.columns[i];
    if (c.role != Role::current && c.role != Role::voltage) continue;
    double value = 0;
    if (cells_->value(i, cells[i], value) != formats::CellReader::Fault::none) return What::text;
    const auto flag = formats::flag_of_data(value);
    out.values.push_back(!flag                        ? value
                         : *flag == Flag::over_range  ? kOverRange
                         : *flag == Flag::below_range ? kBelowRange
                                                      : kNotANumber);
  }
  if (has_time()) {
    find_times(cells);
    out.time_ns = moment(cells);
    if (!out.time_ns) return What::text;
  }
  any_ = true;
  return What::reading;
}

LineReader::What LineReader::take(std::string_view line, Reading& out) {
  if (line.starts_with("\xef\xbb\xbf")) line.remove_prefix(3);
  line = trimmed(line);
  if (line.empty() || line.front() == '#') return What::nothing;
  std::vector<std::string_view> cells;
  char& separator = plan_.dialect.separator;
  if (plan_.columns.empty()) {
    separator = separator_of(line);
    cells_of(line, separator, cells);
    if (try_header(cells)) {
      header_ = line;
      return What::header;
    }
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
    if (separator == 0) separator = plan_.columns.size() == 1 ? '\t' : separator_of(line);
    cells_of(line, separator, cells);
    if (cells.size() == plan_.columns.size()) {
      if (line == units_ || line == header_) return What::header;
      if (take_units(cells)) {
        units_ = line;
        return What::header;
      }
      const auto now = header_of(cells);
      const auto known = [](const std::vector<Column>& columns) {
        return std::count_if(columns.begin(), columns.end(),
                             [](const Column& c) { return c.role != Role::ignore; });
      };
      if (!now.empty() && known(now) >= known(plan_.columns)) return header_again(now);
    }
  }
  if (cells.size() != plan_.columns.size()) return What::text;
  const What marks = find_marks(cells);
  return marks == What::reading ? read(cells, out) : marks;
}

std::vector<Column> columns_of_line(std::string_view line) {
  std::vector<std::string_view> cells;
  cells_of(line, separator_of(line), cells);
  std::vector<Column> out;
  for (const auto cell : cells) {
    const std::string text = with_point(trimmed(cell));
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
