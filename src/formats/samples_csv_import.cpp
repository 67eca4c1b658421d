// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/samples_csv_import.h"

#include "book/text.h"
#include "core/accuracy.h"
#include "core/error.h"
#include "core/flag_key.h"
#include "core/trimmed.h"
#include "formats/capture_intake.h"
#include "formats/samples_csv.h"
#include "formats/text_source.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <stdexcept>

namespace kuvio::formats {
namespace {

constexpr std::size_t kBatch = 65536, kMostColumns = 1000;

/// What stands before a mark, which is taken off with it.
std::string_view until(std::string_view& rest, std::string_view mark) {
  const auto at = rest.find(mark);
  const std::string_view out = rest.substr(0, at);
  rest = at == std::string_view::npos ? std::string_view{} : rest.substr(at + mark.size());
  return trimmed(out);
}

template <typename T>
T number(std::string_view text) {
  text = trimmed(text);
  T out{};
  const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), out);
  if (failed != std::errc{} || end != text.data() + text.size())
    throw std::invalid_argument(fmt::format("\"{}\" is no number", text.substr(0, 40)));
  return out;
}

/// "1/50000 s"
TimeBase span_of(std::string_view text) {
  const auto num = number<std::int64_t>(until(text, "/"));
  const auto den = number<std::int64_t>(until(text, "s"));
  if (num <= 0 || den <= 0) throw std::invalid_argument("that is no span of time");
  return {num, den};
}

class Reader {
public:
  Reader(book::Book& book, const std::string& file, const ImportSettings& settings,
         const std::stop_token& stop)
      : book_(book),
        settings_(settings),
        source_(file, stop),
        lines_(source_.path(), source_.at()) {
    spec_.name = settings.name;
    spec_.build = settings.build;
    spec_.importing = true;
  }

  ImportResult run(const std::stop_token& stop, const std::function<void(double)>& progress) {
    std::string_view line;
    ImportResult out;
    while (lines_.next(line)) {
      if (lines_.torn() && !line.starts_with('#')) {
        out.skipped.push_back({lines_.number(), "the last line is incomplete"});
        out.warnings.push_back(
            fmt::format("the last line is incomplete and was skipped (line {})", lines_.number()));
        break;
      }
      try {
        take(line);
      } catch (const std::invalid_argument& e) {
        lines_.complain(lines_.number(), e.what());
      }
      if (stop.stop_requested())
        throw Error(Failure::io, "cancelled", source_.path(), "nothing of it was kept");
      if (progress && rows_ % kBatch == 1) progress(lines_.share());
    }
    try {
      store();
      if (!intake_) throw std::invalid_argument("it holds no samples");
      out.capture = intake_->finish();
    } catch (const std::invalid_argument& e) {
      lines_.complain(std::max<std::int64_t>(1, lines_.number()), e.what());
    }
    out.captures = {out.capture};
    return out;
  }

private:
  void take(std::string_view line) {
    if (line.starts_with("# ")) return comment(line.substr(2));
    if (trimmed(line).empty() || line.starts_with('#')) return;
    if (!intake_) return begin();
    row(line);
  }

  void comment(std::string_view rest) {
    const std::string_view key = until(rest, ":");
    rest = trimmed(rest);
    if (key == "capture" && spec_.name.empty()) {
      spec_.name = rest;
    } else if (key == "build" && spec_.build.empty()) {
      spec_.build = rest;
    } else if (key == "condition") {
      const std::string_view name = until(rest, " = ");
      spec_.conditions[std::string(name)] = trimmed(rest);
    } else if (key == "samples") {
      if (rest != "averaged" && rest != "instant")
        throw std::invalid_argument("samples are instant or averaged");
      kind_ = rest == "averaged" ? SampleKind::averaged : SampleKind::instant;
    } else if (key == "tick") {
      base_ = span_of(rest);
    } else if (key.starts_with("channel ")) {
      channel(number<std::size_t>(key.substr(8)), rest);
    } else if (key.starts_with("flag ")) {
      flag(number<std::size_t>(key.substr(5)), rest);
    } else if (key == "block") {
      block(rest);
    }
  }

  void channel(std::size_t place, std::string_view rest) {
    if (place != channels_.size() + 1 || place > kMostColumns || intake_)
      throw std::invalid_argument("channels do not follow each other");
    book::ChannelInfo c;
    c.quantity = quantity_of(until(rest, ";"));
    c.unit = until(rest, ";");
    c.encoding = until(rest, ";") == "float32" ? book::Encoding::f4 : book::Encoding::f8;
    c.accuracy = until(rest, ";");
    c.name = trimmed(rest);
    c.input = "file";
    if (c.quantity != Quantity::other && c.unit != info(c.quantity).unit)
      throw std::invalid_argument(fmt::format("a {} comes in {}, not in \"{}\"",
                                              info(c.quantity).key, info(c.quantity).unit, c.unit));
    if (!c.accuracy.empty()) parse_accuracy(c.accuracy);
    channels_.push_back(std::move(c));
  }

  void flag(std::size_t place, std::string_view rest) {
    if (place < 1 || place > channels_.size()) throw std::invalid_argument("no such channel");
    const auto flag = flag_of_key(until(rest, ","));
    FlagRun run;
    run.from_s = number<double>(until(rest, " to "));
    run.to_s = number<double>(until(rest, " s,"));
    run.samples = number<std::int64_t>(until(rest, " samples"));
    if (!flag || !(run.to_s >= run.from_s) || run.samples < 0 || flags_.size() > 1'000'000)
      throw std::invalid_argument("a flag that makes no sense");
    run.flag = *flag;
    flags_.emplace_back(place - 1, run);
  }

  void block(std::string_view rest) {
    store();
    fresh_ = true;
    until(rest, rest.starts_with("every ") ? "every " : "up to ");
    if (trimmed(rest).find('/') == std::string_view::npos) {
      period_ = 0;
      end_ = tick(number<double>(until(rest, "s")));
      return;
    }
    const TimeBase every = span_of(rest);
    const long double period =
        static_cast<long double>(every.num) * base_.den / every.den / base_.num;
    if (!(period >= 1 && period < 1e15L) || std::fabs(period - std::round(period)) > 1e-9L * period)
      throw std::invalid_argument("its period is no number of ticks");
    period_ = static_cast<std::int64_t>(std::llround(period));
  }

  /// The line of titles: what follows is samples.
  void begin() {
    if (channels_.empty()) throw std::invalid_argument("it names no channels");
    for (const auto& [key, value] : settings_.conditions) spec_.conditions[key] = value;
    for (book::ChannelInfo& c : channels_) {
      c.kind = kind_;
      c.time_base = base_;
      if (c.accuracy.empty() && c.quantity == Quantity::current) c.accuracy = settings_.accuracy;
    }
    intake_.emplace(book_, spec_, channels_);
    for (const auto& [place, run] : flags_) intake_->flag(place, run);
    values_.resize(channels_.size());
  }

  std::int64_t tick(double seconds) const {
    const long double t = base_.ticks(seconds);
    if (!(std::fabs(t) < 4e18L)) throw std::invalid_argument("that is no time");
    return static_cast<std::int64_t>(std::llround(t));
  }

  void row(std::string_view line) {
    ticks_.push_back(tick(number<double>(until(line, ","))));
    for (std::vector<double>& column : values_) {
      if (line.empty()) throw std::invalid_argument("a cell is missing");
      column.push_back(number<double>(until(line, ",")));
    }
    if (!line.empty()) throw std::invalid_argument("it has more cells than channels");
    const std::size_t n = ticks_.size();
    const std::int64_t before = n > 1 ? ticks_[n - 2] : last_;
    const bool first = fresh_ && n == 1;
    if (!first && period_ > 0 && ticks_.back() - before != period_)
      throw std::invalid_argument("its time is not where the period of its block has it");
    if (!first && ticks_.back() <= before)
      throw std::invalid_argument("its time does not lie after the one before");
    ++rows_;
    if (n >= kBatch) store();
  }

  void store() {
    if (ticks_.empty()) return;
    for (std::size_t i = 0; i < values_.size(); ++i) {
      if (period_ > 0) {
        intake_->even(i, ticks_.front(), period_, values_[i]);
      } else {
        const std::int64_t least = ticks_.back() + (kind_ == SampleKind::averaged ? 1 : 0);
        intake_->timed(i, ticks_, values_[i], std::max(end_, least), fresh_);
      }
      values_[i].clear();
    }
    last_ = ticks_.back();
    fresh_ = false;
    ticks_.clear();
  }

  book::Book& book_;
  const ImportSettings& settings_;
  TextSource source_;
  TextLines lines_;
  book::CaptureSpec spec_;
  SampleKind kind_ = SampleKind::instant;
  TimeBase base_;
  std::vector<book::ChannelInfo> channels_;
  std::vector<std::pair<std::size_t, FlagRun>> flags_;
  std::optional<CaptureIntake> intake_;
  std::int64_t period_ = 0, end_ = 0, last_ = 0, rows_ = 0;
  bool fresh_ = true;
  std::vector<std::int64_t> ticks_;
  std::vector<std::vector<double>> values_;
};

}  // namespace

bool is_samples_csv(std::string_view head) { return head.starts_with(kSamplesCsv); }

ImportResult import_samples_csv(book::Book& book, const std::string& file,
                                const ImportSettings& settings, const std::stop_token& stop,
                                const std::function<void(double)>& progress) {
  return Reader(book, file, settings, stop).run(stop, progress);
}

}  // namespace kuvio::formats
