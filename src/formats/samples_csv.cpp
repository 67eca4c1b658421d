// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/samples_csv.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "book/text.h"
#include "core/flag_key.h"
#include "formats/output_file.h"
#include "formats/trace_parts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

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

std::string one_line(std::string text) {
  std::replace(text.begin(), text.end(), '\n', ' ');
  return book::printable(text);
}

std::string exact(const TimeBase& base, std::int64_t ticks) {
  return fmt::format("{}/{} s", base.num * ticks, base.den);
}

std::string before_block(const Trace& trace, const TracePart& part) {
  const TimeBase base = trace.time_base();
  if (part.block->period > 0)
    return fmt::format("# block: every {}\n", exact(base, part.block->period));
  return fmt::format("# block: times of its own, up to {:.15g} s\n",
                     base.seconds(tick_of(trace, *part.block, part.at + part.count)));
}

/// What the columns hold and what is missing of them, for the reader (samples_csv_import.h).
std::string preamble(const std::vector<const SampleColumn*>& columns, double from_s, double to_s) {
  const Trace& first = *columns.front()->trace;
  std::string out = fmt::format("# samples: {}\n# tick: {}\n",
                                first.kind() == SampleKind::averaged ? "averaged" : "instant",
                                exact(first.time_base(), 1));
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const SampleColumn& c = *columns[i];
    out += fmt::format("# channel {}: {}; {}; {}; {}; {}\n", i + 1, info(c.quantity).key, c.unit,
                       c.float32 ? "float32" : "float64", one_line(c.accuracy), one_line(c.name));
    for (const FlagRun& run : c.trace->flags()) {
      if (run.to_s > from_s && run.from_s < to_s)
        out += fmt::format("# flag {}: {}, {:.15g} to {:.15g} s, {} samples\n", i + 1,
                           key_of(run.flag), run.from_s, run.to_s, run.samples);
    }
  }
  return out;
}

}  // namespace

Exported write_samples_csv(const std::string& path, const std::vector<SampleColumn>& columns,
                           double from_s, double to_s, const std::function<bool(double)>& going_on,
                           const std::string& described) {
  Exported out;
  std::vector<const SampleColumn*> taken;
  std::string head = "time_s";
  for (const SampleColumn& c : columns) {
    if (!taken.empty() && !same_moments(*taken.front()->trace, *c.trace)) {
      out.left_out.push_back(c.name);
      continue;
    }
    taken.push_back(&c);
    out.columns.push_back(c.name);
    head += "," + cell(c.name, c.unit);
  }
  OutputFile file(path);
  if (!described.empty() && !taken.empty()) file.write(described + preamble(taken, from_s, to_s));
  file.write(head + "\n");
  if (!taken.empty()) {
    const Trace& first = *taken.front()->trace;
    const TimeBase base = first.time_base();
    const int decimals = decimals_of(base);
    std::vector<std::vector<double>> values(taken.size());
    std::string text;
    const std::vector<TracePart> parts = parts_within(first, from_s, to_s);
    const TracePart* open = nullptr;
    const bool whole =
        in_pieces(parts, kPiece, [&](const TracePart& part, std::int64_t at, std::int64_t n) {
          text.clear();
          if (&part != open) {
            const double begins = base.seconds(part.block->start);
            if (open && begins > base.seconds(open->block->end))
              text += gap_line(first, base.seconds(open->block->end), begins);
            if (!described.empty()) text += before_block(first, part);
            open = &part;
          }
          for (std::size_t c = 0; c < taken.size(); ++c) {
            values[c].resize(static_cast<std::size_t>(n));
            taken[c]->trace->read(*part.block, at, values[c]);
          }
          for (std::int64_t i = 0; i < n; ++i) {
            fmt::format_to(std::back_inserter(text), "{:.{}f}",
                           base.seconds(tick_of(first, *part.block, at + i)), decimals);
            for (std::size_t c = 0; c < values.size(); ++c) {
              const double value = values[c][static_cast<std::size_t>(i)];
              if (taken[c]->float32) {
                fmt::format_to(std::back_inserter(text), ",{}", static_cast<float>(value));
              } else {
                fmt::format_to(std::back_inserter(text), ",{}", value);
              }
            }
            text += '\n';
          }
          file.write(text);
          out.rows += n;
          return !going_on ||
                 going_on((base.seconds(tick_of(first, *part.block, at + n)) - from_s) /
                          std::max(1e-300, to_s - from_s));
        });
    if (!whole) return {};
  }
  file.commit();
  return out;
}

Exported export_csv(const std::string& path, const book::Book& book,
                    const book::CaptureInfo& capture, const ExportRequest& request) {
  book::require_recorded(capture);
  std::vector<std::unique_ptr<book::ChannelTrace>> traces;
  std::vector<SampleColumn> columns;
  const auto add = [&](const book::ChannelInfo& c) {
    traces.push_back(std::make_unique<book::ChannelTrace>(book, c));
    columns.push_back({c.name, c.unit, traces.back().get(),
                       c.encoding == book::Encoding::f4 && c.calibration.identity(), c.quantity,
                       c.accuracy});
  };
  for (const std::string& name : request.channels)
    add(book::choose_channel(capture, name, book.path()));
  if (request.channels.empty()) {
    // The main current gives the moments; what stands on others is left out and reported.
    const book::ChannelInfo& main = book::shown_channel(capture, book.path());
    add(main);
    for (const book::ChannelInfo& c : capture.channels) {
      if (c.id != main.id && c.samples > 0) add(c);
    }
  }
  std::string described = fmt::format("{}\n# capture: {}\n# build: {}\n", kSamplesCsv,
                                      one_line(capture.name), one_line(capture.build));
  for (const auto& [key, value] : capture.conditions)
    described += fmt::format("# condition: {} = {}\n", one_line(key), one_line(value));
  return write_samples_csv(path, columns, request.from_s.value_or(traces.front()->from_s()),
                           request.to_s.value_or(traces.front()->to_s()), request.going_on,
                           described);
}

}  // namespace kuvio::formats
