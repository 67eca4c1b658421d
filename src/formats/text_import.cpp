// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_import.h"

#include "core/error.h"
#include "core/number_text.h"
#include "core/special_value.h"
#include "formats/capture_import.h"
#include "formats/log_plan.h"
#include "formats/text_columns.h"
#include "formats/text_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>

namespace kuvio::formats {
namespace {

namespace fs = std::filesystem;

constexpr int kTimeExponent = 9;  // times are read to the nanosecond
constexpr TimeBase kTicks{
    1, 2'000'000'000};                  // half of one is exact too: samples stamped at their centre
constexpr std::int64_t kEvery = 65536;  // rows between two looks at whoever waits
constexpr std::size_t kMostSkipped = 1000;
constexpr std::int64_t kMostTicks = std::int64_t{1} << 61;
constexpr std::int64_t kMostCount = 100'000'000'000'000'000;     // of a counter
constexpr std::int64_t kCalendarFrom = 100'000'000'000'000'000;  // ns, 3 years: since an epoch
constexpr std::int64_t kLengthNs = 120'000'000'000;  // a clock that begins later is one of day

class Importer {
public:
  Importer(book::Book& book, const TextSource& source, const ImportSettings& settings,
           const LogPlan& plan, bool even)
      : book_(book),
        file_(source.path()),
        settings_(settings),
        lines_(source.path(), source.at()),
        plan_(plan),
        even_(even) {}

  ImportResult run(const std::stop_token& stop, const std::function<void(double)>& progress) {
    units_.resize(plan_.columns.size());
    try {
      read_rows(stop, progress);
      if (done_.empty() && !now_)
        lines_.complain(std::max<std::int64_t>(1, lines_.number()),
                        "it holds a header but no samples");
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
      lines_.complain(lines_.number(),
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

  void skip(const std::string& why) {
    if (result_.skipped.size() < kMostSkipped) result_.skipped.push_back({lines_.number(), why});
  }

  // --- captures ----------------------------------------------------------------------------------
  void begin(const std::string& first_cell) {
    book::CaptureSpec spec{settings_.name, settings_.build, settings_.conditions, true};
    if (!done_.empty()) spec.name += fmt::format(" · {}", done_.size() + 1);
    spec.conditions["file"] = fs::path(file_).filename().string();
    if (zero_ != 0) spec.conditions["log_began"] = first_cell;
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

  bool is_drop(const Column& c) const {
    return settings_.shunt_ohm && !plan_.high && c.role == Role::voltage;
  }
  double factor_of(const Column& c) const {
    return is_drop(c) ? c.factor / *settings_.shunt_ohm : c.factor;
  }

  book::ChannelInfo channel_of(int index) const {
    const Column& c = plan_.columns[static_cast<std::size_t>(index)];
    book::ChannelInfo info;
    info.name = c.name;
    info.kind = settings_.kind;
    info.encoding = book::Encoding::f8;
    info.time_base = base();
    info.input = "file";
    info.quantity = Quantity::voltage;
    info.unit = kuvio::info(info.quantity).unit;
    if (c.role == Role::current || is_drop(c)) make_current(info);
    info.lattice = book::Lattice{factor_of(c), 0, 1};
    return info;
  }

  void finish() {
    try {
      now_->finish(last_time_, last_row_step_);
    } catch (const std::invalid_argument& e) {
      lines_.complain(lines_.number(), e.what());
    }
    done_.push_back(now_->id());
    report_missing();
    now_.reset();
  }

  /// Without times one tick is half a sample period, else half a nanosecond.
  TimeBase base() const {
    if (plan_.time_column >= 0 && plan_.time_form != TimeForm::count) return kTicks;
    const double rate = *plan_.rate_hz;
    if (std::fabs(rate - std::round(rate)) < 1e-9 * rate) return {1, 2 * std::llround(rate)};
    return kTicks;
  }

  // --- rows --------------------------------------------------------------------------------------
  void read_rows(const std::stop_token& stop, const std::function<void(double)>& progress) {
    std::string_view line;
    std::int64_t read = 0;
    while (lines_.next(line)) {
      if (line.empty() || line.front() == '#') continue;
      if (lines_.number() < plan_.dialect.first_line) {
        before_samples(line);
        continue;
      }
      row(line);
      if (++read % kEvery != 0) continue;
      if (stop.stop_requested())
        throw Error(Failure::io, "cancelled", file_, "nothing of it was kept");
      if (progress) progress(lines_.share());
    }
  }

  /// What stands between titles and samples is no preamble: a row of another form is not passed by.
  void before_samples(std::string_view line) {
    const LogDialect& d = plan_.dialect;
    if (d.header_line == 0 || lines_.number() <= std::max(d.header_line, d.unit_line)) return;
    split_log_line(line, d.separator, cells_, plan_.columns.size());
    if (!holds_a_number()) return skip("it holds no numbers");
    row(line);
  }

  bool torn() {
    if (!lines_.torn()) return false;
    result_.warnings.push_back("the last line is incomplete and was skipped (line " +
                               std::to_string(lines_.number()) + ")");
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

  void row(std::string_view line) {
    split_log_line(line, plan_.dialect.separator, cells_, plan_.columns.size());
    if (cells_.size() != plan_.columns.size()) {
      if (torn()) return;
      if (!holds_a_number()) return skip("it holds no numbers");
      lines_.complain(lines_.number(), fmt::format("it has {} columns where the header has {}",
                                                   cells_.size(), plan_.columns.size()));
    }
    if (header_again()) return skip("the header again");
    std::int64_t time = 0;
    if (!read_time(time)) return;
    values_.clear();
    for (const int column : plan_.channels) {
      Value value;
      if (!read_value(static_cast<std::size_t>(column), value)) return;
      values_.push_back(value);
    }
    if (!in_order(time)) return;
    if (!now_) begin(first_cell_);
    store(time);
    if (raw_) counter_.take(*raw_);
    last_row_step_ = rows_ > 0 ? time - last_time_ : 0;
    if (rows_ == 0) first_time_ = time;
    last_time_ = time;
    ++rows_;
  }

  struct Value {
    Datum kind = Datum::number;
    double value = 0;
  };

  /// False where the line is to be left out, which has been noted.
  bool read_value(std::size_t column, Value& out) {
    const std::string_view cell = cells_[column];
    if (cell.empty()) {
      out.kind = Datum::not_a_number;
      return true;
    }
    if (const auto special = special_word(cell)) {
      out.kind = datum_of(*flag_of_value(*special));
      return true;
    }
    const Column& c = plan_.columns[column];
    const auto number = number_cell(cell, plan_.dialect.marks, room_);
    double plain = 0;
    if (number) {
      const char* end = number->plain.data() + number->plain.size();
      const auto [to, failed] = std::from_chars(number->plain.data(), end, plain);
      if (failed == std::errc{} && to == end) {
        if (const auto flag = flag_of_value(standard_value(plain))) {
          out.kind = datum_of(*flag);
          return true;
        }
        double factor = factor_of(c);
        if (!number->unit.empty()) {
          const Dimension d = c.role == Role::current ? Dimension::current : Dimension::voltage;
          const auto own = units_[column].factor(number->unit, c, d);
          if (!own) refuse_cell(column, fmt::format("is no {}", describe_role(c)));
          factor = is_drop(c) ? *own / *settings_.shunt_ohm : *own;
        } else if (plan_.unit_in_cell[column] && c.factor != 1 && plain != 0) {
          refuse_cell(column, "has no unit, where the others have one");
        }
        out.value = plain * factor;
        return true;
      }
    }
    if (torn()) return false;
    refuse_cell(column, "is not a number");
  }

  static std::string describe_role(const Column& c) {
    return c.role == Role::current ? "current" : "voltage";
  }

  [[noreturn]] void refuse_cell(std::size_t column, const std::string& why) {
    lines_.complain(lines_.number(),
                    fmt::format("\"{}\" in column \"{}\" {}", cells_[column].substr(0, 40),
                                plan_.columns[column].title, why));
  }

  /// A logger that began again may print its titles again.
  bool header_again() const {
    const auto& titles = plan_.dialect.titles;
    return titles.size() == cells_.size() &&
           std::equal(titles.begin(), titles.end(), cells_.begin());
  }

  void store(std::int64_t time) {
    try {
      for (std::size_t i = 0; i < values_.size(); ++i)
        now_->add(i, time, values_[i].kind, values_[i].value);
      if (!plan_.high) return;
      const auto place = [&](int column) {
        return values_[static_cast<std::size_t>(
            std::find(plan_.channels.begin(), plan_.channels.end(), column) -
            plan_.channels.begin())];
      };
      const Value a = place(*plan_.high), b = place(*plan_.low);
      if (a.kind == Datum::number && b.kind == Datum::number) {
        sum_high_ += a.value;
        sum_low_ += b.value;
      }
      now_->add(values_.size(), time, a.kind != Datum::number ? a.kind : b.kind,
                (a.value - b.value) / *settings_.shunt_ohm);
    } catch (const std::invalid_argument& e) {
      lines_.complain(lines_.number(), e.what());
    }
  }

  // --- time --------------------------------------------------------------------------------------
  bool read_time(std::int64_t& out) {
    if (plan_.time_column < 0) {
      out = counted(rows_);
      return true;
    }
    const auto column = static_cast<std::size_t>(plan_.time_column);
    const std::string_view cell = cells_[column];
    raw_.reset();
    const std::optional<std::int64_t> ns = moment_ns(cell, column);
    if (!ns) {
      if (torn()) return false;
      if (!holds_a_number()) {
        skip("it holds no numbers");
        return false;
      }
      lines_.complain(lines_.number(), "\"" + std::string(cell.substr(0, 40)) + "\" is not a time" +
                                           in_unit(column));
    }
    const bool far = *ns > 2 * kMostTicks || *ns < -2 * kMostTicks;
    if (!now_ && !far) begin_time(cell, *ns);
    const std::int64_t since = far ? 0 : *ns - zero_;
    if (far || std::abs(since) > kMostTicks / 2)
      lines_.complain(lines_.number(), "\"" + std::string(cell.substr(0, 40)) +
                                           "\" lies too far from the first time");
    out = plan_.time_form == TimeForm::count ? since : since * 2;
    return true;
  }

  /// In ns, from whatever its form counts from; of a counted sample in ticks.
  std::optional<std::int64_t> moment_ns(std::string_view cell, std::size_t column) {
    switch (plan_.time_form) {
      case TimeForm::number:
        return number_ns(cell, column);
      case TimeForm::count:
        return count_ticks(cell, column);
      case TimeForm::clock:
        return clock_of_day(cell);
      case TimeForm::calendar:
        return calendar_ns(cell);
    }
    return std::nullopt;
  }

  /// Since when its times are counted.
  void begin_time(std::string_view cell, std::int64_t ns) {
    first_cell_ = std::string(cell);
    const bool dated = plan_.date_column >= 0 && plan_.time_form == TimeForm::clock;
    if (dated)
      first_cell_ =
          std::string(cells_[static_cast<std::size_t>(plan_.date_column)]) + " " + first_cell_;
    const bool of_day = plan_.time_form == TimeForm::clock && (dated || ns > kLengthNs);
    const bool since_epoch = plan_.time_form == TimeForm::number && ns > kCalendarFrom;
    zero_ = plan_.time_form == TimeForm::calendar || of_day || since_epoch ? ns : 0;
  }

  std::string in_unit(std::size_t column) const {
    return plan_.time_form == TimeForm::number ? " in " + plan_.columns[column].unit : "";
  }

  /// The tick of the n-th sample.
  std::int64_t counted(std::int64_t n) const {
    const double ticks = base() == kTicks ? static_cast<double>(n) * 2e9 / *plan_.rate_hz
                                          : 2.0 * static_cast<double>(n);
    if (std::fabs(ticks) > static_cast<double>(kMostTicks) / 2)
      lines_.complain(lines_.number(), "at its rate its samples lie too far from the first");
    return base() == kTicks ? std::llround(ticks) : n * 2;
  }

  std::optional<std::int64_t> count_ticks(std::string_view cell, std::size_t column) {
    const auto ns = number_ns(cell, column);  // read as seconds
    constexpr std::int64_t kSecond = 1'000'000'000;
    if (!ns || *ns % kSecond != 0) return std::nullopt;
    return counted(*ns / kSecond);
  }

  std::optional<std::int64_t> number_ns(std::string_view cell, std::size_t column) {
    const auto number = number_cell(cell, plan_.dialect.marks, room_);
    if (!number || special_word(cell)) return std::nullopt;
    ExactFactor factor = plan_.time_form == TimeForm::count ? ExactFactor{} : plan_.time_factor;
    if (!number->unit.empty()) {
      const auto own = units_[column].factor(number->unit, plan_.columns[column], Dimension::time);
      if (!own) return std::nullopt;
      factor = exact_factor(*own);
    }
    std::string_view plain = number->plain;
    std::string through;
    std::int64_t raw = 0;
    const auto [end, failed] = std::from_chars(plain.data(), plain.data() + plain.size(), raw);
    if (failed == std::errc{} && end == plain.data() + plain.size()) {
      if (std::abs(raw) < kMostCount) raw_ = raw;
      if (raw_ && counter_.contradicts(raw))
        lines_.complain(lines_.number(),
                        fmt::format("{} is more than its counter could show that began again "
                                    "before: time went backwards there",
                                    raw));
      if (raw_ && (counter_.added() != 0 || counter_.wraps(raw))) {
        through = std::to_string(counter_.peek(raw));
        plain = through;
      }
    }
    return exact_decimal(plain, factor.exponent, kTimeExponent, factor.times);
  }

  /// A time of day goes on over midnight; a date of its own is part of it.
  std::optional<std::int64_t> clock_of_day(std::string_view cell) {
    const auto ns = clock_ns(cell);
    if (!ns) return std::nullopt;
    if (plan_.date_column >= 0) {
      const auto day = date_ns(cells_[static_cast<std::size_t>(plan_.date_column)]);
      return day ? std::optional(*day + *ns) : std::nullopt;
    }
    const bool back =
        now_ && zero_ != 0 && *ns + days_ * kDayNs - zero_ < last_time_ / 2 - kDayNs / 2;
    if (back) ++days_;
    return *ns + days_ * kDayNs;
  }

  /// Whether a row may follow the one before; one that begins again near zero begins a capture.
  bool in_order(std::int64_t time) {
    if (!now_ || time > last_time_) return true;
    if (time == last_time_) {
      if (standing_++ == 0) first_standing_ = lines_.number();
      return false;
    }
    const std::int64_t near = std::max(last_row_step_, std::abs(first_time_));
    const bool again = zero_ == 0 && rows_ >= 2 && std::abs(time) <= near &&
                       time - first_time_ < (last_time_ - first_time_) / 4;
    if (!again)
      lines_.complain(lines_.number(),
                      "time goes backwards here; split the file at this line and import the parts "
                      "separately");
    finish();
    result_.warnings.push_back(fmt::format(
        "its time begins again at line {}: what follows is a capture of its own", lines_.number()));
    counter_.restart();
    return true;
  }

  book::Book& book_;
  const std::string& file_;
  const ImportSettings& settings_;
  TextLines lines_;
  const LogPlan& plan_;
  bool even_;
  std::unique_ptr<CaptureImport> now_;
  std::vector<std::int64_t> done_;
  std::vector<std::string_view> cells_;
  std::vector<Value> values_;
  std::vector<CellUnit> units_;  // by column
  std::string room_, first_cell_;
  Unwrapped counter_;
  std::optional<std::int64_t> raw_;  // the whole number that the time was written as
  std::int64_t rows_ = 0, first_time_ = 0, last_time_ = 0, last_row_step_ = 0, days_ = 0;
  std::int64_t zero_ = 0;  // ns that its times count from
  std::int64_t standing_ = 0, first_standing_ = 0;
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
