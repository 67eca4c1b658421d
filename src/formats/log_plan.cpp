// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_plan.h"

#include "core/error.h"
#include "core/quantity.h"
#include "core/special_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <stdexcept>

namespace kuvio::formats {
namespace {

constexpr std::size_t kHeadLines = 1000, kHeadBytes = 1 << 19;

std::string lower(std::string_view s) {
  std::string out(s);
  std::transform(out.begin(), out.end(), out.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return out;
}

const char* name_of(Role role) {
  switch (role) {
    case Role::time:
      return "time";
    case Role::current:
      return "current";
    case Role::voltage:
      return "voltage";
    case Role::ignore:
      break;
  }
  return "ignore";
}

const char* name_of(char separator) {
  switch (separator) {
    case '\t':
      return "tabs";
    case ';':
      return "semicolons";
    case '|':
      return "bars";
    case ' ':
      return "blanks";
    default:
      return "commas";
  }
}

std::optional<Dimension> dimension_of(Role role) {
  switch (role) {
    case Role::time:
      return Dimension::time;
    case Role::current:
      return Dimension::current;
    case Role::voltage:
      return Dimension::voltage;
    case Role::ignore:
      break;
  }
  return std::nullopt;
}

class Planner {
public:
  Planner(const TextSource& source, const ImportSettings& settings, const std::stop_token& stop)
      : source_(source), settings_(settings), stop_(stop), lines_(source.path(), source.at()) {}

  LogPlan run() {
    read_head();
    auto layout = find_layout(head_);
    if (!layout) refuse_empty();
    plan_.dialect = std::move(*layout);
    if (source_.latin1())
      plan_.guesses.push_back({"", "text", "", "", "it is no UTF-8 and is read as ISO 8859-1"});
    find_marks();
    name_columns();
    for (const std::string& option : settings_.columns) {
      try {
        apply_column_option(plan_.columns, option);
      } catch (const std::invalid_argument& e) {
        throw Error(Failure::usage, "usage error", "command line", e.what());
      }
    }
    choose_columns();
    find_rate();
    find_shunt();
    number_duplicates(plan_.columns);
    return std::move(plan_);
  }

  /// What is known so far, and why no more.
  LogDraft so_far(const std::string& why) {
    return {std::move(plan_), why_.empty() ? why : why_, asks_};
  }

private:
  /// `why` is what is wrong with the log, `advice` what the command line can say about it.
  [[noreturn]] void refuse(std::int64_t line, LogAsks asks, const std::string& why,
                           const std::string& advice = {}) {
    asks_ = asks;
    why_ = why;
    lines_.complain(line, why + advice);
  }
  std::int64_t header_line() const {
    return std::max<std::int64_t>(
        1, plan_.dialect.header_line > 0 ? plan_.dialect.header_line : plan_.dialect.first_line);
  }
  const std::string& text_of(std::int64_t line) const {
    const auto found = std::find_if(head_.begin(), head_.end(),
                                    [&](const LogLineText& l) { return l.number == line; });
    return found->text;
  }

  void read_head() {
    std::string_view line;
    std::size_t bytes = 0;
    while (head_.size() < kHeadLines && bytes < kHeadBytes && lines_.next(line)) {
      head_.push_back({lines_.number(), std::string(line)});
      bytes += line.size() + 1;
    }
    // A last line without an end may have been torn: it says nothing of the others.
    if (lines_.torn() && head_.size() > 2) head_.pop_back();
  }

  [[noreturn]] void refuse_empty() {
    for (const LogLineText& line : head_) {
      // Numbers are there, in another form: "t=0.1 I=41.7mA".
      if (!line.text.starts_with('#') && head_.size() > 2 &&
          line.text.find_first_of("0123456789") != std::string::npos)
        lines_.complain(line.number,
                        fmt::format("\"{}\" is no row of numbers between commas, semicolons, tabs, "
                                    "bars or blanks, and no other line is",
                                    std::string_view(line.text).substr(0, 40)));
    }
    for (const LogLineText& line : head_) {
      if (!line.text.empty() && !line.text.starts_with('#'))
        lines_.complain(line.number, "it holds a header but no samples");
    }
    lines_.complain(1, "it holds no header line and no samples");
  }

  bool is_sample(const LogLineText& line) const {
    return line.number >= plan_.dialect.first_line && !line.text.empty() &&
           !line.text.starts_with('#');
  }

  /// As long as the head leaves it open, what follows is asked.
  void find_marks() {
    LogDialect& d = plan_.dialect;
    if (settings_.decimal) {
      d.marks.decimal = *settings_.decimal;
      d.marks.thousands = *settings_.decimal == ',' ? '.' : ',';
      return;
    }
    MarkFinder finder;
    std::vector<std::string_view> cells;
    for (const LogLineText& line : head_) {
      if (!is_sample(line)) continue;
      split_log_line(line.text, d.separator, cells, d.cells);
      if (cells.size() == d.cells) finder.look(line.number, cells);
    }
    std::string_view line;
    while (finder.open() && lines_.next(line)) {
      if (stop_.stop_requested())
        throw Error(Failure::io, "cancelled", source_.path(), "nothing of it was kept");
      if (line.empty() || line.front() == '#') continue;
      split_log_line(line, d.separator, cells, d.cells);
      if (cells.size() == d.cells) finder.look(lines_.number(), cells);
    }
    try {
      d.marks = finder.marks();
    } catch (const std::invalid_argument& e) {
      refuse(header_line(), LogAsks::decimal, e.what(), "; say --decimal comma or --decimal point");
    }
    if (d.marks.decimal == ',')
      plan_.guesses.push_back(
          {"", "decimal", ",", finder.rests_on(), "its numbers have decimal commas"});
  }

  /// A few cells of a column that hold something.
  std::vector<std::pair<std::int64_t, std::string>> cells_of(std::size_t column,
                                                             std::size_t most) const {
    std::vector<std::pair<std::int64_t, std::string>> out;
    std::vector<std::string_view> cells;
    for (const LogLineText& line : head_) {
      if (!is_sample(line)) continue;
      split_log_line(line.text, plan_.dialect.separator, cells, plan_.dialect.cells);
      if (cells.size() != plan_.dialect.cells || cells[column].empty()) continue;
      out.emplace_back(line.number, cells[column]);
      if (out.size() >= most) break;
    }
    return out;
  }

  /// The unit that the cells of a column have behind their numbers; "" where most have none.
  std::string unit_of_cells(std::size_t column, std::int64_t* line) const {
    std::string room, out;
    std::size_t numbers = 0, units = 0;
    for (const auto& [number, cell] : cells_of(column, 20)) {
      const auto value = number_cell(cell, plan_.dialect.marks, room);
      if (!value || special_word(cell)) continue;
      ++numbers;
      if (value->unit.empty() || ++units > 1) continue;
      out = std::string(value->unit);
      *line = number;
    }
    return 2 * units > numbers ? out : "";
  }

  Column of_unit(std::size_t column, const std::string& unit, std::size_t& currents,
                 std::size_t& voltages) const {
    Column c;
    c.title = c.name = "column " + std::to_string(column + 1);
    for (const Role role : {Role::time, Role::current, Role::voltage}) {
      try {
        c.factor = unit_factor(unit, *dimension_of(role));
      } catch (const std::invalid_argument&) {
        continue;
      }
      c.role = role;
      c.unit = unit;
      const auto numbered = [](const char* name, std::size_t n) {
        return n == 1 ? std::string(name) : name + std::to_string(n);
      };
      if (role == Role::current) c.name = numbered("I", ++currents);
      if (role == Role::voltage) c.name = numbered("V", ++voltages);
      break;
    }
    return c;
  }

  void name_columns() {
    LogDialect& d = plan_.dialect;
    plan_.unit_in_cell.assign(d.cells, false);
    std::size_t currents = 0, voltages = 0;
    bool any_unit = false;
    for (std::size_t i = 0; i < d.cells; ++i) {
      std::int64_t line = 0;
      const std::string unit = unit_of_cells(i, &line);
      const bool prefix = bare_prefix(unit).has_value();
      plan_.unit_in_cell[i] = !unit.empty();
      any_unit |= !unit.empty() && !prefix;
      Column c;
      if (d.titles.empty()) {
        c = of_unit(i, prefix ? "" : unit, currents, voltages);
      } else {
        c = titled(i);
        if (!unit.empty() && !prefix) take_cell_unit(c, unit, line);
      }
      plan_.columns.push_back(std::move(c));
    }
    if (!d.titles.empty() && d.title_separator != d.separator)
      plan_.guesses.push_back({"", "titles", "", fmt::format("line {}", d.header_line),
                               fmt::format("its titles are parted by {} and its samples by {}",
                                           name_of(d.title_separator), name_of(d.separator))});
    if (d.titles.empty() && !any_unit && settings_.columns.empty()) {
      refuse(d.first_line, LogAsks::columns, "no header line",
             "; say what the columns are, e.g. --column \"1=time[s]\" --column \"2=current[mA]\"");
    }
  }

  Column titled(std::size_t i) const {
    const LogDialect& d = plan_.dialect;
    std::string unit = d.units.empty() ? std::string() : d.units[i];
    if (unit.size() >= 2 && (unit.front() == '(' || unit.front() == '['))
      unit = unit.substr(1, unit.size() - 2);
    Column c =
        guess_column(unit.empty() || unit == "-" ? d.titles[i] : d.titles[i] + " [" + unit + "]");
    if (unit.empty()) return c;
    c.title = d.titles[i];
    if (c.name.empty()) c.name = c.title;
    return c;
  }

  /// Units in the cells hold; a title that says another quantity is a doubt.
  void take_cell_unit(Column& c, const std::string& unit, std::int64_t line) {
    std::size_t none = 0;
    const Column by_unit = of_unit(0, unit, none, none);
    if (by_unit.role == Role::ignore) {
      if (c.role != Role::ignore)
        c.doubt = fmt::format("its cells have \"{}\" (line {}), no unit of {}", unit, line,
                              name_of(c.role));
      return;
    }
    const bool says_other = c.role != Role::ignore && c.role != by_unit.role;
    const bool said_unit = c.guess.empty() && c.doubt.empty() && c.role != Role::ignore;
    if (says_other) {
      c.doubt = fmt::format("it is called a {}, and its cells have {} (line {})", name_of(c.role),
                            unit, line);
    } else if (said_unit && c.unit != unit && c.factor != by_unit.factor && c.factor != 1) {
      c.doubt = fmt::format("its title has {} and its cells have {} (line {})", c.unit, unit, line);
    } else {
      c.doubt.clear();
    }
    c.role = says_other ? c.role : by_unit.role;
    c.unit = unit;
    c.factor = by_unit.factor;
    c.guess.clear();
    plan_.guesses.push_back({c.title, name_of(c.role), unit, fmt::format("line {}", line),
                             "its unit stands in its cells"});
  }

  void choose_columns() {
    for (std::size_t i = 0; i < plan_.columns.size(); ++i) {
      Column& c = plan_.columns[i];
      if (c.role == Role::time && is_moment(i)) c.guess.clear();
      doubt_of_units_beside(c);
      if (c.role != Role::ignore && !c.doubt.empty()) refuse_doubt(i);
      if (!c.guess.empty() && c.role != Role::ignore)
        plan_.guesses.push_back(
            {c.title, name_of(c.role), c.unit, fmt::format("line {}", header_line()), c.guess});
      if (c.role == Role::time) {
        take_time(i);
      } else if (c.role != Role::ignore) {
        plan_.channels.push_back(static_cast<int>(i));
      }
    }
    find_time();
    if (plan_.channels.empty())
      refuse(header_line(), LogAsks::columns, "no column of current or voltage",
             "; name one, e.g. --column \"COL=current[mA]\"");
  }

  /// A column without a unit beside one that holds units, as meters write that choose their range.
  void doubt_of_units_beside(Column& c) const {
    if ((c.role != Role::current && c.role != Role::voltage) || !c.doubt.empty()) return;
    if (c.guess.find("names no unit") == std::string::npos) return;
    for (std::size_t i = 0; i < plan_.columns.size(); ++i) {
      if (plan_.columns[i].role != Role::ignore) continue;
      const auto cells = cells_of(i, 20);
      const bool units = !cells.empty() && std::all_of(cells.begin(), cells.end(), [&](auto& cell) {
        std::size_t none = 0;
        return of_unit(0, cell.second, none, none).role == c.role;
      });
      if (units)
        c.doubt = fmt::format("it names no unit, and \"{}\" has \"{}\" in line {}",
                              plan_.columns[i].title, cells.front().second, cells.front().first);
    }
  }

  /// Whether a column's cells are clocks or dates, which need no unit.
  bool is_moment(std::size_t i) const {
    const auto cells = cells_of(i, 1);
    if (cells.empty()) return false;
    const std::string& cell = cells.front().second;
    return calendar_ns(cell) || clock_ns(cell) || date_ns(cell);
  }

  [[noreturn]] void refuse_doubt(std::size_t i) {
    const Column& c = plan_.columns[i];
    const char* example = c.role == Role::time      ? "time[s]"
                          : c.role == Role::current ? "current[mA]"
                                                    : "voltage[V]";
    refuse(header_line(), LogAsks::columns, fmt::format("column \"{}\": {}", c.title, c.doubt),
           fmt::format("; say what it is, e.g. --column \"{}={}\", or --column \"{}=ignore\"",
                       i + 1, example, i + 1));
  }

  /// One column of time; a date of its own and a time of day are one.
  void take_time(std::size_t i) {
    const auto cells = cells_of(i, 1);
    const bool date = !cells.empty() && date_ns(cells.front().second).has_value();
    int& column = date ? plan_.date_column : plan_.time_column;
    if (column >= 0)
      refuse(header_line(), LogAsks::columns, "two columns hold time", "; name one with --column");
    column = static_cast<int>(i);
  }

  /// Without a title that says so: a column of moments is one by its form.
  void find_time() {
    for (std::size_t i = 0; plan_.time_column < 0 && i < plan_.columns.size(); ++i) {
      if (plan_.columns[i].role != Role::ignore) continue;
      const auto cells = cells_of(i, 2);
      if (cells.empty()) continue;
      const std::string& first = cells.front().second;
      if (first.find('/') != std::string::npos && is_other_date(first))
        refuse_date(cells.front().first, first);
      if (!calendar_ns(first) && !clock_ns(first)) continue;
      plan_.time_column = static_cast<int>(i);
      plan_.columns[i].role = Role::time;
      plan_.guesses.push_back({plan_.columns[i].title, "time", "",
                               fmt::format("line {}", cells.front().first),
                               "its cells are moments"});
    }
    if (plan_.time_column < 0) return;
    const auto t = static_cast<std::size_t>(plan_.time_column);
    for (const auto& [line, cell] : cells_of(t, 1)) {
      if (is_other_date(cell) && !calendar_ns(cell) && !date_ns(cell)) refuse_date(line, cell);
      const auto form = time_form(cell, plan_.dialect.marks);
      if (form) plan_.time_form = *form;
    }
    find_date(plan_.columns[t].title);
    if (plan_.time_form == TimeForm::number && is_count(t)) plan_.time_form = TimeForm::count;
    plan_.time_factor = exact_factor(plan_.columns[t].factor);
    if (plan_.time_form != TimeForm::count) look_at_steps(t);
  }

  [[noreturn]] void refuse_date(std::int64_t line, const std::string& cell) {
    lines_.complain(line, "\"" + cell +
                              "\": which of it is the day and which the month cannot be told; "
                              "write dates as 2026-05-04");
  }

  /// A clock may be coarser than its samples: then it says nothing of most of them, and they are
  /// taken at the rate that is given.
  void look_at_steps(std::size_t t) {
    const StandingTimes standing = standing_times(cells_of(t, kHeadLines));
    if (standing.of < 4 || 4 * standing.still < standing.of) {
      if (settings_.rate_hz)
        plan_.guesses.push_back({plan_.columns[t].title, "time", plan_.columns[t].unit, "",
                                 "its times hold, not the rate that was given"});
      return;
    }
    if (!settings_.rate_hz)
      refuse(standing.line, LogAsks::rate,
             fmt::format("the times of \"{}\" stand still for {} of the first {} lines: its "
                         "samples come faster than it tells{}, or it holds no times",
                         plan_.columns[t].title, standing.still, standing.of,
                         standing.rate_hz > 0
                             ? fmt::format(", about {:.3g} to the second", standing.rate_hz)
                             : ""),
             "; give their --rate, or name another column with --column");
    plan_.guesses.push_back({plan_.columns[t].title, "ignore", "",
                             fmt::format("line {}", standing.line),
                             "its times stand still, and the rate that was given holds"});
    plan_.columns[t].role = Role::ignore;
    if (plan_.date_column >= 0)
      plan_.columns[static_cast<std::size_t>(plan_.date_column)].role = Role::ignore;
    plan_.time_column = plan_.date_column = -1;
    plan_.time_form = TimeForm::number;
  }

  /// A date beside a time of day, unless it is to be left out.
  void find_date(const std::string& time_title) {
    if (plan_.time_form != TimeForm::clock) return;
    for (std::size_t i = 0; plan_.date_column < 0 && i < plan_.columns.size(); ++i) {
      Column& c = plan_.columns[i];
      const auto cells = cells_of(i, 1);
      if (c.role != Role::ignore || c.said || cells.empty() || !date_ns(cells.front().second))
        continue;
      plan_.date_column = static_cast<int>(i);
      c.role = Role::time;
      plan_.guesses.push_back({c.title, "time", "", fmt::format("line {}", cells.front().first),
                               fmt::format("its dates are those of \"{}\"", time_title)});
    }
  }

  /// "Sample", "No.", "#": the number of a sample, if its cells are whole numbers.
  bool is_count(std::size_t i) const {
    const std::string word = lower(plan_.columns[i].title);
    for (const char* name : {"sample", "samples", "index", "no", "no.", "nr", "nr.", "n", "#"}) {
      if (word == name) return true;
    }
    return false;
  }

  /// A rate in the preamble, or an interval; what is asked for goes before it.
  void find_rate() {
    plan_.rate_hz = settings_.rate_hz;
    // A column that numbers the samples is no time of its own.
    for (std::size_t i = 0; plan_.time_column < 0 && i < plan_.columns.size(); ++i) {
      if (plan_.columns[i].role != Role::ignore || !is_count(i)) continue;
      plan_.time_column = static_cast<int>(i);
      plan_.time_form = TimeForm::count;
      plan_.columns[i].role = Role::time;
    }
    if (plan_.time_column >= 0 && plan_.time_form != TimeForm::count) return;
    for (const PreambleEntry& e : plan_.dialect.preamble) {
      if (plan_.rate_hz) break;
      const std::string key = lower(e.key);
      const auto says = [&](const char* word) { return key.find(word) != std::string::npos; };
      const bool sampling =
          says("sampl") || says("interval") || says("abtast") || says("rate") || says("period");
      if (!sampling) continue;
      const auto rate = rate_of(e);
      if (!rate) continue;
      plan_.rate_hz = rate;
      plan_.guesses.push_back({"", "rate", "Hz", fmt::format("line {}", e.line),
                               fmt::format("\"{}\" is {:g} Hz", e.key, *rate)});
    }
    if (plan_.rate_hz) return;
    if (plan_.time_column >= 0)
      refuse(header_line(), LogAsks::rate,
             "its samples are counted, and no line says how far apart they are", "; give --rate");
    refuse(header_line(), LogAsks::rate, "no column of time",
           "; name one with --column \"COL=time[s]\", or give --rate");
  }

  /// "1000 Hz", "1 ms", or a number whose unit stands in its name ("Sample interval (s)").
  std::optional<double> rate_of(const PreambleEntry& e) const {
    std::string room;
    const auto number = number_cell(e.value, plan_.dialect.marks, room);
    if (!number) return std::nullopt;
    std::string unit(number->unit);
    if (const auto open = e.key.find_first_of("(["); unit.empty() && open != std::string::npos)
      unit = e.key.substr(open + 1, e.key.find_first_of(")]", open) - open - 1);
    double value = 0;
    const auto [end, failed] =
        std::from_chars(number->plain.data(), number->plain.data() + number->plain.size(), value);
    if (failed != std::errc{} || !(value > 0)) return std::nullopt;
    if (unit == "S/s" || unit == "Sa/s") unit = "Hz";
    for (const Dimension d : {Dimension::frequency, Dimension::time}) {
      try {
        const double si = value * unit_factor(unit, d);
        const double rate = d == Dimension::time ? 1 / si : si;
        if (rate >= 1e-6 && rate <= 1e9) return rate;
      } catch (const std::invalid_argument&) {
      }
    }
    return std::nullopt;
  }

  /// Two voltages at a shunt: the current is their difference, and the higher is where it comes
  /// from.
  void find_shunt() {
    if (!settings_.shunt_ohm) return;
    std::vector<int> voltages;
    for (const int c : plan_.channels) {
      if (plan_.columns[static_cast<std::size_t>(c)].role == Role::voltage) voltages.push_back(c);
    }
    if (voltages.empty())
      refuse(header_line(), LogAsks::columns,
             "a shunt turns a voltage into a current, and it has none");
    if (voltages.size() == 1) return;
    if (voltages.size() > 2)
      refuse(header_line(), LogAsks::columns,
             fmt::format("a shunt and {} columns of voltage: leave two, before and behind it, or "
                         "the one of its drop",
                         voltages.size()),
             " (--column \"COL=ignore\")");
    const double a = mean_of(voltages[0]), b = mean_of(voltages[1]);
    plan_.high = a >= b ? voltages[0] : voltages[1];
    plan_.low = a >= b ? voltages[1] : voltages[0];
    plan_.guesses.push_back(
        {plan_.name_of(*plan_.high), "before the shunt", "V", "",
         fmt::format("its mean is higher than that of \"{}\"", plan_.name_of(*plan_.low))});
  }

  double mean_of(int column) const {
    double sum = 0;
    std::size_t n = 0;
    std::string room;
    for (const auto& [line, cell] : cells_of(static_cast<std::size_t>(column), kHeadLines)) {
      const auto number = number_cell(cell, plan_.dialect.marks, room);
      double value = 0;
      if (!number || special_word(cell)) continue;
      std::from_chars(number->plain.data(), number->plain.data() + number->plain.size(), value);
      if (std::fabs(value) > 1e30) continue;
      sum += value * plan_.columns[static_cast<std::size_t>(column)].factor;
      ++n;
    }
    return n > 0 ? sum / static_cast<double>(n) : 0;
  }

  const TextSource& source_;
  const ImportSettings& settings_;
  std::stop_token stop_;
  TextLines lines_;
  std::vector<LogLineText> head_;
  LogPlan plan_;
  std::string why_;  // it goes no further
  LogAsks asks_ = LogAsks::nothing;
};

}  // namespace

LogDraft draft_log(const TextSource& source, const ImportSettings& settings,
                   const std::stop_token& stop) {
  Planner planner(source, settings, stop);
  try {
    return {planner.run(), "", LogAsks::nothing};
  } catch (const Error& e) {
    if (e.failure() == Failure::io || e.failure() == Failure::no_input) throw;
    return planner.so_far(e.why());
  }
}

LogPlan plan_log(const TextSource& source, const ImportSettings& settings,
                 const std::stop_token& stop) {
  return Planner(source, settings, stop).run();
}

}  // namespace kuvio::formats
