// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_number.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <iterator>
#include <utility>

namespace kuvio::formats {
namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }

constexpr std::string_view kMinus = "\xe2\x88\x92";  // U+2212, as typesetters write it

/// Its sign as "-" or nothing; what follows stays in `text`.
bool take_sign(std::string_view& text) {
  if (text.starts_with(kMinus)) {
    text.remove_prefix(kMinus.size());
    return true;
  }
  const bool minus = text.starts_with('-');
  if (minus || text.starts_with('+')) text.remove_prefix(1);
  return minus;
}

/// How long an exponent at the beginning of `text` is; 0 where there is none.
std::size_t exponent_length(std::string_view text) {
  if (text.empty() || (text[0] != 'e' && text[0] != 'E')) return 0;
  std::size_t at = 1;
  if (at < text.size() && (text[at] == '+' || text[at] == '-')) ++at;
  const std::size_t digits = at;
  while (at < text.size() && is_digit(text[at])) ++at;
  return at > digits ? at : 0;
}

/// The digits and marks that a cell begins with, its sign taken away.
std::string_view figures_of(std::string_view cell) {
  take_sign(cell);
  std::size_t n = 0;
  while (n < cell.size() && (is_digit(cell[n]) || cell[n] == ',' || cell[n] == '.')) ++n;
  return cell.substr(0, n);
}

/// Whether marks of this kind stand only where thousands do, behind one to three digits and every
/// three from there.
bool grouped(std::string_view whole, char mark) {
  const auto first = whole.find(mark);
  if (first == std::string_view::npos) return true;
  if (first == 0 || first > 3 || (whole[0] == '0')) return false;
  for (std::size_t at = first; at < whole.size(); at += 4) {
    if (whole[at] != mark || at + 4 > whole.size()) return false;
    for (std::size_t i = 1; i < 4; ++i) {
      if (!is_digit(whole[at + i])) return false;
    }
  }
  return true;
}

}  // namespace

std::string_view bare_cell(std::string_view cell) {
  const auto trim = [&] {
    while (!cell.empty() && (cell.front() == ' ' || cell.front() == '\t')) cell.remove_prefix(1);
    while (!cell.empty() && (cell.back() == ' ' || cell.back() == '\t' || cell.back() == '\r'))
      cell.remove_suffix(1);
  };
  trim();
  if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"') {
    cell = cell.substr(1, cell.size() - 2);
    trim();
  }
  return cell;
}

void split_log_line(std::string_view line, char separator, std::vector<std::string_view>& out,
                    std::size_t most) {
  out.clear();
  std::size_t at = 0;
  if (separator == ' ') {
    while (true) {
      at = line.find_first_not_of(" \t\r", at);
      if (at == std::string_view::npos) return;
      const auto end = std::min(line.size(), line.find_first_of(" \t\r", at));
      out.push_back(line.substr(at, end - at));
      at = end;
    }
  }
  while (true) {
    std::size_t end = at;
    bool quoted = false;
    while (end < line.size() && (quoted || line[end] != separator)) {
      if (line[end] == '"') quoted = !quoted;
      ++end;
    }
    const std::string_view cell = bare_cell(line.substr(at, end - at));
    if (end >= line.size() && cell.empty() && most > 0 && out.size() == most) return;
    out.push_back(cell);
    if (end >= line.size()) return;
    at = end + 1;
  }
}

std::optional<NumberCell> number_cell(std::string_view cell, const NumberMarks& written,
                                      std::string& room) {
  NumberMarks marks = written;
  // An apostrophe can only stand between thousands.
  if (cell.find('\'') != std::string_view::npos) marks.thousands = '\'';
  const std::string_view given = cell;
  const bool minus = take_sign(cell);
  std::size_t at = 0;
  while (at < cell.size() &&
         (is_digit(cell[at]) || (marks.thousands && cell[at] == marks.thousands)))
    ++at;
  const std::string_view whole = cell.substr(0, at);
  std::string_view part;
  if (at < cell.size() && cell[at] == marks.decimal) {
    std::size_t end = at + 1;
    while (end < cell.size() && is_digit(cell[end])) ++end;
    part = cell.substr(at + 1, end - at - 1);
    at = end;
  }
  const auto digits = std::count_if(whole.begin(), whole.end(), is_digit);
  if (digits == 0 && part.empty()) return std::nullopt;
  const bool groups = marks.thousands && whole.find(marks.thousands) != std::string_view::npos;
  if (groups && !grouped(whole, marks.thousands)) return std::nullopt;
  const std::size_t power = exponent_length(cell.substr(at));
  NumberCell out;
  out.unit = bare_cell(cell.substr(at + power));
  // A mark without digits behind it ends a number at most: "1." but not "1,x".
  if (part.empty() && at > 0 && cell[at - 1] == marks.decimal &&
      (marks.decimal == ',' || !out.unit.empty()))
    return std::nullopt;
  // "1.2.3", "5-3" and "04/05/26" are no numbers with a unit.
  if (!out.unit.empty()) {
    const auto c = static_cast<unsigned char>(out.unit.front());
    if (c < 0x80 && !std::isalpha(c) && c != '%') return std::nullopt;
  }
  const bool plain =
      marks.decimal == '.' && !groups && !given.starts_with('+') && !given.starts_with(kMinus);
  if (plain) {
    out.plain = given.substr(0, given.size() - cell.size() + at + power);
    return out;
  }
  room.clear();
  if (minus) room += '-';
  std::copy_if(whole.begin(), whole.end(), std::back_inserter(room), is_digit);
  if (!part.empty()) {
    room += '.';
    room += part;
  }
  room += cell.substr(at, power);
  out.plain = room;
  return out;
}

MarkEvidence mark_evidence(std::string_view cell) {
  const std::string_view text = figures_of(bare_cell(cell));
  const auto commas = std::count(text.begin(), text.end(), ',');
  const auto points = std::count(text.begin(), text.end(), '.');
  if (commas + points == 0 || text.find_first_of("0123456789") == std::string_view::npos)
    return MarkEvidence::none;
  // Both: the last one is the decimal mark, if the others stand where thousands do.
  const auto last = text.find_last_of(",.");
  const char mark = text[last], other = mark == ',' ? '.' : ',';
  if (commas > 0 && points > 0) {
    if ((mark == ',' ? commas : points) != 1 || !grouped(text.substr(0, last), other))
      return MarkEvidence::none;
    return mark == ',' ? MarkEvidence::comma_decimal : MarkEvidence::point_decimal;
  }
  if (commas + points > 1) {
    if (!grouped(text, mark)) return MarkEvidence::none;
    return mark == ',' ? MarkEvidence::point_decimal : MarkEvidence::comma_decimal;
  }
  if (grouped(text, mark))
    return mark == ',' ? MarkEvidence::comma_either : MarkEvidence::point_either;
  return mark == ',' ? MarkEvidence::comma_decimal : MarkEvidence::point_decimal;
}

std::optional<double> bare_prefix(std::string_view text) {
  static constexpr std::array<std::pair<std::string_view, double>, 9> kPrefixes{{{"p", 1e-12},
                                                                                 {"n", 1e-9},
                                                                                 {"u", 1e-6},
                                                                                 {"\xc2\xb5", 1e-6},
                                                                                 {"\xce\xbc", 1e-6},
                                                                                 {"m", 1e-3},
                                                                                 {"k", 1e3},
                                                                                 {"M", 1e6},
                                                                                 {"G", 1e9}}};
  for (const auto& [prefix, factor] : kPrefixes) {
    if (text == prefix) return factor;
  }
  return std::nullopt;
}

}  // namespace kuvio::formats
