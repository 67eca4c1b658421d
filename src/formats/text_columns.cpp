// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_columns.h"

#include "core/quantity.h"
#include "core/trimmed.h"
#include "formats/log_number.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <limits>
#include <stdexcept>

namespace kuvio::formats {
namespace {

std::string lower(std::string_view s) {
  std::string out(s);
  std::transform(out.begin(), out.end(), out.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return out;
}

/// A unit that is written out, as it is abbreviated; every other as it is.
std::string spelled(const std::string& unit) {
  static constexpr std::array<std::pair<const char*, const char*>, 21> kWords{
      {{"sec", "s"},           {"secs", "s"},      {"second", "s"},        {"seconds", "s"},
       {"sekunden", "s"},      {"msec", "ms"},     {"milliseconds", "ms"}, {"usec", "us"},
       {"microseconds", "us"}, {"minutes", "min"}, {"hours", "h"},         {"amp", "A"},
       {"amps", "A"},          {"ampere", "A"},    {"amperes", "A"},       {"milliamps", "mA"},
       {"microamps", "uA"},    {"volt", "V"},      {"volts", "V"},         {"millivolts", "mV"},
       {"microvolts", "uV"}}};
  const std::string small = lower(unit);
  for (const auto& [word, abbreviated] : kWords) {
    if (small == word) return abbreviated;
  }
  return unit;
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
  for (const char* w : {"time", "t", "timestamp", "ts", "epoch", "unixtime", "utc", "seconds",
                        "elapsed", "zeit", "zeitstempel", "uhrzeit"}) {
    if (word == w) return Role::time;
  }
  for (const char* w : {"current", "i", "amps", "ampere", "amperes", "strom"}) {
    if (word == w) return Role::current;
  }
  for (const char* w : {"voltage", "u", "v", "volts", "volt", "spannung"}) {
    if (word == w) return Role::voltage;
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

const char* name_of(Role role) {
  return role == Role::time ? "time" : role == Role::current ? "current" : "voltage";
}

/// The unit that a word of a title names, in the spelling that units have.
std::optional<std::string> unit_of_word(const std::string& word) {
  if (auto of_suffix = unit_of_suffix(word)) return of_suffix;  // as it is written
  if (word.size() > 1 && role_of_unit(word)) return word;
  return unit_of_suffix(lower(word));
}

/// Takes the unit that stands in a title. `said`: what its words say that it is.
void set_unit(Column& c, const std::string& written, Role said) {
  // In capitals, as all of a header may be.
  const std::string unit = said == Role::time && written == "S" ? "s" : spelled(written);
  const auto found = role_of_unit(unit);
  if (!found) {
    c.role = said;
    if (said != Role::ignore) c.doubt = "\"" + unit + "\" is not a unit of " + name_of(said);
    return;
  }
  c.unit = unit;
  c.role = found->first;
  c.factor = found->second;
  // "MA" is mA in capitals more often than a million amperes.
  if (c.factor >= 1e6) c.doubt = "\"" + unit + "\" is a million or more, or a small m in capitals";
  if (said != Role::ignore && said != c.role)
    c.doubt = std::string("it is called a ") + name_of(said) + ", in a unit of " + name_of(c.role);
}

std::string_view without_quotes(std::string_view text) {
  text = trimmed(text);
  while (!text.empty() && text.front() == '"') text.remove_prefix(1);
  while (!text.empty() && text.back() == '"') text.remove_suffix(1);
  return trimmed(text);
}

std::vector<std::string> words_of(std::string_view text) {
  std::vector<std::string> out;
  std::size_t at = 0;
  while (at < text.size()) {
    const auto end = std::min(text.size(), text.find_first_of(" _\t,", at));
    if (end > at) out.emplace_back(text.substr(at, end - at));
    at = end + 1;
  }
  return out;
}

/// A title whose unit was taken away, without what led to it: "Current in", "Time -".
std::string without_joint(std::string_view name) {
  name = trimmed(name);
  if (name.ends_with(" in")) name.remove_suffix(3);
  while (!name.empty() && std::string_view(" ,-:/").find(name.back()) != std::string_view::npos)
    name.remove_suffix(1);
  return std::string(name);
}

/// Whether what stands before a unit may be its prefix: "current_m A" may be mA.
bool parted_prefix(const std::vector<std::string>& before, const std::string& unit) {
  return before.size() > 1 && unit.size() == 1 && bare_prefix(before.back());
}
std::string doubt_of_parts(const std::string& prefix, const std::string& unit) {
  return "\"" + prefix + " " + unit + "\" may be one unit or not";
}

/// "I/mA", "I_load/mA", as ISO 80000-1 writes a quantity over its unit: one word, of the same kind.
bool guess_divided(Column& out) {
  const auto slash = out.title.rfind('/');
  if (slash == std::string::npos) return false;
  const std::string_view quantity = trimmed(std::string_view(out.title).substr(0, slash));
  if (quantity.find(' ') != std::string_view::npos) return false;
  const auto words = words_of(quantity);
  const std::string unit = spelled(std::string(trimmed(out.title.substr(slash + 1))));
  const auto found = role_of_unit(unit);
  if (words.empty() || !found || role_of_word(lower(words.front())) != found->first) return false;
  set_unit(out, unit, found->first);
  if (parted_prefix(words, unit)) out.doubt = doubt_of_parts(words.back(), unit);
  out.name = without_joint(quantity);
  return true;
}

/// A title with its unit in brackets: "Current (mA)", "I (load) [mA] avg". Of several brackets the
/// one that holds a unit counts. False where there are none.
bool guess_bracketed(Column& out) {
  const std::string_view text = out.title;
  std::optional<std::array<std::size_t, 2>> found;
  for (std::size_t at = text.find_first_of("(["); at != std::string_view::npos;
       at = text.find_first_of("([", at + 1)) {
    const auto end = text.find(text[at] == '(' ? ')' : ']', at);
    if (end == std::string_view::npos) continue;
    const bool unit =
        role_of_unit(spelled(std::string(trimmed(text.substr(at + 1, end - at - 1))))).has_value();
    if (unit || !found) found = {at, end};
    if (unit) break;
  }
  if (!found) return false;
  const auto [at, end] = *found;
  const std::string before(trimmed(text.substr(0, at))), after(trimmed(text.substr(end + 1)));
  const auto words = words_of(before);
  const std::string unit(trimmed(text.substr(at + 1, end - at - 1)));
  out.name = before.empty() ? after : after.empty() ? before : before + " " + after;
  set_unit(out, unit, words.empty() ? Role::ignore : role_of_word(lower(words.front())));
  if (out.name.empty() && out.role != Role::ignore) {
    out.name = name_of(out.role);
    if (out.guess.empty()) out.guess = "has a unit and no name";
  }
  if (out.name.empty()) out.name = out.title;
  return true;
}

}  // namespace

bool is_unit_word(std::string_view text) {
  return text == "S" || spelled(std::string(text)) != text;
}

Column guess_column(const std::string& title) {
  Column out;
  out.title = std::string(without_quotes(title));
  out.name = out.title;
  if (guess_bracketed(out) || guess_divided(out)) return out;
  const auto words = words_of(out.title);
  if (words.empty()) return out;
  const Role said = role_of_word(lower(words.front()));
  // A unit behind the first word, or, where that names no quantity, at the end: "load_ma".
  const std::size_t first = said == Role::ignore ? std::max<std::size_t>(1, words.size() - 1) : 1;
  for (std::size_t i = first; i < words.size(); ++i) {
    const auto unit = unit_of_word(words[i]);
    if (!unit) continue;
    if (said == Role::ignore && out.title.find('_') == std::string::npos) break;
    set_unit(out, *unit, said);
    if (parted_prefix({words.begin(), words.begin() + static_cast<std::ptrdiff_t>(i)}, words[i]))
      out.doubt = doubt_of_parts(words[i - 1], words[i]);
    const bool idiom = lower(words[i]) == words[i] && out.title.find('_') != std::string::npos;
    if (*unit != words[i] && !idiom)
      out.guess = "has the unit " + words[i] + ", which is read as " + *unit;
    const auto at = out.title.rfind(words[i]);
    if (i + 1 == words.size() && at > 0) out.name = without_joint(out.title.substr(0, at - 1));
    return out;
  }
  out.role = said;
  if (said == Role::ignore) return out;
  out.unit = said == Role::time ? "s" : said == Role::current ? "A" : "V";
  const std::string word = lower(words.front());
  if (word != "seconds" && !word.starts_with("amp") && !word.starts_with("volts"))
    out.guess = "names no unit and is read in " + out.unit;
  if (words.size() > 1)
    out.doubt =
        "\"" + out.title.substr(words.front().size() + 1) + "\" names no unit of " + name_of(said);
  return out;
}

void number_duplicates(std::vector<Column>& columns) {
  for (std::size_t i = 0; i < columns.size(); ++i) {
    Column& c = columns[i];
    if (c.role == Role::ignore || c.role == Role::time) continue;
    const std::string wanted = c.name;
    const auto is_there = [&](const std::string& name) {
      return std::any_of(columns.begin(), columns.begin() + static_cast<std::ptrdiff_t>(i),
                         [&](const Column& o) {
                           return o.role != Role::ignore && o.role != Role::time && o.name == name;
                         });
    };
    for (int number = 2; is_there(c.name); ++number) c.name = wanted + std::to_string(number);
  }
}

void apply_column_option(std::vector<Column>& columns, const std::string& option) {
  const auto equals = option.rfind('=');
  const auto wrong = [&](const std::string& why) {
    throw std::invalid_argument("--column \"" + option + "\": " + why);
  };
  if (equals == std::string::npos || equals == 0) wrong("expected COL=ROLE[unit]");
  const std::string which = option.substr(0, equals);
  std::string role = option.substr(equals + 1), unit;
  if (const auto bracket = role.find('['); bracket != std::string::npos) {
    if (!role.ends_with(']')) wrong("the unit's bracket is not closed");
    unit = role.substr(bracket + 1, role.size() - bracket - 2);
    role = role.substr(0, bracket);
  }
  Column* column = nullptr;
  for (Column& c : columns) {
    if (c.title != which && c.name != which) continue;
    if (column) wrong("the file has several such columns; name it by its number, from 1");
    column = &c;
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
  column->guess.clear();
  column->doubt.clear();
  column->said = true;
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

std::optional<double> CellUnit::factor(std::string_view unit, const Column& column,
                                       Dimension dimension) {
  if (unit == unit_) return factor_;
  unit_ = std::string(unit);
  factor_.reset();
  try {
    factor_ = unit_factor(unit, dimension);
  } catch (const std::invalid_argument&) {
    if (const auto prefix = bare_prefix(unit); prefix && column.factor == 1) factor_ = prefix;
  }
  return factor_;
}

std::optional<std::int64_t> exact_decimal(std::string_view text, int exponent, int den_exponent,
                                          std::int64_t times) {
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
  if (shift < -30) return 0;
  __extension__ using Wide = __int128;
  Wide whole = static_cast<Wide>(digits) * times, divisor = 1;
  for (; shift < 0; ++shift) divisor *= 10;
  if (divisor > 1) whole = whole / divisor + (whole % divisor >= divisor / 2 ? 1 : 0);
  if (whole > std::numeric_limits<std::int64_t>::max()) return std::nullopt;
  return static_cast<std::int64_t>(negative ? -whole : whole);
}

ExactFactor exact_factor(double factor) {
  ExactFactor out;
  double rest = factor;
  for (; rest < 0.5 && out.exponent > -18; --out.exponent)
    rest = factor * std::pow(10, 1 - out.exponent);
  out.times = std::llround(rest);
  if (out.times < 1 || std::fabs(rest - static_cast<double>(out.times)) > 1e-9 * rest)
    throw std::invalid_argument("a factor that is not a whole number times a power of ten");
  return out;
}

}  // namespace kuvio::formats
