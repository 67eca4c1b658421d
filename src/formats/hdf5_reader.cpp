// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/hdf5_reader.h"

#include "core/time_base.h"
#include "formats/hdf5_rows.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <utility>
#include <vector>

namespace kuvio::formats {
namespace {

using hdf5::EventRow;
using hdf5::FlagRow;
using hdf5::LogRow;
using hdf5::SegmentRow;
using nlohmann::json;

constexpr std::int64_t kPiece = 65536;
constexpr hsize_t kMostRows = 20'000'000, kMostLinks = 10'000;
constexpr std::int64_t kFurthest = std::int64_t{1} << 61;

/// What is wrong, and where in the file.
struct Trouble {
  std::string where, why;
};

bool has(const H5::H5Object& at, const char* key) { return at.attrExists(key); }

/// A text attribute, whatever its length is said to be; "" where there is none.
std::string text_of(const H5::H5Object& at, const char* key) {
  if (!has(at, key)) return {};
  const H5::Attribute attribute = at.openAttribute(key);
  if (attribute.getTypeClass() != H5T_STRING || attribute.getSpace().getSimpleExtentNpoints() != 1)
    return {};
  std::string out;
  attribute.read(attribute.getStrType(), out);
  out.resize(std::min<std::size_t>(out.find('\0'), std::min<std::size_t>(out.size(), 65536)));
  return out;
}

/// One or two numbers of an attribute; none where it has no numbers.
std::vector<double> reals_of(const H5::H5Object& at, const char* key) {
  if (!has(at, key)) return {};
  const H5::Attribute attribute = at.openAttribute(key);
  const auto n = attribute.getSpace().getSimpleExtentNpoints();
  const H5T_class_t kind = attribute.getTypeClass();
  if ((kind != H5T_INTEGER && kind != H5T_FLOAT) || n < 1 || n > 2) return {};
  std::vector<double> out(static_cast<std::size_t>(n));
  attribute.read(H5::PredType::NATIVE_DOUBLE, out.data());
  return out;
}
std::optional<std::array<std::int64_t, 2>> ratio_of(const H5::H5Object& at, const char* key) {
  if (!has(at, key)) return std::nullopt;
  const H5::Attribute attribute = at.openAttribute(key);
  if (attribute.getTypeClass() != H5T_INTEGER || attribute.getSpace().getSimpleExtentNpoints() != 2)
    return std::nullopt;
  std::array<std::int64_t, 2> out{};
  attribute.read(H5::PredType::NATIVE_INT64, out.data());
  return out;
}

/// The simplest ratio that is this double: the first convergent of its continued fraction that
/// rounds to it. 1/48000 as a double becomes 1/48000 again.
TimeBase simplest(double seconds) {
  std::int64_t num = 1, den = 0, last_num = 0, last_den = 1;
  long double rest = seconds;
  for (int i = 0; i < 40; ++i) {
    const long double whole = std::floor(rest);
    if (whole * num + last_num > 1e15L || whole * den + last_den > 1e15L) break;
    const auto n = static_cast<std::int64_t>(whole);
    last_num = std::exchange(num, n * num + last_num);
    last_den = std::exchange(den, n * den + last_den);
    if (num > 0 && static_cast<double>(static_cast<long double>(num) / den) == seconds)
      return {num, den};
    if (rest == whole) break;
    rest = 1 / (rest - whole);
  }
  return nearest_time_base(seconds);
}

/// A span of time as a ratio: two whole numbers, one number, or "1/48000".
std::optional<TimeBase> exact_seconds(const H5::H5Object& at, const char* key,
                                      const std::string& where) {
  if (!has(at, key)) return std::nullopt;
  if (const auto ratio = ratio_of(at, key)) {
    if ((*ratio)[0] > 0 && (*ratio)[1] > 0) return TimeBase{(*ratio)[0], (*ratio)[1]};
  } else if (const auto reals = reals_of(at, key);
             reals.size() == 1 && reals[0] > 1e-15 && reals[0] < 1e9) {
    return simplest(reals[0]);
  } else if (const std::string text = text_of(at, key); !text.empty()) {
    const auto slash = text.find('/');
    TimeBase out{0, 1};
    const char* end = text.data() + text.size();
    const auto a = std::from_chars(text.data(), end, out.num);
    const auto b =
        slash == std::string::npos ? a : std::from_chars(text.data() + slash + 1, end, out.den);
    if (a.ec == std::errc{} && b.ec == std::errc{} && out.num > 0 && out.den > 0) return out;
  }
  throw Trouble{where, fmt::format("its {} is no span of time", key)};
}

template <typename Row, typename Take>
void each_row(const H5::Group& at, const char* name, const std::string& where, const Take& take) {
  if (!at.nameExists(name) || at.childObjType(name) != H5O_TYPE_DATASET) return;
  const H5::DataSet set = at.openDataSet(name);
  const H5::DataSpace space = set.getSpace();
  if (set.getTypeClass() != H5T_COMPOUND || space.getSimpleExtentNdims() != 1)
    throw Trouble{where + "/" + name, "it is no table"};
  const auto n = static_cast<hsize_t>(space.getSimpleExtentNpoints());
  if (n > kMostRows) throw Trouble{where + "/" + name, fmt::format("it has {} rows", n)};
  const H5::CompType type = hdf5::type_of(static_cast<const Row*>(nullptr));
  std::vector<Row> rows;
  for (hsize_t first = 0; first < n;) {
    const hsize_t count = std::min<hsize_t>(4096, n - first);
    rows.assign(count, {});
    H5::DataSpace file = set.getSpace();
    file.selectHyperslab(H5S_SELECT_SET, &count, &first);
    const H5::DataSpace memory(1, &count);
    set.read(rows.data(), type, memory, file);
    for (const Row& row : rows) take(row);
    H5::DataSet::vlenReclaim(rows.data(), type, memory);
    first += count;
  }
}

std::string or_empty(const char* text) { return text ? std::string(text).substr(0, 4096) : ""; }

/// Numbers of a one-dimensional dataset.
class Numbers {
public:
  Numbers(const H5::Group& at, const char* name, const std::string& where)
      : set_(at.openDataSet(name)) {
    const H5::DataSpace space = set_.getSpace();
    const H5T_class_t kind = set_.getTypeClass();
    if ((kind != H5T_INTEGER && kind != H5T_FLOAT) || space.getSimpleExtentNdims() != 1)
      throw Trouble{where + "/" + name, "it is no row of numbers"};
    count = space.getSimpleExtentNpoints();
    float32 = kind == H5T_FLOAT && set_.getFloatType().getSize() <= 4;
  }
  void read(std::int64_t first, std::vector<double>& out) const {
    const auto at = static_cast<hsize_t>(first), n = static_cast<hsize_t>(out.size());
    H5::DataSpace file = set_.getSpace();
    file.selectHyperslab(H5S_SELECT_SET, &n, &at);
    set_.read(out.data(), H5::PredType::NATIVE_DOUBLE, H5::DataSpace(1, &n), file);
  }
  const H5::DataSet& set() const { return set_; }

  std::int64_t count = 0;
  bool float32 = false;

private:
  H5::DataSet set_;
};

/// A channel as the file has it.
struct Channel {
  std::string where;
  H5::Group group;
  TimeBase base;
  bool averaged = false;
  std::vector<SegmentRow> segments;  ///< none: times of their own, of which nothing more is known
};

class FileReader {
public:
  FileReader(const std::string& file, const std::function<void(std::string_view)>& write)
      : file_(file, H5F_ACC_RDONLY), write_(write) {}

  int captures() {
    if (!file_.nameExists("captures") || file_.childObjType("captures") != H5O_TYPE_GROUP)
      throw Trouble{"/captures", "there is no such group"};
    const H5::Group all = file_.openGroup("captures");
    int found = 0;
    for (hsize_t i = 0; i < std::min(all.getNumObjs(), kMostLinks); ++i) {
      const std::string name = all.getObjnameByIdx(i);
      if (all.childObjType(name) != H5O_TYPE_GROUP) continue;
      found += capture(all.openGroup(name), "/captures/" + name, name) ? 1 : 0;
    }
    if (found == 0) throw Trouble{"/captures", "no capture there has a channel with values"};
    return found;
  }

private:
  void say(const json& message) {
    write_(message.dump(-1, ' ', false, json::error_handler_t::replace) + "\n");
  }
  template <typename T>
  void raw(const std::vector<T>& values) {
    write_({reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T)});
  }

  bool capture(const H5::Group& group, const std::string& where, const std::string& link) {
    std::vector<Channel> channels;
    json described = json::array();
    std::int64_t samples = 0;
    for (hsize_t i = 0; i < std::min(group.getNumObjs(), kMostLinks); ++i) {
      const std::string name = group.getObjnameByIdx(i);
      if (group.childObjType(name) != H5O_TYPE_GROUP) continue;
      const H5::Group at = group.openGroup(name);
      if (!at.nameExists("values") || at.childObjType("values") != H5O_TYPE_DATASET) continue;
      described.push_back(describe(at, where + "/" + name, name, channels, samples));
    }
    if (channels.empty()) return false;
    const std::string named = text_of(group, "name");
    say({{"capture",
          {{"name", named.empty() ? link : named},
           {"build", text_of(group, "build")},
           {"conditions", conditions(group)},
           {"channels", described},
           {"samples", samples}}}});
    for (std::size_t i = 0; i < channels.size(); ++i) {
      each_row<FlagRow>(channels[i].group, "flags", channels[i].where, [&](const FlagRow& row) {
        say({{"flag",
              {{"channel", i},
               {"flag", or_empty(row.flag)},
               {"from_s", row.from_s},
               {"to_s", row.to_s},
               {"samples", row.samples}}}});
      });
      send_samples(i, channels[i]);
    }
    each_row<LogRow>(group, "log", where, [&](const LogRow& row) {
      say({{"log",
            {{"time_s", row.time_s}, {"sent", row.sent != 0}, {"text", or_empty(row.text)}}}});
    });
    each_row<EventRow>(group, "events", where, [&](const EventRow& row) {
      say({{"event",
            {{"kind", or_empty(row.kind)},
             {"earliest_s", row.earliest_s},
             {"latest_s", row.latest_s},
             {"text", or_empty(row.text)}}}});
    });
    say({{"end", true}});
    return true;
  }

  static json conditions(const H5::Group& group) {
    json out = json::object();
    if (!group.nameExists("conditions") || group.childObjType("conditions") != H5O_TYPE_GROUP)
      return out;
    const H5::Group at = group.openGroup("conditions");
    const int n = std::min(at.getNumAttrs(), 1000);
    for (int i = 0; i < n; ++i) {
      const std::string key = at.openAttribute(static_cast<unsigned>(i)).getName();
      if (const std::string value = text_of(at, key.c_str()); !value.empty()) out[key] = value;
    }
    return out;
  }

  json describe(const H5::Group& at, const std::string& where, const std::string& link,
                std::vector<Channel>& channels, std::int64_t& samples) {
    const Numbers values(at, "values", where);
    // An attribute may stand at the values as well as at their group.
    const auto text = [&](const char* key) {
      const std::string own = text_of(at, key);
      return own.empty() ? text_of(values.set(), key) : own;
    };
    Channel c{where, at, {}, text("kind") == "averaged", {}};
    const std::string kind = text("kind");
    if (!kind.empty() && kind != "averaged" && kind != "instant")
      throw Trouble{where, "its kind is \"" + kind + "\", neither instant nor averaged"};
    place(c, values);
    samples += values.count;
    json out{{"name", text("name").empty() ? link : text("name")},
             {"quantity", text("quantity")},
             {"unit", text("unit")},
             {"kind", c.averaged ? "averaged" : "instant"},
             {"accuracy", text("accuracy")},
             {"input", text("input")},
             {"float32", values.float32},
             {"tick", {c.base.num, c.base.den}}};
    channels.push_back(std::move(c));
    return out;
  }

  /// Where a channel's samples stand: by its segments, by a start and a period, or by their times.
  static void place(Channel& c, const Numbers& values) {
    const H5::H5Object& by = has(c.group, "period_s") || has(c.group, "tick_s")
                                 ? static_cast<const H5::H5Object&>(c.group)
                                 : values.set();
    const auto tick = exact_seconds(by, "tick_s", c.where);
    if (tick) {
      c.base = *tick;
      each_row<SegmentRow>(c.group, "segments", c.where,
                           [&](const SegmentRow& row) { c.segments.push_back(row); });
      if (values.count > 0 && !c.segments.empty()) return require_whole(c, values.count);
    }
    const auto period = exact_seconds(by, "period_s", c.where);
    if (!period) {
      if (values.count > 0 && !c.group.nameExists("times_s"))
        throw Trouble{c.where, "it has neither a period_s nor times_s"};
      if (!tick) c.base = TimeBase{};
      return;
    }
    const auto start = reals_of(by, "start_s");
    const double start_s = start.empty() ? 0 : start.size() == 2 ? start[0] / start[1] : start[0];
    if (!std::isfinite(start_s)) throw Trouble{c.where, "its start_s is no time"};
    // Ticks so fine that the start stands on one.
    std::int64_t fine = 1;
    const auto off = [&](std::int64_t f) {
      const long double t = static_cast<long double>(start_s) * period->den * f / period->num;
      return std::fabs(t - std::round(t));
    };
    while (off(fine) > 1e-6L * static_cast<long double>(fine) && fine < 1'000'000 &&
           period->den < kFurthest / 10 / fine)
      fine *= 10;
    c.base = {period->num, period->den * fine};
    const long double first =
        std::round(static_cast<long double>(start_s) * c.base.den / c.base.num);
    if (std::fabs(first) > static_cast<long double>(kFurthest) || values.count > kFurthest / fine)
      throw Trouble{c.where, "its times are beyond all reason"};
    const auto begin = static_cast<std::int64_t>(first);
    if (values.count > 0)
      c.segments = {{0, values.count, begin, fine, begin + values.count * fine}};
  }

  static void require_whole(const Channel& c, std::int64_t count) {
    std::int64_t at = 0;
    for (const SegmentRow& s : c.segments) {
      const bool sound = s.first == at && s.count > 0 && s.count <= count - at && s.period >= 0 &&
                         std::abs(s.start) < kFurthest && std::abs(s.end) < kFurthest;
      if (!sound) throw Trouble{c.where + "/segments", "they do not go with its values"};
      at += s.count;
    }
    if (at != count) throw Trouble{c.where + "/segments", "they do not hold all values"};
  }

  void send_samples(std::size_t index, const Channel& c) {
    const Numbers values(c.group, "values", c.where);
    if (values.count == 0) return;
    std::optional<Numbers> times;
    if (c.group.nameExists("times_s") && c.group.childObjType("times_s") == H5O_TYPE_DATASET) {
      times.emplace(c.group, "times_s", c.where);
      if (times->count != values.count)
        throw Trouble{c.where + "/times_s",
                      fmt::format("{} times for {} values", times->count, values.count)};
    }
    std::vector<double> buffer;
    for (const SegmentRow& s : c.segments) {
      if (s.period == 0) {
        if (!times) throw Trouble{c.where, "samples with times of their own, and no times_s"};
        send_timed(index, c, values, *times, s);
        continue;
      }
      for (std::int64_t at = 0; at < s.count; at += kPiece) {
        buffer.resize(static_cast<std::size_t>(std::min(kPiece, s.count - at)));
        values.read(s.first + at, buffer);
        say({{"even",
              {{"channel", index},
               {"start", s.start + at * s.period},
               {"period", s.period},
               {"count", buffer.size()}}},
             {"bytes", buffer.size() * sizeof(double)}});
        raw(buffer);
      }
    }
    if (c.segments.empty()) send_found(index, c, values, *times);
  }

  std::int64_t tick_of(const Channel& c, double seconds) const {
    const long double t = c.base.ticks(seconds);
    if (!(std::fabs(t) < static_cast<long double>(kFurthest)))
      throw Trouble{c.where + "/times_s", "a time is none"};
    return static_cast<std::int64_t>(std::llround(t));
  }

  /// A segment whose samples have times of their own.
  void send_timed(std::size_t index, const Channel& c, const Numbers& values, const Numbers& times,
                  const SegmentRow& s) {
    std::vector<double> seconds, next(1);
    for (std::int64_t at = 0; at < s.count; at += kPiece) {
      const std::int64_t n = std::min(kPiece, s.count - at);
      std::int64_t end = s.end;
      if (at + n < s.count) {
        times.read(s.first + at + n, next);
        end = tick_of(c, next[0]);
      }
      seconds.resize(static_cast<std::size_t>(n));
      times.read(s.first + at, seconds);
      std::vector<std::int64_t> ticks;
      for (const double t : seconds) ticks.push_back(tick_of(c, t));
      send(index, ticks, values, s.first + at, std::max(end, ticks.back() + (c.averaged ? 1 : 0)),
           at == 0);
    }
  }

  void send(std::size_t index, const std::vector<std::int64_t>& ticks, const Numbers& values,
            std::int64_t first, std::int64_t end, bool gap) {
    std::vector<double> buffer(ticks.size());
    values.read(first, buffer);
    say({{"timed", {{"channel", index}, {"count", buffer.size()}, {"end", end}, {"gap", gap}}},
         {"bytes", buffer.size() * 16}});
    raw(ticks);
    raw(buffer);
  }

  /// Times of which nothing is said: a step of more than ten times the longest before it is a gap.
  void send_found(std::size_t index, const Channel& c, const Numbers& values,
                  const Numbers& times) {
    std::vector<double> seconds;
    std::int64_t last = 0, longest = 0, step = 1;
    bool any = false;
    for (std::int64_t at = 0; at < values.count; at += kPiece) {
      seconds.resize(static_cast<std::size_t>(std::min(kPiece, values.count - at)));
      times.read(at, seconds);
      std::vector<std::int64_t> run;
      std::int64_t first = at;
      bool gap = !any;
      for (std::size_t i = 0; i < seconds.size(); ++i) {
        const std::int64_t t = tick_of(c, seconds[i]);
        if (any && t <= last)
          throw Trouble{c.where + "/times_s",
                        fmt::format("time goes back at {}", at + static_cast<std::int64_t>(i))};
        if (any && longest > 0 && (t - last) / 10 > longest) {
          if (!run.empty()) send(index, run, values, first, last + step, gap);
          first += static_cast<std::int64_t>(run.size());
          run.clear();
          gap = true;
        } else if (any) {
          step = t - last;
          longest = std::max(longest, step);
        }
        run.push_back(t);
        last = t;
        any = true;
      }
      send(index, run, values, first, last + step, gap);
    }
  }

  H5::H5File file_;
  const std::function<void(std::string_view)>& write_;
};

}  // namespace

void read_hdf5(const std::string& file, const std::function<void(std::string_view)>& write) {
  H5::Exception::dontPrint();
  json last;
  try {
    last = {{"done", FileReader(file, write).captures()}};
  } catch (const Trouble& t) {
    last = {{"failed", {{"where", t.where}, {"why", t.why}}}};
  } catch (const H5::Exception& e) {
    last = {{"failed", {{"where", ""}, {"why", "it cannot be read as HDF5: " + e.getDetailMsg()}}}};
  } catch (const std::exception& e) {
    last = {{"failed", {{"where", ""}, {"why", e.what()}}}};
  }
  write(last.dump(-1, ' ', false, json::error_handler_t::replace) + "\n");
}

}  // namespace kuvio::formats
