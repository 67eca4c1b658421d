// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_dialect.h"

#include "core/quantity.h"
#include "core/special_value.h"
#include "formats/log_time.h"
#include "formats/text_columns.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <stdexcept>

namespace kuvio::formats {
namespace {

constexpr std::array<char, 5> kSeparators{'\t', ';', '|', ',', ' '};
constexpr std::size_t kLongestUnit = 6;   // bytes, of what stands behind a number
constexpr std::size_t kHeaderWithin = 4;  // lines above the samples
constexpr double kMostly = 0.8;           // part of the lines in which a column of numbers has one

bool is_unit(std::string_view text) {
  if (text.size() >= 2 && (text.front() == '(' || text.front() == '[')) {
    text.remove_prefix(1);
    if (text.back() == ')' || text.back() == ']') text.remove_suffix(1);
  }
  for (const Dimension d : {Dimension::time, Dimension::current, Dimension::voltage,
                            Dimension::ratio, Dimension::frequency}) {
    try {
      unit_factor(text, d);
      return true;
    } catch (const std::invalid_argument&) {
    }
  }
  return is_unit_word(text) || text == "W" || text == "mW" ||
         text ==
             "\xc2\xb0"
             "C" ||
         text == "C" || text == "degC";
}

bool may_be_unit(std::string_view text) {
  return text.size() <= kLongestUnit &&
         text.find_first_of(" \t0123456789:;,") == std::string_view::npos;
}

/// Whether a cell may hold a sample or its time, however its numbers are written.
bool is_datum(std::string_view cell) {
  if (cell.empty() || special_word(cell) || calendar_ns(cell) || clock_ns(cell) || date_ns(cell))
    return true;
  std::string room;
  for (const NumberMarks& marks :
       {NumberMarks{'.', ','}, NumberMarks{',', '.'}, NumberMarks{'.', 0}, NumberMarks{',', 0}}) {
    const auto number = number_cell(cell, marks, room);
    if (number && may_be_unit(number->unit)) return true;
  }
  return is_other_date(cell);
}

std::string_view without_hash(std::string_view line) {
  while (!line.empty() && (line.front() == '#' || line.front() == ' ')) line.remove_prefix(1);
  return line;
}

bool is_comment(std::string_view line) { return line.starts_with('#'); }

/// The lines as one separator takes them apart.
struct Split {
  char separator = ',';
  std::size_t cells = 0;          // of most lines that hold numbers
  std::vector<bool> column;       // which of them hold numbers
  std::vector<std::size_t> data;  // lines of samples, by their place in the head
  double score = 0;
};

std::vector<std::vector<bool>> data_of(const std::vector<LogLineText>& head, char separator) {
  std::vector<std::vector<bool>> out;
  std::vector<std::string_view> cells;
  for (const LogLineText& line : head) {
    out.emplace_back();
    if (line.text.empty() || is_comment(line.text)) continue;
    split_log_line(line.text, separator, cells);
    for (const std::string_view cell : cells) out.back().push_back(is_datum(cell));
  }
  return out;
}

Split split_by(const std::vector<LogLineText>& head, char separator) {
  Split out;
  out.separator = separator;
  const auto data = data_of(head, separator);
  // The number of cells that most lines have which are half numbers or more.
  std::map<std::size_t, std::size_t> lines_of;
  const auto half = [](const std::vector<bool>& line) {
    const auto n = static_cast<std::size_t>(std::count(line.begin(), line.end(), true));
    return n > 0 && 2 * n >= line.size();
  };
  for (const auto& line : data) {
    if (half(line)) ++lines_of[line.size()];
  }
  std::size_t most = 0;
  for (const auto& [cells, lines] : lines_of) {
    if (lines * cells > most * out.cells) {
      most = lines;
      out.cells = cells;
    }
  }
  if (out.cells == 0) return out;
  // The last ones know best: a preamble may hold numbers too.
  std::vector<std::size_t> in_column(out.cells, 0);
  const std::size_t asked = most > 4 ? most - most / 2 : most;
  std::size_t seen = 0;
  for (auto line = data.rbegin(); line != data.rend() && seen < asked; ++line) {
    if (line->size() != out.cells || !half(*line)) continue;
    for (std::size_t i = 0; i < out.cells; ++i) in_column[i] += (*line)[i] ? 1 : 0;
    ++seen;
  }
  std::size_t numbers = 0;
  for (const std::size_t n : in_column) {
    out.column.push_back(static_cast<double>(n) >= kMostly * static_cast<double>(seen));
    numbers += out.column.back() ? 1 : 0;
  }
  for (std::size_t i = 0; i < data.size(); ++i) {
    bool fits = data[i].size() == out.cells && numbers > 0;
    for (std::size_t c = 0; fits && c < out.cells; ++c) fits = data[i][c] || !out.column[c];
    if (fits) out.data.push_back(i);
  }
  out.score = static_cast<double>(out.data.size() * numbers) / static_cast<double>(out.cells);
  if (out.cells == 1) out.score *= 0.9;
  return out;
}

constexpr double kTitled = 1.3;  // times more likely, with titles above that have as many cells

/// Titles parted by blanks that hold some themselves: parted by two of them and more, or with a
/// unit in brackets, which belongs to the word before it.
std::vector<std::string> by_wide_gaps(std::string_view line) {
  std::vector<std::string> out;
  while (true) {
    line = bare_cell(line);
    if (line.empty()) return out;
    const auto end = std::min({line.size(), line.find("  "), line.find('\t')});
    out.emplace_back(line.substr(0, end));
    line.remove_prefix(end);
  }
}
std::vector<std::string> by_words(std::string_view line) {
  std::vector<std::string> out;
  std::vector<std::string_view> words;
  split_log_line(line, ' ', words);
  for (const std::string_view word : words) {
    if (!out.empty() && (word.front() == '(' || word.front() == '[')) {
      out.back() += ' ' + std::string(word);
    } else {
      out.emplace_back(word);
    }
  }
  return out;
}

bool are_words(const std::vector<std::string>& cells) {
  return std::any_of(cells.begin(), cells.end(),
                     [](const std::string& cell) { return !cell.empty() && !is_datum(cell); });
}

/// Takes a line above the samples for titles, or for their units, if it has as many cells.
bool cells_of_head(const std::string& text, char separator, std::size_t cells,
                   std::vector<std::string>& out, char& parted_by) {
  std::vector<std::string_view> parts;
  for (const char by : {separator, '\t', ';', ',', ' '}) {
    split_log_line(without_hash(text), by, parts, cells);
    if (parts.size() != cells) continue;
    parted_by = by;
    out.assign(parts.begin(), parts.end());
    return are_words(out);
  }
  parted_by = separator;
  for (const auto by : {by_wide_gaps, by_words}) {
    out = by(without_hash(text));
    if (separator == ' ' && out.size() == cells) return are_words(out);
  }
  return false;
}

bool are_units(const std::vector<std::string>& cells) {
  std::size_t units = 0;
  for (const std::string& cell : cells) {
    if (cell.empty() || cell == "-") continue;
    if (!is_unit(cell)) return false;
    ++units;
  }
  return units > 0;
}

/// The nearest line above the samples that can be their titles; a remark only where no other can.
void find_header(const std::vector<LogLineText>& head, std::size_t first, LogDialect& out) {
  std::vector<std::size_t> above;  // the nearest first
  for (std::size_t i = first; i-- > 0 && above.size() < kHeaderWithin;) {
    if (!head[i].text.empty()) above.push_back(i);
  }
  char parted_by = out.separator;
  const auto cells_in = [&](std::size_t i, std::vector<std::string>& cells) {
    return cells_of_head(head[i].text, out.separator, out.cells, cells, parted_by);
  };
  for (const bool remarks : {false, true}) {
    for (std::size_t k = 0; k < above.size(); ++k) {
      std::vector<std::string> cells, titles;
      if (is_comment(head[above[k]].text) != remarks || !cells_in(above[k], cells)) continue;
      out.header_line = head[above[k]].number;
      out.titles = cells;
      if (are_units(cells) && k + 1 < above.size() && cells_in(above[k + 1], titles)) {
        out.units = cells;
        out.unit_line = out.header_line;
        out.titles = titles;
        out.header_line = head[above[k + 1]].number;
      }
      out.title_separator = parted_by;
      return;
    }
  }
}

bool has_titles(const std::vector<LogLineText>& head, const Split& split) {
  if (split.data.empty()) return false;
  std::vector<std::string_view> cells;
  for (std::size_t i = split.data.front(); i-- > 0;) {
    if (head[i].text.empty() || is_comment(head[i].text)) continue;
    split_log_line(head[i].text, split.separator, cells, split.cells);
    return cells.size() == split.cells && std::none_of(cells.begin(), cells.end(), is_datum);
  }
  return false;
}

PreambleEntry entry_of(const LogLineText& line, char separator) {
  const std::string_view text = without_hash(line.text);
  PreambleEntry out{line.number, "", ""};
  auto cut =
      text.find_first_of(separator == ' ' ? ";\t:=" : std::string{separator, ';', '\t', ':', '='});
  if (cut == std::string_view::npos) cut = text.find(',');
  out.key = std::string(bare_cell(text.substr(0, cut)));
  if (cut != std::string_view::npos) out.value = std::string(bare_cell(text.substr(cut + 1)));
  return out;
}

}  // namespace

std::optional<LogDialect> find_layout(const std::vector<LogLineText>& head) {
  Split best;
  for (const char separator : kSeparators) {
    Split one = split_by(head, separator);
    if (has_titles(head, one)) one.score *= kTitled;
    if (one.score > best.score * 1.02) best = std::move(one);
  }
  if (best.data.empty()) return std::nullopt;
  LogDialect out;
  out.separator = best.separator;
  out.cells = best.cells;
  const std::size_t first = best.data.front();
  out.first_line = head[first].number;
  find_header(head, first, out);
  for (std::size_t i = 0; i < first; ++i) {
    const LogLineText& line = head[i];
    if (!line.text.empty() && line.number != out.header_line && line.number != out.unit_line)
      out.preamble.push_back(entry_of(line, out.separator));
  }
  return out;
}

void MarkFinder::look(std::int64_t line, const std::vector<std::string_view>& cells) {
  for (const std::string_view cell : cells) {
    Seen* seen = nullptr;
    switch (mark_evidence(cell)) {
      case MarkEvidence::none:
        continue;
      case MarkEvidence::comma_decimal:
        seen = &comma_;
        break;
      case MarkEvidence::point_decimal:
        seen = &point_;
        break;
      case MarkEvidence::comma_either:
        seen = &comma_either_;
        break;
      case MarkEvidence::point_either:
        seen = &point_either_;
        break;
    }
    if (seen->line == 0 && is_datum(cell) && !is_other_date(cell))
      *seen = {line, std::string(cell.substr(0, 40))};
  }
}

NumberMarks MarkFinder::marks() const {
  if (comma_.line > 0 && point_.line > 0)
    throw std::invalid_argument(fmt::format(
        "\"{}\" in line {} has a decimal comma and \"{}\" in line {} a decimal point: one mark for "
        "the whole file",
        comma_.text, comma_.line, point_.text, point_.line));
  if (comma_.line > 0) return {',', '.'};
  if (point_.line > 0) return {'.', ','};
  if (comma_either_.line > 0) {
    std::string as_decimal = comma_either_.text, as_thousand = comma_either_.text;
    std::replace(as_decimal.begin(), as_decimal.end(), ',', '.');
    as_thousand.erase(std::remove(as_thousand.begin(), as_thousand.end(), ','), as_thousand.end());
    throw std::invalid_argument(
        fmt::format("\"{}\" in line {} is {} or {}, and no cell of the file says which",
                    comma_either_.text, comma_either_.line, as_decimal, as_thousand));
  }
  return {};
}

std::string MarkFinder::rests_on() const {
  for (const Seen* seen : {&comma_, &point_, &point_either_}) {
    if (seen->line > 0) return fmt::format("\"{}\" in line {}", seen->text, seen->line);
  }
  return "";
}

}  // namespace kuvio::formats
