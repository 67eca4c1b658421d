// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/vcd_import.h"

#include "book/text.h"
#include "core/error.h"
#include "core/special_value.h"
#include "formats/capture_intake.h"
#include "formats/text_source.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <map>
#include <set>
#include <stdexcept>

namespace kuvio::formats {
namespace {

constexpr std::size_t kMostLines = 1000, kBatch = 65536, kMostWords = 4096;

/// Words of a dump, across lines.
class Words {
public:
  explicit Words(const TextSource& source) : lines_(source.path(), source.at()) {}

  bool next(std::string_view& word) {
    for (;;) {
      while (!rest_.empty() && std::strchr(" \t\r\v\f", rest_.front())) rest_.remove_prefix(1);
      if (!rest_.empty()) break;
      if (!lines_.next(rest_)) return false;
      if (lines_.torn()) torn_ = true;
    }
    const auto end = std::min(rest_.size(), rest_.find_first_of(" \t\r\v\f"));
    word = rest_.substr(0, end);
    rest_.remove_prefix(end);
    return true;
  }
  [[noreturn]] void complain(const std::string& why) const {
    lines_.complain(std::max<std::int64_t>(1, lines_.number()), why);
  }
  std::int64_t line() const { return lines_.number(); }
  double share() const { return lines_.share(); }
  /// The word given ends the file, without the end of a line: it may be cut.
  bool at_torn_end() const { return torn_ && rest_.empty(); }

private:
  TextLines lines_;
  std::string_view rest_;
  bool torn_ = false;
};

class Reader {
public:
  Reader(book::Book& book, const std::string& file, const ImportSettings& settings,
         const std::stop_token& stop)
      : book_(book), settings_(settings), source_(file, stop), words_(source_) {}

  ImportResult run(const std::stop_token& stop, const std::function<void(double)>& progress) {
    std::string_view word;
    std::int64_t told = 0;
    while (words_.next(word)) {
      try {
        if (!intake_)
          declaration(word);
        else if (!change(word))
          break;
      } catch (const std::invalid_argument& e) {
        words_.complain(e.what());
      }
      if (words_.line() - told < 4096) continue;
      told = words_.line();
      if (stop.stop_requested())
        throw Error(Failure::io, "cancelled", source_.path(), "nothing of it was kept");
      if (progress) progress(words_.share());
    }
    if (!intake_) words_.complain("it declares no variables");
    try {
      if (!timed_) throw std::invalid_argument("it holds no time and no value");
      for (Line& line : bits_) end_level(line, now_);
      for (std::size_t i = 0; i < bits_.size(); ++i) store(i);
      out_.capture = intake_->finish();
    } catch (const std::invalid_argument& e) {
      words_.complain(e.what());
    }
    out_.captures = {out_.capture};
    return std::move(out_);
  }

private:
  /// One line with what is not yet stored of it.
  struct Line {
    std::string name, scope;
    char level = 'x';
    std::int64_t since = 0;
    bool gap = true;  ///< before the level that holds
    std::vector<std::int64_t> ticks;
    std::vector<double> values;
    std::int64_t end = 0;
    bool gap_before_batch = true;
  };
  struct Variable {
    std::size_t first = 0, bits = 0;
  };

  std::string body() {
    std::string out;
    std::string_view word;
    for (std::size_t n = 0; words_.next(word); ++n) {
      if (word == "$end") return out;
      if (n > kMostWords) throw std::invalid_argument("a declaration without $end");
      out += (out.empty() ? "" : " ") + std::string(word);
    }
    throw std::invalid_argument("it ends within a declaration");
  }

  void declaration(std::string_view word) {
    const std::string kind(word);
    if (kind == "$enddefinitions") {
      body();
      return begin();
    }
    if (!kind.starts_with('$'))
      throw std::invalid_argument("\"" + kind.substr(0, 40) + "\" stands among its declarations");
    const std::string text = body();
    if (kind == "$timescale") {
      timescale(text);
    } else if (kind == "$scope") {
      const auto space = text.find(' ');
      scopes_.push_back(space == std::string::npos ? text : text.substr(space + 1));
    } else if (kind == "$upscope") {
      if (!scopes_.empty()) scopes_.pop_back();
    } else if (kind == "$var") {
      variable(text);
    } else if (kind == "$comment" && text.starts_with("kuvio: time 0 is ")) {
      double seconds = 0;
      std::from_chars(text.data() + 17, text.data() + text.size(), seconds);
      if (std::isfinite(seconds)) zero_s_ = seconds;
    }
  }

  void timescale(std::string text) {
    std::erase(text, ' ');
    int number = 0;
    const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), number);
    const std::string unit(static_cast<const char*>(end));
    static const std::map<std::string, std::int64_t> kUnits{{"s", 1},
                                                            {"ms", 1'000},
                                                            {"us", 1'000'000},
                                                            {"ns", 1'000'000'000},
                                                            {"ps", 1'000'000'000'000},
                                                            {"fs", 1'000'000'000'000'000}};
    const auto known = kUnits.find(unit);
    if (failed != std::errc{} || (number != 1 && number != 10 && number != 100) ||
        known == kUnits.end())
      throw std::invalid_argument("\"" + text.substr(0, 40) + "\" is no timescale such as 1 ns");
    base_ = {number, known->second};
    scaled_ = true;
  }

  /// "wire 8 # data [7:0]"
  void variable(const std::string& text) {
    std::vector<std::string> parts;
    for (std::size_t at = 0; at < text.size();) {
      const auto space = std::min(text.size(), text.find(' ', at));
      parts.push_back(text.substr(at, space - at));
      at = space + 1;
    }
    if (parts.size() < 4) throw std::invalid_argument("a $var needs kind, bits, letters and name");
    std::size_t bits = 0;
    const auto& width = parts[1];
    std::from_chars(width.data(), width.data() + width.size(), bits);
    const std::string& kind = parts[0];
    const bool logic = kind != "real" && kind != "realtime" && kind != "string" &&
                       kind != "event" && kind != "parameter";
    if (!logic) {
      out_.warnings.push_back(
          fmt::format("\"{}\" is {}, no logic line, and was left out", parts[3], kind));
      left_out_.insert(parts[2]);
      return;
    }
    if (bits < 1 || bits + bits_.size() > kMostLines)
      throw std::invalid_argument(
          fmt::format("it declares more than {} lines, or \"{}\" bits", kMostLines, width));
    if (variables_.count(parts[2])) return;  // another name of the same
    variables_[parts[2]] = {bits_.size(), bits};
    std::string scope;
    for (const std::string& s : scopes_) scope += s + ".";
    for (std::size_t bit = 0; bit < bits; ++bit) {
      Line& line = bits_.emplace_back();
      line.name = book::shortened(
          book::printable(bits == 1 ? parts[3] : fmt::format("{}[{}]", parts[3], bit)),
          book::kMostName / 2);
      line.scope = book::shortened(book::printable(scope), book::kMostName / 2);
    }
  }

  void begin() {
    if (bits_.empty()) throw std::invalid_argument("it declares no logic line");
    if (!scaled_)
      out_.guesses.push_back({"", "timescale", "ns", "", "it says none; a nanosecond is usual"});
    book::CaptureSpec spec{settings_.name, settings_.build, settings_.conditions, true};
    spec.conditions["file"] = source_.path().substr(source_.path().find_last_of('/') + 1);
    std::vector<book::ChannelInfo> channels;
    for (const Line& line : bits_) {
      const auto twice = std::count_if(bits_.begin(), bits_.end(),
                                       [&](const Line& l) { return l.name == line.name; });
      book::ChannelInfo c;
      c.name = twice > 1 ? line.scope + line.name : line.name;
      c.quantity = Quantity::logic;
      c.unit = info(Quantity::logic).unit;
      c.kind = SampleKind::averaged;  // a level holds until the next
      c.encoding = book::Encoding::f4;
      c.time_base = base_;
      c.input = "file";
      channels.push_back(std::move(c));
    }
    const long double zero = base_.ticks(zero_s_);
    if (!(std::fabs(zero) < 1e18L)) throw std::invalid_argument("its time zero makes no sense");
    zero_ = static_cast<std::int64_t>(std::llround(zero));
    intake_.emplace(book_, spec, channels);
  }

  /// False: the file ends here.
  bool change(std::string_view word) {
    if (word.front() == '#') return time(word.substr(1));
    if (word == "$comment") {
      body();
      return true;
    }
    if (word.front() == '$') return true;  // $dumpvars … $end: the values between count
    if (words_.at_torn_end()) return torn();
    if (!timed_) {
      timed_ = true;
      now_ = zero_;
    }
    if (std::strchr("01xXzZ", word.front())) {
      set(std::string(word.substr(1)), word.substr(0, 1));
    } else if (std::strchr("bBrRsS", word.front())) {
      const std::string value(word.substr(1));
      const bool bits = word.front() == 'b' || word.front() == 'B';
      std::string_view letters;
      if (!words_.next(letters) || words_.at_torn_end()) return torn();
      if (bits) set(std::string(letters), value);
    } else {
      throw std::invalid_argument("\"" + std::string(word.substr(0, 40)) +
                                  "\" is neither a time nor a value");
    }
    return true;
  }

  /// The last word may be cut: it is left out, and said so.
  bool torn() {
    out_.warnings.push_back("the last line is incomplete and was skipped");
    return false;
  }

  bool time(std::string_view digits) {
    std::int64_t t = 0;
    const auto [end, failed] = std::from_chars(digits.data(), digits.data() + digits.size(), t);
    if (failed != std::errc{} || end != digits.data() + digits.size() || t < 0 ||
        t > std::int64_t{1} << 61)
      throw std::invalid_argument("\"#" + std::string(digits.substr(0, 40)) + "\" is no time");
    if (words_.at_torn_end()) return torn();
    t += zero_;
    if (timed_ && t < now_) throw std::invalid_argument("time goes back here");
    now_ = t;
    timed_ = true;
    return true;
  }

  /// A variable's value from now on; a shorter one is filled up on its left (IEEE 1364, 18.2.1).
  void set(const std::string& letters, std::string_view value) {
    if (left_out_.count(letters)) return;
    const auto known = variables_.find(letters);
    if (known == variables_.end())
      throw std::invalid_argument("\"" + letters.substr(0, 40) + "\" was not declared");
    if (value.empty() || value.size() > known->second.bits)
      throw std::invalid_argument("a value of more bits than its variable has");
    const char fill = value.front() == '1' ? '0' : value.front();
    for (std::size_t bit = 0; bit < known->second.bits; ++bit) {
      const char raw = bit < value.size() ? value[value.size() - 1 - bit] : fill;
      const char level = static_cast<char>(std::tolower(static_cast<unsigned char>(raw)));
      if (!std::strchr("01xz", level)) throw std::invalid_argument("a bit that is none");
      turn(known->second.first + bit, level);
    }
  }

  void turn(std::size_t at, char level) {
    Line& line = bits_[at];
    if (level == line.level) return;
    end_level(line, now_);
    line.gap = line.level == 'x';
    line.level = level;
    line.since = now_;
    if (line.ticks.size() >= kBatch) store(at);
  }

  /// The level that held until now becomes a sample.
  void end_level(Line& line, std::int64_t until) {
    if (line.level == 'x' || until <= line.since) return;  // a level that held no time
    if (line.gap && !line.ticks.empty()) store_line(line);
    if (line.ticks.empty()) line.gap_before_batch = line.gap;
    line.ticks.push_back(line.since);
    line.values.push_back(line.level == 'z' ? kNotANumber : line.level == '1' ? 1 : 0);
    line.end = until;
  }

  void store(std::size_t at) { store_line(bits_[at]); }
  void store_line(Line& line) {
    if (line.ticks.empty()) return;
    const auto at = static_cast<std::size_t>(&line - bits_.data());
    intake_->timed(at, line.ticks, line.values, line.end, line.gap_before_batch);
    line.gap_before_batch = false;
    line.ticks.clear();
    line.values.clear();
  }

  book::Book& book_;
  const ImportSettings& settings_;
  TextSource source_;
  Words words_;
  ImportResult out_;
  TimeBase base_;
  bool scaled_ = false, timed_ = false;
  double zero_s_ = 0;
  std::int64_t zero_ = 0, now_ = 0;
  std::vector<std::string> scopes_;
  std::map<std::string, Variable> variables_;
  std::set<std::string> left_out_;
  std::vector<Line> bits_;
  std::optional<CaptureIntake> intake_;
};

}  // namespace

bool is_vcd(std::string_view head) {
  while (!head.empty() && std::strchr(" \t\r\n", head.front())) head.remove_prefix(1);
  for (const char* keyword : {"$date", "$version", "$timescale", "$comment", "$scope", "$var"}) {
    if (head.starts_with(keyword)) return true;
  }
  return false;
}

ImportResult import_vcd(book::Book& book, const std::string& file, const ImportSettings& settings,
                        const std::stop_token& stop, const std::function<void(double)>& progress) {
  return Reader(book, file, settings, stop).run(stop, progress);
}

}  // namespace kuvio::formats
