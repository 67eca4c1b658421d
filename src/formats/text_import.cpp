// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_import.h"

#include "core/error.h"
#include "core/number_text.h"
#include "core/special_value.h"
#include "formats/capture_import.h"
#include "formats/log_blocks.h"
#include "formats/log_clock.h"
#include "formats/log_plan.h"
#include "formats/text_columns.h"
#include "formats/text_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <filesystem>
#include <span>
#include <stdexcept>

namespace kuvio::formats {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kMostSkipped = 1000, kMostBehind = 100, kLongestLine = 1 << 20;

class Importer {
public:
  Importer(book::Book& book, const TextSource& source, const ImportSettings& settings,
           const LogPlan& plan, bool even)
      : book_(book),
        source_(source),
        settings_(settings),
        plan_(plan),
        even_(even),
        cell_reader_(plan, settings.shunt_ohm),
        clock_(plan, cell_reader_) {}

  ImportResult run(const std::stop_token& stop, const std::function<void(double)>& progress) {
    try {
      read_blocks(read_head(), stop, progress);
      if (done_.empty() && !now_) {
        line_ = std::max<std::int64_t>(1, line_);
        complain("it holds a header but no samples");
      }
      end_of_samples();
      finish();
      check_shunt();
    } catch (...) {
      for (const std::int64_t id : done_) book_.discard(id);
      throw;
    }
    result_.captures = done_;
    result_.capture = done_.front();
    report();
    return std::move(result_);
  }

private:
  // --- what is said at the end -------------------------------------------------------------------
  void report() {
    if (standing_ > 0)
      result_.warnings.push_back(fmt::format(
          "{} lines repeat the time before them and were left out, the first is line {}", standing_,
          first_standing_));
    if (wraps_ > 0)
      result_.warnings.push_back(
          fmt::format("its counter of time went round {}, first at line {}",
                      wraps_ == 1 ? "once" : std::to_string(wraps_) + " times", first_wrap_));
    for (const Column& c : plan_.columns) {
      if (c.role == Role::ignore)
        result_.warnings.push_back("column \"" + c.title + "\" was left out");
      if (c.role != Role::ignore && !c.guess.empty())
        result_.warnings.push_back("column \"" + c.title + "\" " + c.guess);
    }
    result_.guesses = plan_.guesses;
  }

  /// What was so in the first lines must be so of the whole.
  void check_shunt() {
    if (plan_.high && sum_high_ < sum_low_)
      complain(
          fmt::format("the mean of \"{}\" is lower than that of \"{}\" over the whole "
                      "file, and was higher in its first lines: which is before the "
                      "shunt? Leave the column of the drop alone, or cut the file",
                      plan_.name_of(*plan_.high), plan_.name_of(*plan_.low)));
  }

  void report_missing() {
    const book::CaptureInfo capture = book_.capture(done_.back());
    for (std::size_t i = 0; i < capture.channels.size(); ++i) {
      const book::ChannelInfo& c = capture.channels[i];
      const double whole = c.to_s - c.from_s, missing = now_->missing_s(i);
      if (missing > whole / 2)
        result_.warnings.push_back(fmt::format(
            "of {}'s {} only {} hold samples, the rest is missing: is the time column right?",
            c.name, duration(whole), duration(whole - missing)));
    }
  }

  void skip(const std::string& why) { skip(line_, why); }
  void skip(std::int64_t line, const std::string& why) {
    if (result_.skipped.size() < kMostSkipped) result_.skipped.push_back({line, why});
  }

  // --- lines that are no rows: a summary, if no row follows ---------------------
  /// Keeps in mind that a line whose first cell is a word was no row, and what is to be said of it
  /// if one follows; false where it is no such line.
  bool may_be_behind(const std::string& why) {
    const auto& cell = cells_.front();
    const bool word = !cell.empty() && std::isalpha(static_cast<unsigned char>(cell.front()));
    if (!now_ || !word || special_word(cell) || behind_.size() >= kMostBehind) return false;
    behind_.push_back({line_, why});
    return true;
  }
  void a_row_follows() {
    if (behind_.empty()) return;
    line_ = behind_.front().line;
    complain(behind_.front().why);
  }
  void end_of_samples() {
    for (const SkippedLine& line : behind_)
      skip(line.line, "it stands behind the samples and begins with a word");
    behind_.clear();
  }

  [[noreturn]] void complain(const std::string& why) const {
    throw Error(Failure::bad_data, "bad file", source_.path() + ":" + std::to_string(line_), why);
  }

  // --- captures ----------------------------------------------------------------------------------
  void begin() {
    book::CaptureSpec spec{settings_.name, settings_.build, settings_.conditions, true};
    if (!done_.empty()) spec.name += fmt::format(" · {}", done_.size() + 1);
    spec.conditions["file"] = fs::path(source_.path()).filename().string();
    if (!clock_.began().empty()) spec.conditions["log_began"] = clock_.began();
    if (settings_.shunt_ohm)
      spec.conditions["shunt"] = fmt::format("{:g} Ohm", *settings_.shunt_ohm);
    std::vector<book::ChannelInfo> channels;
    for (const int index : plan_.channels) channels.push_back(channel_of(index));
    if (plan_.high) {
      book::ChannelInfo drop = channel_of(*plan_.high);
      drop.name = "I";
      for (int n = 2; std::any_of(channels.begin(), channels.end(),
                                  [&](const auto& c) { return c.name == drop.name; });
           ++n)
        drop.name = "I" + std::to_string(n);
      make_current(drop);
      drop.lattice.reset();
      channels.push_back(drop);
    }
    now_ = std::make_unique<CaptureImport>(book_, spec, channels, settings_, even_);
    rows_ = 0;
  }

  void make_current(book::ChannelInfo& info) const {
    info.quantity = Quantity::current;
    info.unit = kuvio::info(Quantity::current).unit;
    info.accuracy = settings_.accuracy;
  }

  book::ChannelInfo channel_of(int index) const {
    const Column& c = plan_.columns[static_cast<std::size_t>(index)];
    book::ChannelInfo info;
    info.name = c.name;
    info.kind = settings_.kind;
    info.encoding = book::Encoding::f8;
    info.time_base = clock_.base();
    info.input = "file";
    info.quantity = Quantity::voltage;
    info.unit = kuvio::info(info.quantity).unit;
    if (c.role == Role::current || cell_reader_.is_drop(c)) make_current(info);
    info.lattice = book::Lattice{cell_reader_.factor_of(c), 0, 1};
    return info;
  }

  void finish() {
    try {
      now_->finish(last_time_, last_row_step_);
    } catch (const std::invalid_argument& e) {
      complain(e.what());
    }
    done_.push_back(now_->id());
    report_missing();
    now_.reset();
  }

  // --- rows --------------------------------------------------------------------------------------
  /// What stands before the samples; the byte where they begin.
  std::int64_t read_head() {
    TextLines lines(source_.path(), source_.at());
    std::string_view line;
    std::int64_t offset = 0;
    while (lines.number() + 1 < plan_.dialect.first_line && lines.next(line)) {
      line_ = lines.number();
      torn_ = lines.torn();
      offset = lines.offset();
      if (!line.empty() && line.front() != '#') before_samples(line);
    }
    return offset;
  }

  void read_blocks(std::int64_t offset, const std::stop_token& stop,
                   const std::function<void(double)>& progress) {
    LogBlocks blocks(source_.path(), source_.at(), offset, plan_, settings_.shunt_ohm);
    while (const RowBlock* block = blocks.next()) {
      const std::int64_t before = line_;
      std::size_t row = 0;
      for (const RowBlock::Left& left : block->left) {
        take_rows(*block, before, row, left.row);
        row = left.row;
        one_line(*block, before, left.line);
      }
      take_rows(*block, before, row, block->rows());
      line_ = before + block->lines;
      if (stop.stop_requested())
        throw Error(Failure::io, "cancelled", source_.path(), "nothing of it was kept");
      if (progress) progress(blocks.share());
    }
  }

  /// Rows [from, to) of a block.
  void take_rows(const RowBlock& block, std::int64_t before, std::size_t from, std::size_t to) {
    while (from < to) {
      from += plain_rows(block, before, from, to);
      if (from < to) one_line(block, before, block.line(from++));
    }
  }

  void one_line(const RowBlock& block, std::int64_t before, const RowBlock::Line& line) {
    line_ = before + line.number + 1;
    torn_ = block.torn && line.number + 1 == block.lines;
    const std::string_view text = block.of(line);
    if (text.size() > kLongestLine)
      complain("the line is longer than 1 MiB: this is not a text log");
    if (text.find('\0') != std::string_view::npos)
      complain("it contains binary data; not a text log");
    row(text);
  }

  /// Takes the rows from `from` on that go on in time, and says how many they were.
  std::size_t plain_rows(const RowBlock& block, std::int64_t before, std::size_t from,
                         std::size_t to) {
    if (!now_) return 0;
    const std::size_t n = clock_.rows(block, from, to, {true, rows_, last_time_}, ticks_);
    if (n == 0) return 0;
    a_row_follows();
    line_ = before + block.line(from + n - 1).number + 1;
    try {
      store(block, from, n);
    } catch (const std::invalid_argument& e) {
      complain(e.what());
    }
    step_before_ = n > 1 ? ticks_[n - 2] - (n > 2 ? ticks_[n - 3] : last_time_) : last_row_step_;
    last_row_step_ = ticks_[n - 1] - (n > 1 ? ticks_[n - 2] : last_time_);
    last_time_ = ticks_[n - 1];
    rows_ += static_cast<std::int64_t>(n);
    return n;
  }

  void store(const RowBlock& block, std::size_t from, std::size_t n) {
    const auto ticks = std::span(ticks_).first(n);
    for (std::size_t i = 0; i < block.channels(); ++i)
      now_->add(i, ticks, block.channel(i).subspan(from, n));
    if (!plan_.high) return;
    const auto high = block.channel(place_of(*plan_.high));
    const auto low = block.channel(place_of(*plan_.low));
    currents_.clear();
    for (std::size_t i = from; i < from + n; ++i) currents_.push_back(current(high[i], low[i]));
    now_->add(block.channels(), ticks, currents_);
  }

  std::size_t place_of(int column) const {
    return static_cast<std::size_t>(
        std::find(plan_.channels.begin(), plan_.channels.end(), column) - plan_.channels.begin());
  }

  /// Of two voltages at the shunt.
  double current(double high, double low) {
    if (!std::isfinite(high)) return high;
    if (!std::isfinite(low)) return low;
    sum_high_ += high;
    sum_low_ += low;
    return (high - low) / *settings_.shunt_ohm;
  }

  /// What stands between titles and samples is no preamble: a row of another form is not passed by.
  void before_samples(std::string_view line) {
    const LogDialect& d = plan_.dialect;
    if (d.header_line == 0 || line_ <= std::max(d.header_line, d.unit_line)) return;
    split_log_line(line, d.separator, cells_, plan_.columns.size());
    if (!holds_a_number()) return skip("it holds no numbers");
    row(line);
  }

  bool torn() {
    if (!torn_) return false;
    result_.warnings.push_back("the last line is incomplete and was skipped (line " +
                               std::to_string(line_) + ")");
    skip("the last line is incomplete");
    return true;
  }

  /// Whether a cell begins like a number: such a line is not passed by as words.
  bool holds_a_number() const {
    return std::any_of(cells_.begin(), cells_.end(), [](std::string_view cell) {
      const auto at = cell.find_first_not_of("+-.,\" ");
      return at != std::string_view::npos && cell[at] >= '0' && cell[at] <= '9';
    });
  }

  /// A row whose meaning may depend on those before.
  void row(std::string_view line) {
    split_log_line(line, plan_.dialect.separator, cells_, plan_.columns.size());
    if (cells_.size() != plan_.columns.size()) {
      if (torn()) return;
      if (!holds_a_number()) return skip("it holds no numbers");
      const std::string why = fmt::format("it has {} columns where the header has {}",
                                          cells_.size(), plan_.columns.size());
      if (may_be_behind(why)) return;
      complain(why);
    }
    if (header_again()) {
      end_of_samples();
      return skip("the header again");
    }
    try {
      const auto time = clock_.row(cells_, {now_ != nullptr, rows_, last_time_});
      if (!time) return no_time();
      values_.resize(plan_.channels.size());
      for (std::size_t i = 0; i < values_.size(); ++i) {
        if (!read_value(static_cast<std::size_t>(plan_.channels[i]), values_[i])) return;
      }
      a_row_follows();
      if (!in_order(*time)) return;
      if (!now_) begin();
      store_row(*time);
    } catch (const std::invalid_argument& e) {
      complain(e.what());
    }
  }

  void store_row(std::int64_t time) {
    for (std::size_t i = 0; i < values_.size(); ++i) now_->add(i, time, values_[i]);
    if (plan_.high)
      now_->add(values_.size(), time,
                current(values_[place_of(*plan_.high)], values_[place_of(*plan_.low)]));
    const std::int64_t wrapped = clock_.wrapped();
    clock_.took_row();
    if (clock_.wrapped() != wrapped && wraps_++ == 0) first_wrap_ = line_;
    step_before_ = last_row_step_;
    last_row_step_ = rows_ > 0 ? time - last_time_ : 0;
    if (rows_ == 0) first_time_ = time;
    last_time_ = time;
    ++rows_;
  }

  void no_time() {
    if (torn()) return;
    if (!holds_a_number()) return skip("it holds no numbers");
    const auto column = static_cast<std::size_t>(plan_.time_column);
    const std::string unit =
        plan_.time_form == TimeForm::number ? " in " + plan_.columns[column].unit : "";
    const std::string why =
        "\"" + std::string(cells_[column].substr(0, 40)) + "\" is not a time" + unit;
    if (may_be_behind(why)) return;
    complain(why);
  }

  /// False where the line is to be left out, which has been noted.
  bool read_value(std::size_t column, double& out) {
    switch (cell_reader_.value(column, cells_[column], out)) {
      case CellReader::Fault::none:
        return true;
      case CellReader::Fault::other_unit:
        refuse_cell(column, fmt::format("is no {}", describe_role(plan_.columns[column])));
      case CellReader::Fault::no_unit:
        refuse_cell(column, "has no unit, where the others have one");
      case CellReader::Fault::no_number:
        break;
    }
    if (torn()) return false;
    if (may_be_behind(fault_of(column, "is not a number"))) return false;
    refuse_cell(column, "is not a number");
  }

  static std::string describe_role(const Column& c) {
    return c.role == Role::current ? "current" : "voltage";
  }

  std::string fault_of(std::size_t column, const std::string& why) const {
    return fmt::format("\"{}\" in column \"{}\" {}", cells_[column].substr(0, 40),
                       plan_.columns[column].title, why);
  }
  [[noreturn]] void refuse_cell(std::size_t column, const std::string& why) const {
    complain(fault_of(column, why));
  }

  /// A logger that began again may print its titles again.
  bool header_again() const {
    const auto& titles = plan_.dialect.titles;
    return titles.size() == cells_.size() &&
           std::equal(titles.begin(), titles.end(), cells_.begin());
  }

  /// Whether a row may follow the one before; one that begins again near zero begins a capture.
  bool in_order(std::int64_t time) {
    if (!now_ || time > last_time_) return true;
    if (time == last_time_) {
      if (standing_++ == 0) first_standing_ = line_;
      return false;
    }
    // One step alone may be a garbled digit's.
    const std::int64_t step =
        step_before_ > 0 ? std::min(step_before_, last_row_step_) : last_row_step_;
    const std::int64_t near = std::max(step, std::abs(first_time_));
    const bool again = clock_.began().empty() && rows_ >= 2 && std::abs(time) <= near &&
                       time - first_time_ < (last_time_ - first_time_) / 4;
    if (!again)
      complain(
          "time goes backwards here; split the file at this line and import the parts separately");
    finish();
    result_.warnings.push_back(fmt::format(
        "its time begins again at line {}: what follows is a capture of its own", line_));
    clock_.restart();
    return true;
  }

  book::Book& book_;
  const TextSource& source_;
  const ImportSettings& settings_;
  const LogPlan& plan_;
  bool even_;
  CellReader cell_reader_;
  LogClock clock_;
  std::unique_ptr<CaptureImport> now_;
  std::vector<std::int64_t> done_;
  std::int64_t line_ = 0;  // the one being read
  bool torn_ = false;      // it has no end
  std::vector<std::string_view> cells_;
  std::vector<double> values_, currents_;
  std::vector<std::int64_t> ticks_;
  std::int64_t rows_ = 0, first_time_ = 0, last_time_ = 0, last_row_step_ = 0, step_before_ = 0;
  std::vector<SkippedLine> behind_;  // no rows, since the last row
  std::int64_t standing_ = 0, first_standing_ = 0;
  std::int64_t wraps_ = 0, first_wrap_ = 0;
  double sum_high_ = 0, sum_low_ = 0;
  ImportResult result_;
};

}  // namespace

ImportResult import_text(book::Book& book, const std::string& file, const ImportSettings& settings,
                         const std::stop_token& stop, const std::function<void(double)>& progress) {
  const TextSource source(file, stop);
  const LogPlan plan = plan_log(source, settings, stop);
  try {
    return Importer(book, source, settings, plan, true).run(stop, progress);
  } catch (const Uneven&) {
    return Importer(book, source, settings, plan, false).run(stop, progress);
  }
}

}  // namespace kuvio::formats
