// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/vcd_export.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "book/text.h"
#include "core/error.h"
#include "formats/output_file.h"
#include "formats/trace_parts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>

namespace kuvio::formats {
namespace {

constexpr std::int64_t kPiece = 65536;

/// A change of one line, in units of the timescale.
struct ValueChange {
  std::int64_t at = 0;
  std::size_t line = 0;
  char value = 'x';

  bool operator<(const ValueChange& other) const {
    return at != other.at ? at < other.at : line < other.line;
  }
};

/// Letters that stand for a line: printable, short.
std::string identifier(std::size_t line) {
  std::string out;
  do {
    out += static_cast<char>('!' + line % 94);
    line /= 94;
  } while (line-- > 0);
  return out;
}

/// A name as one word.
std::string word(const std::string& name) {
  std::string out = book::printable(name);
  for (char& c : out) {
    if (c == ' ' || c == '\t' || c == '$') c = '_';
  }
  return out.empty() ? "line" : out;
}

/// Seconds to units of a timescale of 10^-exponent seconds.
std::int64_t units(double seconds, int exponent) {
  return static_cast<std::int64_t>(
      std::llround(static_cast<long double>(seconds) * std::pow(10.0L, exponent)));
}

/// The coarsest timescale (its exponent: 3 for ms) in which ticks of a base stand where they are.
int exponent_of(const TimeBase& base) {
  for (const int exponent : {3, 6, 9}) {
    long double scale = std::pow(10.0L, exponent) * base.num / base.den;
    if (scale >= 1 && std::fabs(scale - std::round(scale)) < 1e-12L * scale) return exponent;
  }
  return 12;
}

const char* unit_of(int exponent) {
  return exponent == 3 ? "ms" : exponent == 6 ? "us" : exponent == 9 ? "ns" : "ps";
}

/// Changes of one line within a span, its gaps and flagged stretches among them.
void add_changes(const Trace& trace, std::size_t line, double from_s, double to_s, int exponent,
                 std::vector<ValueChange>& out) {
  char last = 'x';
  const auto change = [&](double seconds, char value) {
    if (value == last) return;
    last = value;
    const std::int64_t at = units(seconds, exponent);
    if (!out.empty() && out.back().line == line && out.back().at == at) {
      out.back().value = value;
    } else {
      out.push_back({at, line, value});
    }
  };
  const TimeBase base = trace.time_base();
  const auto gap = [&](double from, double to) {
    change(from, 'x');
    for (const FlagRun& run : trace.flags()) {
      if (run.to_s <= from || run.from_s >= to) continue;
      change(std::max(from, run.from_s), 'z');
      if (run.to_s < to) change(run.to_s, 'x');
    }
  };
  double covered = from_s;
  std::vector<double> values;
  for (const TracePart& part : parts_within(trace, from_s, to_s)) {
    const double begins = std::max(from_s, base.seconds(part.block->start));
    if (begins > covered) gap(covered, begins);
    std::int64_t at = part.at;
    // The level at the span's beginning is that of the sample before it.
    if (at > 0 && base.seconds(tick_of(trace, *part.block, at)) > begins) --at;
    for (const std::int64_t end = part.at + part.count; at < end;) {
      values.resize(static_cast<std::size_t>(std::min(kPiece, end - at)));
      trace.read(*part.block, at, values);
      for (std::size_t i = 0; i < values.size(); ++i, ++at)
        change(std::max(begins, base.seconds(tick_of(trace, *part.block, at))),
               values[i] > 0.5 ? '1' : '0');
    }
    covered = std::min(to_s, base.seconds(part.block->end));
  }
  gap(covered, std::numeric_limits<double>::infinity());
}

}  // namespace

Exported export_vcd(const std::string& path, const book::Book& book,
                    const book::CaptureInfo& capture, const ExportRequest& request) {
  book::require_recorded(capture);
  std::vector<const book::ChannelInfo*> lines;
  for (const book::ChannelInfo& c : capture.channels) {
    const bool meant = request.channels.empty() ||
                       std::find(request.channels.begin(), request.channels.end(), c.name) !=
                           request.channels.end();
    if (meant && c.quantity == Quantity::logic) lines.push_back(&c);
  }
  if (lines.empty())
    throw Error(Failure::bad_data, "no logic lines", "capture " + capture.name,
                "a value change dump holds logic lines alone; write csv or hdf5");
  Exported out;
  std::vector<std::unique_ptr<book::ChannelTrace>> traces;
  int exponent = 3;
  double from = 1e300, to = -1e300;
  for (const book::ChannelInfo* c : lines) {
    traces.push_back(std::make_unique<book::ChannelTrace>(book, *c));
    exponent = std::max(exponent, exponent_of(traces.back()->time_base()));
    from = std::min(from, traces.back()->from_s());
    to = std::max(to, traces.back()->to_s());
    out.columns.push_back(c->name);
  }
  from = request.from_s.value_or(from);
  to = request.to_s.value_or(to);
  std::vector<ValueChange> changes;
  for (std::size_t i = 0; i < traces.size(); ++i) {
    add_changes(*traces[i], i, from, to, exponent, changes);
    if (request.going_on &&
        !request.going_on(static_cast<double>(i + 1) / static_cast<double>(traces.size() + 1)))
      return {};
  }
  std::sort(changes.begin(), changes.end());

  // Time zero is the capture's own where that can be: dumps know no times below zero.
  const std::int64_t shift = std::min<std::int64_t>(0, units(from, exponent));
  OutputFile file(path);
  std::string text =
      fmt::format("$comment kuvio: {} {}\n$end\n", word(capture.name), word(capture.build));
  if (shift < 0)
    text += fmt::format(
        "$comment kuvio: time 0 is {:.15g} s\n$end\n",
        static_cast<double>(static_cast<long double>(shift) / std::pow(10.0L, exponent)));
  text += fmt::format("$timescale 1 {} $end\n$scope module capture $end\n", unit_of(exponent));
  for (std::size_t i = 0; i < lines.size(); ++i)
    text += fmt::format("$var wire 1 {} {} $end\n", identifier(i), word(lines[i]->name));
  text += "$upscope $end\n$enddefinitions $end\n";
  text += fmt::format("#{}\n$dumpvars\n", units(from, exponent) - shift);
  std::vector<char> first(lines.size(), 'x');
  std::size_t at = 0;
  for (; at < changes.size() && changes[at].at <= units(from, exponent); ++at)
    first[changes[at].line] = changes[at].value;
  for (std::size_t i = 0; i < lines.size(); ++i)
    text += fmt::format("{}{}\n", first[i], identifier(i));
  text += "$end\n";
  std::int64_t time = units(from, exponent);
  for (; at < changes.size(); ++at) {
    if (changes[at].at != time) text += fmt::format("#{}\n", changes[at].at - shift);
    time = changes[at].at;
    text += fmt::format("{}{}\n", changes[at].value, identifier(changes[at].line));
    ++out.rows;
    if (text.size() > (1 << 20)) {
      file.write(text);
      text.clear();
    }
  }
  if (time < units(to, exponent)) text += fmt::format("#{}\n", units(to, exponent) - shift);
  file.write(text);
  file.commit();
  return out;
}

}  // namespace kuvio::formats
