// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_import.h"

#include "book/capture_writer.h"
#include "core/error.h"
#include "core/number_text.h"
#include "core/special_value.h"
#include "formats/text_columns.h"
#include "formats/text_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <map>

namespace kuvio::formats {
namespace {

namespace fs = std::filesystem;

constexpr int kTimeExponent = 9;  // times are read to the nanosecond
constexpr TimeBase kTicks{
    1, 2'000'000'000};  // half of one is exact too: samples stamped at their centre
constexpr std::size_t kBatch = 65536, kFlush = 1 << 20;

/// Thrown when a file that looked evenly spaced turns out not to be; the import then begins again.
struct Uneven {};

enum class Cell { number, over_range, below_range, not_a_number, junk };

Cell cell_of(Flag flag) {
  return flag == Flag::over_range    ? Cell::over_range
         : flag == Flag::below_range ? Cell::below_range
                                     : Cell::not_a_number;
}

Cell read_value(std::string_view cell, double& value) {
  if (cell.empty()) return Cell::not_a_number;
  if (const auto special = special_word(cell)) return cell_of(*flag_of_value(*special));
  if (cell.front() == '+') cell.remove_prefix(1);
  const auto [end, failed] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
  if (failed != std::errc{} || end != cell.data() + cell.size()) return Cell::junk;
  const auto flag = flag_of_value(standard_value(value));
  return flag ? cell_of(*flag) : Cell::number;
}

bool looks_like_number(std::string_view cell) {
  double ignored = 0;
  return !cell.empty() && read_value(cell, ignored) != Cell::junk;
}

struct Layout {
  char separator = ',';
  std::vector<Column> columns;
  int time_column = -1;
  std::vector<int> channels;  // column of each channel
  bool first_line_is_data = false;
  std::string first_line;
  ExactFactor time_factor;
};

char guess_separator(std::string_view line) {
  char best = ',';
  std::ptrdiff_t most = 0;
  for (const char c : {'\t', ';', ','}) {
    const auto n = std::count(line.begin(), line.end(), c);
    if (n > most) {
      most = n;
      best = c;
    }
  }
  return best;
}

Layout read_layout(TextLines& lines, const ImportSettings& settings) {
  Layout out;
  std::string_view line;
  do {
    if (!lines.next(line))
      lines.complain(std::max<std::int64_t>(1, lines.number()),
                     "it holds no header line and no samples");
  } while (line.empty() || line.front() == '#');
  out.separator = guess_separator(line);
  std::vector<std::string_view> cells;
  split_cells(line, out.separator, cells);
  const bool numbers = std::all_of(cells.begin(), cells.end(), looks_like_number);
  if (numbers && settings.columns.empty()) {
    lines.complain(lines.number(),
                   "no header line; say what the columns are, e.g. --column \"1=time[s]\" "
                   "--column \"2=current[mA]\"");
  }
  for (std::size_t i = 0; i < cells.size(); ++i) {
    Column c;
    if (numbers) {
      c.title = c.name = "column " + std::to_string(i + 1);
    } else {
      c = guess_column(std::string(cells[i]));
    }
    out.columns.push_back(c);
  }
  out.first_line_is_data = numbers;
  if (numbers) out.first_line = std::string(line);
  for (const std::string& option : settings.columns) {
    try {
      apply_column_option(out.columns, option);
    } catch (const std::invalid_argument& e) {
      throw Error(Failure::usage, "usage error", "command line", e.what());
    }
  }
  for (std::size_t i = 0; i < out.columns.size(); ++i) {
    const Role role = out.columns[i].role;
    if (const Column& c = out.columns[i]; role != Role::ignore && !c.doubt.empty()) {
      const char* example = role == Role::time      ? "time[s]"
                            : role == Role::current ? "current[mA]"
                                                    : "voltage[V]";
      lines.complain(lines.number(),
                     fmt::format("column \"{}\": {}; say what it is, e.g. --column \"{}={}\", or "
                                 "--column \"{}=ignore\"",
                                 c.title, c.doubt, i + 1, example, i + 1));
    }
    if (role == Role::time) {
      if (out.time_column >= 0)
        lines.complain(lines.number(), "two columns hold time; name one with --column");
      out.time_column = static_cast<int>(i);
    } else if (role != Role::ignore) {
      out.channels.push_back(static_cast<int>(i));
    }
  }
  if (out.channels.empty()) {
    lines.complain(lines.number(),
                   "no column of current or voltage; name one, e.g. --column \"COL=current[mA]\"");
  }
  if (out.time_column < 0 && !settings.rate_hz) {
    lines.complain(lines.number(),
                   "no column of time; name one with --column \"COL=time[s]\", or give --rate");
  }
  number_duplicates(out.columns);
  if (out.time_column >= 0)
    out.time_factor = exact_factor(out.columns[static_cast<std::size_t>(out.time_column)].factor);
  return out;
}

/// How often a step that looked like a jump must come in a row to be how a log goes on.
constexpr std::size_t kLearned = 4;

/// One channel on its way into the book: a batch of samples with times.
struct Lane {
  std::vector<double> values;
  std::vector<std::int64_t> times;
  bool gap_before = true;  // the batch begins a new block
  std::optional<FlagRun> flag;
  std::int64_t last_time = 0, last_step = 0, longest_step = 0;
  std::int64_t steps = 0, jumps = 0;
  // Samples of the batch before which the time jumped, by about the same step each time: gaps, or
  // the log's new rate.
  std::vector<std::size_t> suspects;
  std::int64_t suspect_step = 0;
  std::int64_t stored_time = 0;  // of the last sample that left the batch
  double missing_s = 0;
};

class Importer {
public:
  Importer(book::Book& book, const TextSource& source, const ImportSettings& settings, bool even)
      : book_(book),
        file_(source.path()),
        settings_(settings),
        lines_(source.path(), source.at()),
        layout_(read_layout(lines_, settings)),
        even_(even) {}

  ImportResult run(const std::stop_token& stop, const std::function<void(double)>& progress) {
    begin_capture();
    try {
      read_rows(stop, progress);
      for (std::size_t i = 0; i < lanes_.size(); ++i) {
        settle(i);
        // Jumps all over are not gaps: such samples simply have times of their own.
        if (even_ && lanes_[i].jumps * 10 > lanes_[i].steps) throw Uneven{};
        store(i, true);
        end_flag(i, last_time_ + last_row_step_);
      }
      if (rows_ == 0)
        lines_.complain(std::max<std::int64_t>(1, lines_.number()),
                        "it holds a header but no samples");
      writer_->finish("imported", false);
    } catch (...) {
      const std::int64_t id = writer_->id();
      writer_.reset();
      book_.discard(id);
      throw;
    }
    result_.capture = writer_->id();
    if (standing_ > 0)
      result_.warnings.push_back(fmt::format(
          "{} lines repeat the time before them and were left out, the first is line {}", standing_,
          first_standing_));
    for (const Column& c : layout_.columns) {
      if (c.role == Role::ignore)
        result_.warnings.push_back("column \"" + c.title + "\" was left out");
      if (c.role != Role::ignore && !c.guess.empty())
        result_.warnings.push_back("column \"" + c.title + "\" " + c.guess);
    }
    report_missing();
    return result_;
  }

private:
  void report_missing() {
    const book::CaptureInfo capture = book_.capture(result_.capture);
    for (std::size_t i = 0; i < lanes_.size(); ++i) {
      const Lane& lane = lanes_[i];
      const book::ChannelInfo& c = capture.channels[i];
      const double whole = c.to_s - c.from_s;
      if (lane.missing_s > whole / 2)
        result_.warnings.push_back(fmt::format(
            "of {}'s {} only {} hold samples, the rest is missing: is the time column right?",
            c.name, duration(whole), duration(whole - lane.missing_s)));
    }
  }

  void begin_capture() {
    book::CaptureSpec spec{settings_.name, settings_.build, settings_.conditions, true};
    spec.conditions["file"] = fs::path(file_).filename().string();
    std::vector<book::ChannelInfo> channels;
    for (const int index : layout_.channels) {
      Column& c = layout_.columns[static_cast<std::size_t>(index)];
      book::ChannelInfo info;
      info.name = c.name;
      info.kind = settings_.kind;
      info.encoding = book::Encoding::f8;
      info.time_base = base();
      info.input = "file";
      const bool shunt = settings_.shunt_ohm && c.role == Role::voltage;
      if (shunt) c.factor /= *settings_.shunt_ohm;
      const bool current = c.role == Role::current || shunt;
      info.quantity = current ? Quantity::current : Quantity::voltage;
      info.unit = kuvio::info(info.quantity).unit;
      if (current) info.accuracy = settings_.accuracy;
      info.lattice = book::Lattice{c.factor, 0, 1};
      channels.push_back(info);
      if (shunt) spec.conditions["shunt"] = fmt::format("{:g} Ohm", *settings_.shunt_ohm);
    }
    lanes_.resize(channels.size());
    writer_ = std::make_unique<book::CaptureWriter>(book_, spec, channels);
  }

  /// Without a time column one tick is half a sample period, else half a nanosecond.
  TimeBase base() const {
    if (layout_.time_column >= 0) return kTicks;
    const double rate = *settings_.rate_hz;
    if (std::fabs(rate - std::round(rate)) < 1e-9 * rate) return {1, 2 * std::llround(rate)};
    return kTicks;
  }

  void read_rows(const std::stop_token& stop, const std::function<void(double)>& progress) {
    std::vector<std::string_view> cells;
    std::string_view line;
    if (layout_.first_line_is_data) row(layout_.first_line, cells);
    while (lines_.next(line)) {
      if (line.empty() || line.front() == '#') continue;
      row(line, cells);
      if (rows_ % kBatch == 0) {
        if (stop.stop_requested())
          throw Error(Failure::io, "cancelled", file_, "nothing of it was kept");
        if (progress) progress(lines_.share());
      }
    }
  }

  void row(std::string_view line, std::vector<std::string_view>& cells) {
    split_cells(line, layout_.separator, cells);
    const std::string torn = "the last line is incomplete and was skipped (line " +
                             std::to_string(lines_.number()) + ")";
    if (cells.size() != layout_.columns.size()) {
      if (lines_.torn()) {
        result_.warnings.push_back(torn);
        return;
      }
      lines_.complain(lines_.number(), fmt::format("it has {} columns where the header has {}",
                                                   cells.size(), layout_.columns.size()));
    }
    std::int64_t time = 0;
    if (layout_.time_column < 0) {
      time = base() == kTicks ? std::llround(static_cast<double>(rows_) * 2e9 / *settings_.rate_hz)
                              : rows_ * 2;
    } else {
      const auto at = static_cast<std::size_t>(layout_.time_column);
      const auto ticks = exact_decimal(cells[at], layout_.time_factor.exponent, kTimeExponent,
                                       layout_.time_factor.times);
      if (!ticks || std::abs(*ticks) > (std::int64_t{1} << 61)) {
        if (lines_.torn()) {
          result_.warnings.push_back(torn);
          return;
        }
        lines_.complain(lines_.number(), "\"" + std::string(cells[at].substr(0, 40)) +
                                             "\" is not a time in " + layout_.columns[at].unit);
      }
      time = *ticks * 2;
      if (rows_ > 0 && time < last_time_) {
        lines_.complain(lines_.number(),
                        "time goes backwards here; split the file at this line and import the "
                        "parts separately");
      }
      if (rows_ > 0 && time == last_time_) {
        if (standing_++ == 0) first_standing_ = lines_.number();
        return;
      }
    }
    for (std::size_t i = 0; i < lanes_.size(); ++i) {
      const auto column = static_cast<std::size_t>(layout_.channels[i]);
      double value = 0;
      const Cell kind = read_value(cells[column], value);
      if (kind == Cell::junk) {
        if (lines_.torn()) {
          result_.warnings.push_back(torn);
          return;
        }
        lines_.complain(lines_.number(), "\"" + std::string(cells[column].substr(0, 40)) +
                                             "\" in column \"" + layout_.columns[column].title +
                                             "\" is not a number");
      }
      add(i, time, kind, value * layout_.columns[column].factor);
    }
    last_row_step_ = rows_ > 0 ? time - last_time_ : 0;
    last_time_ = time;
    ++rows_;
  }

  void add(std::size_t index, std::int64_t time, Cell kind, double value) {
    Lane& lane = lanes_[index];
    if (kind != Cell::number) {
      const Flag flag = kind == Cell::over_range    ? Flag::over_range
                        : kind == Cell::below_range ? Flag::below_range
                                                    : Flag::not_a_number;
      settle(index);
      if (lane.flag && lane.flag->flag != flag) end_flag(index, time);
      if (!lane.flag) lane.flag = FlagRun{flag, base().seconds(stamped(lane, time)), 0, 0};
      ++lane.flag->samples;
      store(index, true);
      return;
    }
    end_flag(index, time);
    if (!lane.values.empty() || !lane.gap_before) step_to(index, time);
    lane.values.push_back(value);
    lane.times.push_back(time);
    lane.last_time = time;
    if (lane.values.size() >= kBatch && lane.suspects.empty()) store(index, false);
  }

  /// From the sample before to one at `time`: the step goes on as before, is a gap, or may be
  /// either until what follows shows.
  void step_to(std::size_t index, std::int64_t time) {
    Lane& lane = lanes_[index];
    const std::int64_t step = time - lane.last_time;
    ++lane.steps;
    const bool jump = lane.last_step > 0 && step != lane.last_step &&
                      (even_ ? 2 * step > 3 * lane.last_step : step > 10 * lane.longest_step);
    if (!jump) {
      settle(index);
      if (even_ && lane.last_step > 0 && step != lane.last_step) throw Uneven{};
      lane.last_step = step;
      lane.longest_step = std::max(lane.longest_step, step);
      return;
    }
    const bool again = even_ ? step == lane.suspect_step
                             : step <= 2 * lane.suspect_step && lane.suspect_step <= 2 * step;
    if (!lane.suspects.empty() && !again) settle(index);
    lane.suspects.push_back(lane.values.size());
    lane.suspect_step = step;
    if (lane.suspects.size() < kLearned) return;
    // It has found a new rate: what came in between is no gap.
    if (even_) throw Uneven{};
    lane.suspects.clear();
    lane.last_step = step;
    lane.longest_step = std::max(lane.longest_step, step);
  }

  /// Jumps that did not become the rate are gaps.
  void settle(std::size_t index) {
    Lane& lane = lanes_[index];
    if (lane.suspects.empty()) return;
    std::vector<double> values;
    std::vector<std::int64_t> times;
    values.swap(lane.values);
    times.swap(lane.times);
    const std::vector<std::size_t> gaps = std::move(lane.suspects);
    lane.suspects.clear();
    std::size_t at = 0;
    const auto give = [&](std::size_t to, bool last) {
      lane.values.assign(values.begin() + static_cast<std::ptrdiff_t>(at),
                         values.begin() + static_cast<std::ptrdiff_t>(to));
      lane.times.assign(times.begin() + static_cast<std::ptrdiff_t>(at),
                        times.begin() + static_cast<std::ptrdiff_t>(to));
      at = to;
      if (last) store(index, true);
    };
    for (const std::size_t gap : gaps) {
      // A sample that was stored in an earlier batch may stand before the first.
      const std::int64_t before = gap > 0 ? times[gap - 1] : lane.stored_time;
      lane.missing_s += base().seconds(times[gap] - before - lane.last_step);
      give(gap, true);
      ++lane.jumps;
    }
    give(values.size(), false);
  }

  void end_flag(std::size_t index, std::int64_t time) {
    Lane& lane = lanes_[index];
    if (!lane.flag) return;
    lane.flag->to_s = base().seconds(stamped(lane, time));
    lane.missing_s += lane.flag->to_s - lane.flag->from_s;
    writer_->flag(index, *lane.flag);
    lane.flag.reset();
  }

  /// Where the interval of a sample stamped at `time` begins.
  std::int64_t stamped(const Lane& lane, std::int64_t time) const {
    if (settings_.kind == SampleKind::instant || settings_.stamp == Stamp::start) return time;
    return settings_.stamp == Stamp::centre ? time - lane.last_step / 2 : time - lane.last_step;
  }

  /// Hands the batch to the book; `last`: its block ends here.
  void store(std::size_t index, bool last) {
    Lane& lane = lanes_[index];
    if (!lane.values.empty()) {
      lane.stored_time = lane.times.back();
      if (even_) {
        const std::int64_t period = std::max<std::int64_t>(1, lane.last_step);
        writer_->append(index, stamped(lane, lane.times.front()), period, lane.values);
      } else {
        if (settings_.kind == SampleKind::averaged && settings_.stamp != Stamp::start) {
          lines_.complain(lines_.number(),
                          "samples are not evenly spaced: averaged samples must then be stamped at "
                          "their start");
        }
        const std::int64_t end = lane.times.back() + std::max<std::int64_t>(1, lane.last_step);
        writer_->append_times(index, lane.times, lane.values, end, lane.gap_before);
      }
      lane.gap_before = false;
      pending_ += lane.values.size();
      if (pending_ >= kFlush) {
        writer_->flush();
        pending_ = 0;
      }
    }
    lane.values.clear();
    lane.times.clear();
    if (last) lane.gap_before = true;
  }

  book::Book& book_;
  const std::string& file_;
  const ImportSettings& settings_;
  TextLines lines_;
  Layout layout_;
  bool even_;
  std::unique_ptr<book::CaptureWriter> writer_;
  std::vector<Lane> lanes_;
  std::size_t pending_ = 0;
  std::int64_t rows_ = 0, last_time_ = 0, last_row_step_ = 0, standing_ = 0, first_standing_ = 0;
  ImportResult result_;
};

}  // namespace

ImportResult import_text(book::Book& book, const std::string& file, const ImportSettings& settings,
                         const std::stop_token& stop, const std::function<void(double)>& progress) {
  const TextSource source(file, stop);
  try {
    return Importer(book, source, settings, true).run(stop, progress);
  } catch (const Uneven&) {
    return Importer(book, source, settings, false).run(stop, progress);
  }
}

}  // namespace kuvio::formats
