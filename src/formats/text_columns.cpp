// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_columns.h"

#include "core/quantity.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <stdexcept>

namespace kuvio::formats {
namespace {

std::string_view trim(std::string_view s) {
  while (!s.empty() && (s.front() == ' ' || s.front() == '\t')) s.remove_prefix(1);
  while (!s.empty() && (s.back() == ' ' || s.back() == '\t' || s.back() == '\r'))
    s.remove_suffix(1);
  return s;
}

std::string lower(std::string_view s) {
  std::string out(s);
  std::transform(out.begin(), out.end(), out.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return out;
}

std::optional<std::pair<Role, double>> role_of_unit(const std::string& unit) {
  for (const auto& [role, dimension] :
       {std::pair{Role::time, Dimension::time}, std::pair{Role::current, Dimension::current},
        std::pair{Role::voltage, Dimension::voltage}}) {
    try {
      return std::pair{role, unit_factor(unit, dimension)};
    } catch (const std::invalid_argument&) {
    }
  }
  return std::nullopt;
}

Role role_of_word(const std::string& word) {
  for (const char* w : {"time", "t", "timestamp", "seconds", "elapsed"}) {
    if (word == w) return Role::time;
  }
  for (const char* w : {"current", "i", "amps", "ampere", "amperes"}) {
    if (word == w || word.starts_with(std::string(w) + " ") ||
        word.starts_with(std::string(w) + "_"))
      return Role::current;
  }
  for (const char* w : {"voltage", "u", "v", "volts", "volt"}) {
    if (word == w || word.starts_with(std::string(w) + " ") ||
        word.starts_with(std::string(w) + "_"))
      return Role::voltage;
  }
  return Role::ignore;
}

/// "ma" in "current_ma" has lost its capital.
std::optional<std::string> unit_of_suffix(const std::string& suffix) {
  static constexpr std::array<std::pair<const char*, const char*>, 12> kSuffixes{{{"a", "A"},
                                                                                  {"ma", "mA"},
                                                                                  {"ua", "uA"},
                                                                                  {"na", "nA"},
                                                                                  {"v", "V"},
                                                                                  {"mv", "mV"},
                                                                                  {"uv", "uV"},
                                                                                  {"s", "s"},
                                                                                  {"ms", "ms"},
                                                                                  {"us", "us"},
                                                                                  {"ns", "ns"},
                                                                                  {"amps", "A"}}};
  for (const auto& [from, to] : kSuffixes) {
    if (suffix == from) return to;
  }
  return std::nullopt;
}

void set_unit(Column& c, const std::string& unit) {
  const auto found = role_of_unit(unit);
  if (!found) return;
  c.unit = unit;
  c.role = found->first;
  c.factor = found->second;
}

}  // namespace

Column guess_column(const std::string& title) {
  Column out;
  std::string_view text = trim(title);
  if (text.size() >= 2 && text.front() == '"' && text.back() == '"')
    text = trim(text.substr(1, text.size() - 2));
  out.title = std::string(text);
  out.name = out.title;
  for (const auto& [open, close] : {std::pair{'(', ')'}, std::pair{'[', ']'}}) {
    const auto at = text.find(open);
    if (at != std::string_view::npos && text.ends_with(close)) {
      out.name = std::string(trim(text.substr(0, at)));
      set_unit(out, std::string(trim(text.substr(at + 1, text.size() - at - 2))));
      if (out.name.empty()) out.name = out.title;
      return out;
    }
  }
  if (const auto underscore = text.rfind('_'); underscore != std::string_view::npos) {
    if (const auto unit = unit_of_suffix(lower(text.substr(underscore + 1)))) {
      out.name = std::string(text.substr(0, underscore));
      set_unit(out, *unit);
      return out;
    }
  }
  out.role = role_of_word(lower(text));
  if (out.role == Role::time) out.unit = "s";
  if (out.role == Role::current) out.unit = "A";
  if (out.role == Role::voltage) out.unit = "V";
  return out;
}

void apply_column_option(std::vector<Column>& columns, const std::string& option) {
  const auto equals = option.rfind('=');
  const auto wrong = [&](const std::string& why) {
    throw std::invalid_argument("--column \"" + option + "\": " + why);
  };
  if (equals == std::string::npos || equals == 0) wrong("it looks like COL=ROLE[unit]");
  const std::string which = option.substr(0, equals);
  std::string role = option.substr(equals + 1), unit;
  if (const auto bracket = role.find('['); bracket != std::string::npos) {
    if (!role.ends_with(']')) wrong("the unit's bracket is not closed");
    unit = role.substr(bracket + 1, role.size() - bracket - 2);
    role = role.substr(0, bracket);
  }
  Column* column = nullptr;
  for (Column& c : columns) {
    if (!column && (c.title == which || c.name == which)) column = &c;
  }
  if (!column) {
    std::size_t number = 0;
    const auto [end, failed] = std::from_chars(which.data(), which.data() + which.size(), number);
    if (failed == std::errc{} && end == which.data() + which.size() && number >= 1 &&
        number <= columns.size()) {
      column = &columns[number - 1];
    }
  }
  if (!column) wrong("the file has no such column");
  static const std::array<std::pair<const char*, Role>, 4> kRoles{{{"time", Role::time},
                                                                   {"current", Role::current},
                                                                   {"voltage", Role::voltage},
                                                                   {"ignore", Role::ignore}}};
  const auto found =
      std::find_if(kRoles.begin(), kRoles.end(), [&](const auto& r) { return role == r.first; });
  if (found == kRoles.end())
    wrong("there is no role \"" + role + "\"; there are time, current, voltage, ignore");
  column->role = found->second;
  if (column->role == Role::ignore) return;
  const Dimension dimension = column->role == Role::time      ? Dimension::time
                              : column->role == Role::current ? Dimension::current
                                                              : Dimension::voltage;
  if (unit.empty() && column->unit.empty()) unit = std::string(unit_symbol(dimension));
  if (unit.empty()) unit = column->unit;
  try {
    column->factor = unit_factor(unit, dimension);
  } catch (const std::invalid_argument& e) {
    wrong(e.what());
  }
  column->unit = unit;
}

void split_cells(std::string_view line, char separator, std::vector<std::string_view>& out) {
  out.clear();
  std::size_t at = 0;
  while (true) {
    std::size_t end = at;
    bool quoted = false;
    while (end < line.size() && (quoted || line[end] != separator)) {
      if (line[end] == '"') quoted = !quoted;
      ++end;
    }
    std::string_view cell = trim(line.substr(at, end - at));
    if (cell.size() >= 2 && cell.front() == '"' && cell.back() == '"')
      cell = cell.substr(1, cell.size() - 2);
    out.push_back(cell);
    if (end >= line.size()) return;
    at = end + 1;
  }
}

std::optional<std::int64_t> exact_decimal(std::string_view text, int exponent, int den_exponent) {
  std::size_t at = 0;
  const bool negative = !text.empty() && text[0] == '-';
  if (!text.empty() && (text[0] == '-' || text[0] == '+')) ++at;
  std::int64_t digits = 0;
  int shift = exponent + den_exponent, seen = 0;
  bool point = false;
  for (; at < text.size(); ++at) {
    const char c = text[at];
    if (c == '.' && !point) {
      point = true;
    } else if (c >= '0' && c <= '9') {
      ++seen;
      std::int64_t longer = 0;
      if (!__builtin_mul_overflow(digits, std::int64_t{10}, &longer) &&
          !__builtin_add_overflow(longer, std::int64_t{c - '0'}, &longer)) {
        digits = longer;
        if (point) --shift;
      } else if (!point) {
        ++shift;
      }
    } else {
      break;
    }
  }
  if (seen == 0) return std::nullopt;
  if (at < text.size() && (text[at] == 'e' || text[at] == 'E')) {
    const char* begin = text.data() + at + 1;
    if (begin < text.data() + text.size() && *begin == '+') ++begin;
    int power = 0;
    const auto [end, failed] = std::from_chars(begin, text.data() + text.size(), power);
    if (failed != std::errc{} || power > 30 || power < -60) return std::nullopt;
    shift += power;
    at = static_cast<std::size_t>(end - text.data());
  }
  if (at != text.size()) return std::nullopt;
  for (; shift > 0; --shift) {
    if (__builtin_mul_overflow(digits, std::int64_t{10}, &digits)) return std::nullopt;
  }
  if (shift < -18) return 0;
  std::int64_t divisor = 1;
  for (; shift < 0; ++shift) divisor *= 10;
  digits = divisor == 1 ? digits : digits / divisor + (digits % divisor >= divisor / 2 ? 1 : 0);
  return negative ? -digits : digits;
}

}  // namespace kuvio::formats
