// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_rows.h"

#include "formats/digit_map.h"
#include "formats/plain_number.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

namespace kuvio::formats {
namespace {

constexpr double kSpecialFrom = 1e30;  // what instruments write for "no data" is larger
constexpr std::int64_t kSecondNs = 1'000'000'000;
constexpr std::uint64_t kMostCount = 100'000'000'000'000'000;
constexpr std::size_t kLeastRoom = 4096;

/// By digits behind the mark: ns of one in the last of them; 0 where that is no whole number.
using Scale = std::array<std::int64_t, DigitMap::kMostDigits + 1>;

Scale scale_of(const ExactFactor& factor) {
  Scale out{};
  for (std::size_t part = 0; part < out.size(); ++part) {
    PlainNumber one;
    one.mantissa = 1;
    one.power = -static_cast<int>(part);
    if (!plain_scaled(one, factor.times, factor.exponent + 9, out[part])) out[part] = 0;
  }
  return out;
}

/// What is to be made of a column.
struct Wanted {
  /// What stands between a number and the end of its cell, as one word; none where it is longer.
  struct Tail {
    Tail() = default;
    explicit Tail(std::string_view words) {
      if (words.empty() || words.size() > sizeof(text)) return;
      std::memcpy(&text, words.data(), words.size());
      std::memset(&mask, 0xff, words.size());
      size = words.size();
    }
    std::uint64_t text = 0, mask = 0;
    std::size_t size = 0;
    bool stands_at(const char* at) const {
      std::uint64_t there = 0;
      std::memcpy(&there, at, sizeof(there));
      return ((there ^ text) & mask) == 0;
    }
  };
  enum class As { nothing, number_time, moment, sample };
  As as = As::nothing;
  bool alone = true;  // a number without a unit is one of its column
  std::size_t channel = 0;
  double factor = 1;  // of a number alone
  ExactFactor time;
  std::string unit;        // the last that stood behind a number
  double unit_factor = 0;  // 0: none yet
  ExactFactor unit_time;
  Tail tail;                                             // that unit with what stands before it
  double* out = nullptr;                                 // of the block
  std::array<double, 2> signed_factor{}, signed_unit{};  // of what is positive, and negative
  Scale scale{}, unit_scale{};
};

}  // namespace

struct RowParser::Work {
  Work(const LogPlan& plan_, std::optional<double> shunt_ohm)
      : plan(plan_),
        cells(plan_, shunt_ohm),
        separator(plan_.dialect.separator),
        gap(separator == '\t' ? ' ' : '\t'),
        blanks(separator == ' '),
        counts(plan_.time_column >= 0 && plan_.time_form == TimeForm::count),
        // A date of its own takes two cells at once.
        dated(plan_.date_column >= 0 && plan_.time_form == TimeForm::clock),
        decimal(plan_.dialect.marks.decimal),
        columns(plan_.columns.size()) {
    for (std::size_t i = 0; i < plan.channels.size(); ++i) {
      const auto column = static_cast<std::size_t>(plan.channels[i]);
      Wanted& w = columns[column];
      w.as = Wanted::As::sample;
      w.channel = i;
      w.factor = cells.factor_of(plan.columns[column]);
      w.signed_factor = {w.factor, -w.factor};
      w.alone = !plan.unit_in_cell[column] || plan.columns[column].factor == 1;
    }
    if (plan.time_column >= 0) want_time();
    may_be_short =
        !blanks && !dated && std::all_of(columns.begin(), columns.end(), [](const Wanted& w) {
          return w.as == Wanted::As::sample || w.as == Wanted::As::number_time;
        });
  }

  void want_time() {
    Wanted& time = columns[static_cast<std::size_t>(plan.time_column)];
    const bool number = plan.time_form == TimeForm::number || counts;
    time.as = number ? Wanted::As::number_time : Wanted::As::moment;
    if (plan.time_form == TimeForm::number) time.time = plan.time_factor;
    time.scale = scale_of(time.time);
  }

  // --- plain rows, at one go. The text ends with a zero byte, which ends every number ------------
  bool is_gap(char c) const { return c == ' ' || c == gap; }
  bool ends(char c) const { return c == separator || c == '\n' || c == '\0' || c == '\r'; }
  bool ends_blank(char c) const { return is_gap(c) || ends(c); }

  void pass_gaps(const char*& at) const {
    while (is_gap(*at)) ++at;
  }

  /// The cell that goes on at `at`, without the gaps behind it.
  std::string_view cell_at(const char*& at) const {
    const char* from = at;
    while (blanks ? !ends_blank(*at) : !ends(*at)) ++at;
    const char* last = at;
    while (last > from && is_gap(last[-1])) --last;
    return {from, static_cast<std::size_t>(last - from)};
  }

  /// Whether the cell ends behind a number; else its unit must be the one that stood there before.
  enum class Behind { nothing, known_unit, other };
  Behind behind(const char*& at, const Wanted& w) const {
    if (ends(*at)) return Behind::nothing;
    if (is_gap(*at)) {
      if (blanks) return Behind::nothing;
      pass_gaps(at);
      if (ends(*at)) return Behind::nothing;
    }
    const std::string_view unit = cell_at(at);
    return w.unit_factor != 0 && unit == w.unit ? Behind::known_unit : Behind::other;
  }

  bool sample(const char*& at, const Wanted& w, double& out) const {
    PlainNumber number;
    const char* begin = at;
    if (!scan_plain(at, decimal, number)) return false;
    double value = 0;
    if (!plain_value(number, decimal, begin, at, value)) return false;
    if (!(std::fabs(value) < kSpecialFrom)) return false;
    switch (behind(at, w)) {
      case Behind::nothing:
        out = value * w.factor + kNoSign;
        return w.alone || value == 0;
      case Behind::known_unit:
        out = value * w.unit_factor + kNoSign;
        return true;
      case Behind::other:
        break;
    }
    return false;
  }

  bool time(const char*& at, const Wanted& w) {
    PlainNumber number;
    if (!scan_plain(at, decimal, number)) return false;
    const Behind then = behind(at, w);
    if (then == Behind::other) return false;
    const ExactFactor& factor = then == Behind::nothing ? w.time : w.unit_time;
    if (!plain_scaled(number, factor.times, factor.exponent + 9, moment)) return false;
    if (number.whole && number.mantissa < kMostCount) {
      count = static_cast<std::int64_t>(number.mantissa);
      if (number.negative) count = -count;
    }
    return true;
  }

  bool moment_at(const char*& at) {
    const std::string_view cell = cell_at(at);
    if (plan.time_form == TimeForm::clock) {
      const auto ns = clock_ns(cell);
      moment = ns.value_or(0);
      return ns.has_value();
    }
    if (day.moment(cell, moment)) return true;
    const auto ns = calendar_ns(cell);
    if (!ns) return false;
    moment = *ns;
    day.learn(cell, *ns);
    return true;
  }

  /// A cell that is not wanted; one with a quote may hold a separator.
  bool nothing(const char*& at) const { return cell_at(at).find('"') == std::string_view::npos; }

  // --- rows of short numbers, as most logs have them ---------------------------------------------
  /// Numbers with nothing around them, each alone or with the unit that stood there before; `at`
  /// then stands at the row's end. False, and `at` where it was, where there is more to it.
  [[gnu::always_inline]] bool short_row(const char*& at, std::size_t index, std::int64_t& ns,
                                        std::int64_t& whole) const {
    const char* p = at;
    DigitMap map(p);
    const Wanted* const last = &columns.back();
    for (const Wanted* w = columns.data();; ++w, ++p) {
      if (map.is_left_by(p)) map.map(p);
      const bool negative = *p == '-';
      p += negative;
      DigitMap::Found found;
      if (!map.number(p, decimal, found)) return false;
      p = found.end;
      bool alone = true;
      if (w->tail.size > 0 && w->tail.stands_at(p)) {
        p += w->tail.size;
        alone = false;
      }
      if (w->as == Wanted::As::sample) {
        if (alone && !w->alone && found.mantissa != 0) return false;
        const double value = static_cast<double>(static_cast<std::int64_t>(found.mantissa)) /
                             kPowersOfTen[found.part];
        w->out[index] = value * (alone ? w->signed_factor : w->signed_unit)[negative] + kNoSign;
      } else {
        const std::int64_t scale = (alone ? w->scale : w->unit_scale)[found.part];
        const auto number = static_cast<std::int64_t>(found.mantissa);
        if (scale == 0 || __builtin_mul_overflow(number, scale, &ns)) return false;
        if (negative) ns = -ns;
        if (found.part == 0) whole = negative ? -number : number;
      }
      if (w == last) break;
      if (*p != separator) return false;
    }
    if (*p != '\n' && !(p[0] == '\r' && p[1] == '\n')) return false;
    at = p;
    return true;
  }

  /// Such rows from `at` on, until one is not; where that one begins.
  const char* short_rows(RowBlock& block, const char* at, std::uint32_t& number) {
    const char* text = block.text.data();
    const char* end = text + block.text.size();
    std::size_t row = block.row_count;
    for (; at < end; ++row, ++number) {
      if (row == block.line_room.size()) {
        block.row_count = row;
        make_room(block);
      }
      const char* stop = at;
      std::int64_t ns = 0, whole = kNoCount;
      if (!short_row(stop, row, ns, whole)) break;
      if (counts) {
        if (ns % kSecondNs != 0) break;
        ns /= kSecondNs;
      }
      block.line_room[row] = {number, static_cast<std::uint32_t>(at - text),
                              static_cast<std::uint32_t>(stop - text)};
      block.moment_room[row] = ns;
      block.count_room[row] = whole;
      block.any_count |= whole != kNoCount;
      at = stop + (*stop == '\r' ? 2 : 1);
    }
    block.row_count = row;
    return at;
  }

  /// A row of plain numbers, each once; `at` then stands at its end.
  bool plain_row(const char*& at, std::size_t index) {
    count = kNoCount;
    const Wanted* const last = &columns.back();
    for (const Wanted* next = columns.data();; ++next) {
      const Wanted& w = *next;
      pass_gaps(at);
      bool read = true;
      switch (w.as) {
        case Wanted::As::sample:
          read = sample(at, w, channels[w.channel][index]);
          break;
        case Wanted::As::number_time:
          read = time(at, w);
          break;
        case Wanted::As::moment:
          read = moment_at(at);
          break;
        case Wanted::As::nothing:
          read = nothing(at) && (!blanks || !ends(*at) || *at == ' ');
          break;
      }
      if (!read) return false;
      if (next == last) break;
      if (*at != separator && !(blanks && is_gap(*at))) return false;
      ++at;
    }
    pass_gaps(at);
    if (*at == '\r') ++at;
    return (*at == '\n' || *at == '\0') && (!counts || as_count());
  }

  /// A counted sample's number instead of as many seconds.
  bool as_count() {
    const bool whole = moment % kSecondNs == 0;
    moment /= kSecondNs;
    return whole;
  }

  // --- the same row by cells: quotes, thousands marks, words for no data, other units ------------
  bool row_by_cells(std::string_view line, RowBlock& block) {
    count = kNoCount;
    split_log_line(line, separator, split, columns.size());
    if (split.size() != columns.size()) return false;
    if (plan.time_column >= 0) {
      const auto column = static_cast<std::size_t>(plan.time_column);
      const auto read = cells.moment(column, split[column]);
      if (!read) return false;
      moment = read->ns;
      count = read->raw.value_or(kNoCount);
      learn_unit(column);
      if (counts && !as_count()) return false;
    }
    for (std::size_t i = 0; i < plan.channels.size(); ++i) {
      const auto column = static_cast<std::size_t>(plan.channels[i]);
      double& out = block.channel_room[i][block.row_count];
      if (cells.value(column, split[column], out) != CellReader::Fault::none) return false;
      learn_unit(column);
    }
    return true;
  }

  /// Keeps the unit behind a number, so that the next row may be plain.
  void learn_unit(std::size_t column) {
    Wanted& w = columns[column];
    if (w.as == Wanted::As::moment) return;
    const auto number = number_cell(split[column], plan.dialect.marks, room);
    if (!number || number->unit.empty() || number->unit == w.unit) return;
    w.unit = std::string(number->unit);
    w.unit_factor = 0;
    w.tail = {};
    if (w.as == Wanted::As::sample) {
      w.unit_factor = cells.factor_of(column, w.unit).value_or(0);
      w.signed_unit = {w.unit_factor, -w.unit_factor};
    } else if (const auto own = time_unit.factor(w.unit, plan.columns[column], Dimension::time)) {
      w.unit_factor = *own;
      w.unit_time = exact_factor(*own);
      w.unit_scale = scale_of(w.unit_time);
    }
    if (w.unit_factor != 0) w.tail = Wanted::Tail(behind_number(split[column]));
  }
  /// Of a cell that begins with a number: its unit and what stands before that.
  static std::string_view behind_number(std::string_view cell) {
    const auto last = cell.find_last_of("0123456789");
    return last == std::string_view::npos ? cell : cell.substr(last + 1);
  }

  void make_room(RowBlock& block) {
    if (block.row_count < block.line_room.size()) return;
    const std::size_t rows = std::max(kLeastRoom, block.line_room.size() * 2);
    block.line_room.resize(rows);
    block.moment_room.resize(rows);
    block.count_room.resize(rows);
    point_at(block);
  }
  void point_at(RowBlock& block) {
    channels.clear();
    block.channel_room.resize(plan.channels.size());
    for (auto& values : block.channel_room) {
      values.resize(block.line_room.size());
      channels.push_back(values.data());
    }
    for (Wanted& w : columns) {
      if (w.as == Wanted::As::sample) w.out = channels[w.channel];
    }
  }

  /// Reads the line at `at`, and gives where the next one begins.
  const char* line(RowBlock& block, const char* at, std::uint32_t number) {
    const char* text = block.text.data();
    const char* end = text + block.text.size();
    const auto begin = static_cast<std::uint32_t>(at - text);
    make_room(block);
    const char* stop = at;
    const bool usual = !careful && !dated && *at != '#';
    moment = 0;
    bool read = usual && plain_row(stop, block.row_count) && stop > at;
    if (!read) {
      const void* found = std::memchr(at, '\n', static_cast<std::size_t>(end - at));
      stop = found ? static_cast<const char*>(found) : end;
    }
    const char* last = stop > at && stop[-1] == '\r' ? stop - 1 : stop;
    const RowBlock::Line place{number, begin, static_cast<std::uint32_t>(last - text)};
    if (!read) {
      const std::string_view words = block.of(place);
      if (words.empty() || words.front() == '#') return stop + 1;
      moment = 0;
      read = usual && row_by_cells(words, block);
    }
    if (read) {
      const std::size_t row = block.row_count++;
      block.line_room[row] = place;
      block.moment_room[row] = moment;
      block.count_room[row] = count;
      block.any_count |= count != kNoCount;
    } else {
      block.left.push_back({block.row_count, place});
    }
    return stop + 1;
  }

  const LogPlan& plan;
  CellReader cells;
  char separator, gap;
  bool blanks, counts, dated;
  bool may_be_short = false;  // rows are of short numbers
  bool careful = false;       // the block holds bytes that are no text
  char decimal;
  std::vector<Wanted> columns;
  std::vector<double*> channels;              // of the block
  std::int64_t moment = 0, count = kNoCount;  // of the row
  KnownDay day;
  CellUnit time_unit;
  std::vector<std::string_view> split;
  std::string room;
};

RowParser::RowParser(const LogPlan& plan, std::optional<double> shunt_ohm)
    : work_(std::make_unique<Work>(plan, shunt_ohm)) {}
RowParser::~RowParser() = default;

void RowParser::parse(RowBlock& block) {
  Work& w = *work_;
  block.left.clear();
  block.row_count = 0;
  block.any_count = false;
  w.point_at(block);
  block.room[block.text.size()] = '\0';
  block.torn = !block.text.empty() && block.text.back() != '\n';
  const char* at = block.text.data();
  const char* end = at + block.text.size();
  w.careful = std::memchr(at, '\0', block.text.size()) != nullptr;
  std::uint32_t number = 0, longer = 0;
  while (at < end) {
    if (w.may_be_short && !w.careful) at = w.short_rows(block, at, number);
    if (at == end) break;
    at = w.line(block, at, number++);
    ++longer;
  }
  block.lines = number;
  // It is not tried for nothing.
  if (2 * longer > number) w.may_be_short = false;
}

}  // namespace kuvio::formats
