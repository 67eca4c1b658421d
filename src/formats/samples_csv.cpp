// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/samples_csv.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "book/text.h"
#include "core/measure.h"
#include "formats/output_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace kuvio::formats {
namespace {

constexpr std::int64_t kPiece = 16384;

bool same_moments(const Trace& a, const Trace& b) {
  const auto x = a.blocks(), y = b.blocks();
  if (!(a.time_base() == b.time_base()) || x.size() != y.size()) return false;
  for (std::size_t i = 0; i < x.size(); ++i) {
    if (x[i].start != y[i].start || x[i].period != y[i].period || x[i].count != y[i].count)
      return false;
    // Times of their own are only the same where they were written together; not worth a look.
    if (x[i].period == 0 && &a != &b) return false;
  }
  return true;
}

/// Decimals that distinguish ticks, at least as many as a microsecond has.
int decimals_of(const TimeBase& base) {
  int out = 6;
  double tick = base.tick_s() * 1e6;
  while (out < 12 && std::fabs(tick - std::round(tick)) > 1e-6) {
    tick *= 10;
    ++out;
  }
  return out;
}

/// A name as a cell: what would end it is written as an underscore.
std::string cell(const std::string& name, const std::string& unit) {
  std::string out = book::printable(unit.empty() ? name : name + "_" + unit);
  // A title from a book or an instrument must be no formula to a spreadsheet.
  if (!out.empty() && std::string_view("=+-@\t").find(out.front()) != std::string_view::npos)
    out.insert(out.begin(), '\'');
  for (char& c : out) {
    if (c == ',' || c == '"' || c == '\n') c = '_';
  }
  return out;
}

std::string gap_line(const Trace& trace, double a, double b) {
  std::string why;
  for (const FlagRun& run : trace.flags()) {
    if (run.to_s > a && run.from_s < b) why = fmt::format(", {}", describe(run.flag));
  }
  return fmt::format("# gap from {:.9g} to {:.9g} s{}\n", a, b, why);
}

}  // namespace

Exported write_samples_csv(const std::string& path, const std::vector<SampleColumn>& columns,
                           double from_s, double to_s,
                           const std::function<bool(double)>& going_on) {
  Exported out;
  std::vector<const Trace*> traces;
  std::vector<bool> floats;
  std::string head = "time_s";
  for (const SampleColumn& c : columns) {
    if (!traces.empty() && !same_moments(*traces.front(), *c.trace)) {
      out.left_out.push_back(c.name);
      continue;
    }
    traces.push_back(c.trace);
    floats.push_back(c.float32);
    out.columns.push_back(c.name);
    head += "," + cell(c.name, c.unit);
  }
  OutputFile file(path);
  file.write(head + "\n");
  if (!traces.empty()) {
    const Trace& first = *traces.front();
    const TimeBase base = first.time_base();
    const int decimals = decimals_of(base);
    std::vector<std::vector<double>> values(traces.size());
    std::string text;
    double last_end = 0;
    bool any = false;
    for (const Block& b : first.blocks()) {
      if (static_cast<long double>(b.end) < base.ticks(from_s) ||
          static_cast<long double>(b.start) > base.ticks(to_s))
        continue;
      if (any && base.seconds(b.start) > last_end)
        file.write(gap_line(first, last_end, base.seconds(b.start)));
      any = true;
      last_end = base.seconds(b.end);
      std::int64_t at = cell_at(first, b, base.ticks(from_s));
      if (base.seconds(tick_of(first, b, at)) < from_s) ++at;
      const std::int64_t end = cell_at(first, b, base.ticks(to_s)) + 1;
      while (at < end) {
        if (going_on && !going_on((base.seconds(tick_of(first, b, at)) - from_s) /
                                  std::max(1e-300, to_s - from_s)))
          return {};
        const auto n = static_cast<std::size_t>(std::min(kPiece, end - at));
        for (std::size_t c = 0; c < traces.size(); ++c) {
          values[c].resize(n);
          traces[c]->read(b, at, values[c]);
        }
        text.clear();
        for (std::size_t i = 0; i < n; ++i) {
          fmt::format_to(std::back_inserter(text), "{:.{}f}",
                         base.seconds(tick_of(first, b, at + static_cast<std::int64_t>(i))),
                         decimals);
          for (std::size_t c = 0; c < values.size(); ++c) {
            if (floats[c]) {
              fmt::format_to(std::back_inserter(text), ",{}", static_cast<float>(values[c][i]));
            } else {
              fmt::format_to(std::back_inserter(text), ",{}", values[c][i]);
            }
          }
          text += '\n';
        }
        file.write(text);
        out.rows += static_cast<std::int64_t>(n);
        at += static_cast<std::int64_t>(n);
      }
    }
  }
  file.commit();
  return out;
}

Exported export_csv(const std::string& path, const book::Book& book,
                    const book::CaptureInfo& capture, const ExportRequest& request) {
  std::vector<std::unique_ptr<book::ChannelTrace>> traces;
  std::vector<SampleColumn> columns;
  const auto add = [&](const book::ChannelInfo& c) {
    traces.push_back(std::make_unique<book::ChannelTrace>(book, c));
    columns.push_back({c.name, c.unit, traces.back().get(),
                       c.encoding == book::Encoding::f4 && c.calibration.identity()});
  };
  for (const std::string& name : request.channels)
    add(book::choose_channel(capture, name, book.path()));
  if (request.channels.empty()) {
    // The main current gives the moments; what stands on others is left out and reported.
    const book::ChannelInfo& main = book::main_current(capture, book.path());
    add(main);
    for (const book::ChannelInfo& c : capture.channels) {
      if (c.id != main.id && c.samples > 0) add(c);
    }
  }
  return write_samples_csv(path, columns, request.from_s.value_or(traces.front()->from_s()),
                           request.to_s.value_or(traces.front()->to_s()), request.going_on);
}

}  // namespace kuvio::formats
