// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/hdf5_export.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "core/error.h"
#include "core/event.h"
#include "core/flag_key.h"
#include "formats/hdf5_rows.h"
#include "formats/output_file.h"
#include "formats/trace_parts.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace kuvio::formats {
namespace {

using hdf5::EventRow;
using hdf5::FlagRow;
using hdf5::LogRow;
using hdf5::SegmentRow;

constexpr std::int64_t kPiece = 65536;

void put(H5::H5Object& at, const char* key, const std::string& text) {
  const H5::StrType type = hdf5::text_type();
  at.createAttribute(key, type, H5::DataSpace(H5S_SCALAR)).write(type, text);
}
void put(H5::H5Object& at, const char* key, double value) {
  at.createAttribute(key, H5::PredType::IEEE_F64LE, H5::DataSpace(H5S_SCALAR))
      .write(H5::PredType::NATIVE_DOUBLE, &value);
}
void put(H5::H5Object& at, const char* key, std::int64_t num, std::int64_t den) {
  const hsize_t two = 2;
  const std::array ratio{num, den};
  at.createAttribute(key, H5::PredType::STD_I64LE, H5::DataSpace(1, &two))
      .write(H5::PredType::NATIVE_INT64, ratio.data());
}

template <typename Row>
void put_table(H5::Group& at, const char* name, const std::vector<Row>& rows) {
  const hsize_t n = rows.size();
  const H5::CompType type = hdf5::type_of(static_cast<const Row*>(nullptr));
  H5::DataSet table = at.createDataSet(name, type, H5::DataSpace(1, &n));
  if (n > 0) table.write(rows.data(), type);
}

/// A one-dimensional dataset of known length that is written piece by piece.
class Column {
public:
  Column(H5::Group& at, const char* name, const H5::PredType& type, std::int64_t count)
      : set_(at.createDataSet(name, type, space(count), packed(count))) {}

  void write(const void* values, const H5::PredType& type, std::int64_t count) {
    const hsize_t n = static_cast<hsize_t>(count);
    H5::DataSpace file = set_.getSpace();
    file.selectHyperslab(H5S_SELECT_SET, &n, &at_);
    set_.write(values, type, H5::DataSpace(1, &n), file);
    at_ += n;
  }
  H5::DataSet& set() { return set_; }

private:
  static H5::DataSpace space(std::int64_t count) {
    const auto n = static_cast<hsize_t>(count);
    return H5::DataSpace(1, &n);
  }
  static H5::DSetCreatPropList packed(std::int64_t count) {
    H5::DSetCreatPropList out;
    if (count == 0) return out;
    const auto chunk = static_cast<hsize_t>(std::min(count, kPiece));
    out.setChunk(1, &chunk);
    out.setShuffle();
    out.setDeflate(1);
    return out;
  }
  H5::DataSet set_;
  hsize_t at_ = 0;
};

/// The part of a block that is written, as its reader puts it back.
SegmentRow segment_of(const Trace& trace, const TracePart& part, std::int64_t first) {
  const std::int64_t start = tick_of(trace, *part.block, part.at),
                     last = tick_of(trace, *part.block, part.at + part.count - 1),
                     next = tick_of(trace, *part.block, part.at + part.count);
  return {first, part.count, start, part.block->period,
          trace.kind() == SampleKind::averaged ? next : last};
}

class CaptureOut {
public:
  CaptureOut(H5::H5File& file, const book::Book& book, const book::CaptureInfo& capture,
             const ExportRequest& request)
      : book_(book), capture_(capture), request_(request) {
    H5::Group all = file.createGroup("/captures");
    group_ = all.createGroup(std::to_string(capture.id));
    put(group_, "name", capture.name);
    put(group_, "build", capture.build);
    put(group_, "started_utc", capture.started_utc);
    put(group_, "end_reason", capture.end_reason);
    H5::Group conditions = group_.createGroup("conditions");
    for (const auto& [key, value] : capture.conditions) put(conditions, key.c_str(), value);
    const auto inside = [&](double a, double b) {
      return b >= request.from_s.value_or(-1e300) && a <= request.to_s.value_or(1e300);
    };
    log_ = book.log(capture.id);
    std::vector<LogRow> lines;
    for (const book::LogLine& line : log_) {
      if (inside(line.time_s, line.time_s))
        lines.push_back(
            {line.time_s, line.sent ? std::uint8_t{1} : std::uint8_t{0}, line.text.c_str()});
    }
    put_table(group_, "log", lines);
    const std::vector<Event> events = book.events(capture.id);
    std::vector<EventRow> rows;
    for (const Event& e : events) {
      if (inside(e.earliest_s, e.latest_s))
        rows.push_back({info(e.kind).key.data(), e.earliest_s, e.latest_s, e.text.c_str()});
    }
    put_table(group_, "events", rows);
  }

  /// False: it was given up.
  bool channel(const book::ChannelInfo& c, double done, double share) {
    const book::ChannelTrace trace(book_, c);
    const double from = request_.from_s.value_or(trace.from_s()),
                 to = request_.to_s.value_or(trace.to_s());
    const std::vector<TracePart> parts = parts_within(trace, from, to);
    std::int64_t count = 0;
    std::vector<SegmentRow> segments;
    for (const TracePart& p : parts) {
      segments.push_back(segment_of(trace, p, count));
      count += p.count;
    }
    H5::Group at = group_.createGroup(free_name(c.name));
    const bool small = c.encoding == book::Encoding::f4 && c.calibration.identity();
    Column values(at, "values", small ? H5::PredType::IEEE_F32LE : H5::PredType::IEEE_F64LE, count);
    describe(at, c, trace, segments);
    describe(values.set(), c, trace, segments);
    put_table(at, "segments", segments);
    put_flags(at, trace, from, to);
    std::vector<double> buffer;
    const auto going_on = [&](std::int64_t written) {
      return !request_.going_on ||
             request_.going_on(done + share * static_cast<double>(written) /
                                          static_cast<double>(std::max<std::int64_t>(1, count)));
    };
    std::int64_t written = 0;
    if (!in_pieces(parts, kPiece, [&](const TracePart& p, std::int64_t first, std::int64_t n) {
          buffer.resize(static_cast<std::size_t>(n));
          trace.read(*p.block, first, buffer);
          values.write(buffer.data(), H5::PredType::NATIVE_DOUBLE, n);
          return going_on(written += n);
        }))
      return false;
    rows_ += count;
    return segments.size() == 1 && segments.front().period > 0 ? true
                                                               : put_times(at, trace, parts, count);
  }

  std::int64_t rows() const { return rows_; }

private:
  /// Times of a channel that a start and a period do not give.
  bool put_times(H5::Group& at, const Trace& trace, const std::vector<TracePart>& parts,
                 std::int64_t count) {
    Column times(at, "times_s", H5::PredType::IEEE_F64LE, count);
    std::vector<double> seconds;
    std::vector<std::int64_t> ticks;
    return in_pieces(parts, kPiece, [&](const TracePart& p, std::int64_t first, std::int64_t n) {
      ticks.resize(static_cast<std::size_t>(n));
      if (p.block->period == 0) trace.read_times(*p.block, first, ticks);
      seconds.resize(ticks.size());
      for (std::size_t i = 0; i < ticks.size(); ++i) {
        const std::int64_t tick =
            p.block->period == 0 ? ticks[i]
                                 : tick_of(trace, *p.block, first + static_cast<std::int64_t>(i));
        seconds[i] = trace.time_base().seconds(tick);
      }
      times.write(seconds.data(), H5::PredType::NATIVE_DOUBLE, n);
      return !request_.going_on || request_.going_on(1);
    });
  }

  void describe(H5::H5Object& at, const book::ChannelInfo& c, const Trace& trace,
                const std::vector<SegmentRow>& segments) const {
    const TimeBase base = trace.time_base();
    put(at, "name", c.name);
    put(at, "build", capture_.build);
    put(at, "quantity", std::string(info(c.quantity).key));
    put(at, "unit", c.unit);
    put(at, "kind", c.kind == SampleKind::averaged ? "averaged" : "instant");
    put(at, "accuracy", c.accuracy);
    put(at, "input", c.derived.empty() ? c.input : c.derived);
    put(at, "tick_s", base.num, base.den);
    if (segments.empty()) return;
    put(at, "start_s", base.seconds(segments.front().start));
    if (segments.size() == 1 && segments.front().period > 0)
      put(at, "period_s", base.num * segments.front().period, base.den);
  }

  static void put_flags(H5::Group& at, const Trace& trace, double from, double to) {
    std::vector<FlagRow> rows;
    for (const FlagRun& run : trace.flags()) {
      if (run.to_s <= from || run.from_s >= to) continue;
      rows.push_back({key_of(run.flag).data(), run.from_s, run.to_s, run.samples});
    }
    put_table(at, "flags", rows);
  }

  /// A channel's name as a link's: no slash, and not one that stands for something else.
  std::string free_name(std::string name) {
    std::replace(name.begin(), name.end(), '/', '_');
    if (name.empty() || name == "." || name == ".." || name == "log" || name == "events" ||
        name == "conditions")
      name += "_";
    while (std::find(names_.begin(), names_.end(), name) != names_.end()) name += "_";
    names_.push_back(name);
    return name;
  }

  const book::Book& book_;
  const book::CaptureInfo& capture_;
  const ExportRequest& request_;
  H5::Group group_;
  std::vector<book::LogLine> log_;
  std::vector<std::string> names_;
  std::int64_t rows_ = 0;
};

}  // namespace

Exported export_hdf5(const std::string& path, const book::Book& book,
                     const book::CaptureInfo& capture, const ExportRequest& request) {
  book::require_recorded(capture);
  std::vector<const book::ChannelInfo*> channels;
  for (const std::string& name : request.channels)
    channels.push_back(&book::choose_channel(capture, name, book.path()));
  if (request.channels.empty()) {
    for (const book::ChannelInfo& c : capture.channels) {
      if (c.sampled()) channels.push_back(&c);
    }
  }
  OutputFile target(path);
  Exported out;
  H5::Exception::dontPrint();
  try {
    H5::H5File file(target.half(), H5F_ACC_TRUNC);
    H5::Group root = file.openGroup("/");
    put(root, "kuvio", std::string("capture/1"));
    CaptureOut writer(file, book, capture, request);
    const double share = 1 / static_cast<double>(std::max<std::size_t>(1, channels.size()));
    for (std::size_t i = 0; i < channels.size(); ++i) {
      if (!writer.channel(*channels[i], static_cast<double>(i) * share, share)) return {};
      out.columns.push_back(channels[i]->name);
    }
    out.rows = writer.rows();
  } catch (const H5::Exception& e) {
    throw Error(Failure::cannot_create, "cannot write file", path, e.getDetailMsg());
  }
  target.commit();
  return out;
}

}  // namespace kuvio::formats
