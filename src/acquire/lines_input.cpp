// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/lines_input.h"

#include "acquire/wait_clock.h"
#include "book/text.h"
#include "core/error.h"
#include "core/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace kuvio::acquire {
namespace {

using std::chrono::milliseconds;
constexpr double kFirst = 10;  // s to wait for the first reading
constexpr std::size_t kLongestLine = 4096, kRing = 1 << 20, kPacket = 4096, kRemembered = 31;
constexpr std::int64_t kReported = 20;  // lines that are no readings, reported one by one
constexpr double kOdd = 10;             // steps of the usual length: more must be confirmed

LineReader reader_for(const Endpoint& endpoint) {
  try {
    const std::string said = endpoint.option("columns");
    const std::string mark = endpoint.option("decimal");
    if (!mark.empty() && mark != "comma" && mark != "point")
      throw std::invalid_argument("decimal is comma or point");
    const auto decimal = mark.empty() ? std::nullopt : std::optional(mark == "comma" ? ',' : '.');
    return LineReader(said.empty() ? endpoint.option("header") : said, said.empty(), decimal);
  } catch (const std::invalid_argument& e) {
    throw Error(Failure::usage, "bad input address", endpoint.text, e.what());
  }
}

}  // namespace

LinesInput::LinesInput(const Endpoint& endpoint, const InputSettings& settings)
    : Input(endpoint, kRing),
      settings_(settings),
      link_(open_link(endpoint)),
      reader_(reader_for(endpoint)) {
  identity_ = "lines of " + (endpoint.path.empty() ? endpoint.host : endpoint.path);
  const std::string samples = endpoint.option("samples", "instant");
  if (samples != "instant" && samples != "averaged")
    throw Error(Failure::usage, "bad input address", endpoint.text,
                "samples is instant or averaged");
  if (const double rate = endpoint.rate_hz(); rate > 0) interval_s_ = 1 / rate;
  // Lines are kept from the first on: the reading that shows the columns counts too.
  WaitClock patience;
  std::vector<Line> early;
  std::string left_open;
  bool known = false;
  while (!known) {
    if (settings_.stop.stop_requested())
      throw Error(Failure::unavailable, "stopped", endpoint.text,
                  "its first reading was waited for");
    if (patience.waited_s() > kFirst) {
      throw Error(Failure::unavailable, "no readings", endpoint.text,
                  early.empty() ? "no line came within 10 s"
                  : left_open.size() > 0
                      ? "its numbers can be read in two ways: \"" + book::printable(left_open) +
                            "\" has a decimal comma or a mark between thousands; decimal=comma or "
                            "decimal=point says which"
                      : "no line within 10 s is a reading; the last was \"" +
                            book::printable(early.back().text.substr(0, 60)) +
                            "\" (columns=… says what the columns are)");
    }
    read_lines(milliseconds(100));
    for (const Line& line : lines_) {
      LineReader::Reading ignored;
      try {
        const auto what = reader_.take(line.text, ignored);
        known |= what == LineReader::What::reading;
        if (what == LineReader::What::open) left_open = line.text.substr(0, 60);
      } catch (const std::invalid_argument& e) {
        throw Error(Failure::usage, "its header cannot be relied on", endpoint.text, e.what());
      }
      early.push_back(line);
    }
    lines_.clear();
  }
  reader_.restart();  // the lines kept are taken again
  const auto values = reader_.values();
  const std::vector<std::string>& names = settings_.channels;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const LineReader::Value& v = values[i];
    if (!names.empty() && std::find(names.begin(), names.end(), v.name) == names.end()) continue;
    kept_.push_back(i);
    InputChannel c;
    c.name = v.name;
    c.quantity = v.quantity;
    c.unit = v.unit;
    c.kind = samples == "averaged" ? SampleKind::averaged : SampleKind::instant;
    c.encoding = book::Encoding::f8;
    channels_.push_back(c);
  }
  if (channels_.empty()) {
    throw Error(Failure::usage, "nothing to record", endpoint.text,
                "it has none of the channels asked for");
  }
  titles_ = reader_.titles();
  if (!reader_.guessed().empty()) note(endpoint.text + ": " + reader_.guessed());
  if (reader_.has_time()) interval_s_ = 0;
  // What stood in a file before the capture has times only if they are its own.
  const bool placeable = reader_.has_time() || interval_s_ > 0;
  lines_ = placeable ? std::move(early) : std::vector<Line>{};
}

Endpoint LinesInput::learned() const {
  Endpoint out = endpoint_;
  if (!titles_.empty()) out.options.emplace("header", titles_);
  return out;
}

bool LinesInput::read_lines(milliseconds timeout) {
  std::array<char, 65536> buffer;
  const std::size_t n = link_->read(buffer, timeout);
  const double now = host_now_s();
  for (std::size_t i = 0; i < n; ++i) {
    const char c = buffer[i];
    if (c == '\n') {
      // Over a line that was already talking the first one may be torn: no reading is made of half
      // a number. A header is known by its words.
      const bool torn =
          first_line_ && endpoint_.over == "serial" && !open_.empty() &&
          open_.find_first_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ") ==
              std::string::npos;
      if (!torn && !open_.empty()) {
        if (settings_.heard) settings_.heard->take(open_);
        lines_.push_back({open_since_s_, std::move(open_)});
      }
      open_.clear();
      first_line_ = false;
      continue;
    }
    if (open_.empty()) open_since_s_ = now;
    if (open_.size() < kLongestLine) open_ += c;
  }
  if (open_.size() >= kLongestLine) {
    lines_.push_back({open_since_s_, std::move(open_)});
    open_.clear();
  }
  return n > 0;
}

void LinesInput::take(const Line& line) {
  LineReader::Reading reading;
  const auto what = reader_.take(line.text, reading);
  switch (what) {
    case LineReader::What::reading:
      if (stamps_agree(line, reading)) take_reading(line, reading);
      break;
    case LineReader::What::text:
      take_text(line);
      break;
    case LineReader::What::other_units:
      note(fmt::format("{}: a header came again with other units: {}; they hold from there on",
                       endpoint_.text, book::printable(line.text.substr(0, 80))));
      titles_ = reader_.titles();
      break;
    case LineReader::What::other_header:
      throw Error(Failure::bad_data, "the lines changed", endpoint_.text,
                  "a header now has other columns: " + book::printable(line.text.substr(0, 80)));
    case LineReader::What::open:
      take_text(line);
      break;
    case LineReader::What::header:
    case LineReader::What::nothing:
      break;
  }
}

/// The usual step from reading to reading (s); 0 while it is not known.
double LinesInput::usual_step_s() const {
  if (spacings_.size() < 2) return 0;
  std::vector<double> sorted = spacings_;
  std::sort(sorted.begin(), sorted.end());
  return sorted[sorted.size() / 2];
}

/// Whether a stamp goes on from another: later, and not by much more than usual.
bool LinesInput::follows(std::int64_t stamp_ns, std::int64_t before_ns) const {
  const double usual = usual_step_s(), step = static_cast<double>(stamp_ns - before_ns) * 1e-9;
  return step > 0 && (usual == 0 || step <= kOdd * usual);
}

/// Lines have no checksum: a stamp that jumps may be a garbled one. It is held until the next
/// reading shows: one that goes on from before it, and not from it, makes it a line of text; one
/// that goes on from it makes it a gap (or another pace), or a clock that began again. Takes what
/// was held, and says whether this one is to be taken now.
bool LinesInput::stamps_agree(const Line& line, LineReader::Reading& reading) {
  if (!reader_.has_time() || !reading.time_ns || interval_s_ > 0) return true;
  const std::int64_t stamp = *reading.time_ns;
  if (held_) {
    Held held = std::move(*held_);
    held_.reset();
    const std::int64_t before = *last_stamp_ns_, jumped = *held.reading.time_ns;
    const bool from_before = stamp > before && (jumped < before || stamp <= jumped);
    if (from_before) {
      take_text(held.line);
    } else if (stamp > jumped) {
      take_reading(held.line, held.reading);
    } else {
      take_text(held.line);
      held_ = Held{line, reading};
      return false;
    }
    last_stamp_ns_ = stamp;
    return true;
  }
  if (last_stamp_ns_ && !follows(stamp, *last_stamp_ns_)) {
    held_ = Held{line, reading};
    return false;
  }
  last_stamp_ns_ = stamp;
  return true;
}

void LinesInput::take_text(const Line& line) {
  const double at = last_ns_ < 0 ? 0 : static_cast<double>(last_ns_) * 1e-9;
  post_text({interval_s_ > 0 ? static_cast<double>(next_) * interval_s_ : at, line.text});
  if (++strange_ <= kReported)
    note(fmt::format("{}: \"{}\" is not a reading; kept in the device log", endpoint_.text,
                     book::printable(line.text.substr(0, 80))));
}

void LinesInput::take_reading(const Line& line, LineReader::Reading& reading) {
  if (packet_.columns.empty()) packet_.columns.resize(channels_.size());
  if (interval_s_ > 0) {
    if (packet_.samples() == 0) packet_.index = next_;
    ++next_;
    sync({static_cast<double>(next_) * interval_s_, -INFINITY, line.arrived_s});
  } else {
    std::int64_t own = 0;
    if (reader_.has_time()) {
      if (!first_ns_) first_ns_ = *reading.time_ns;
      own = *reading.time_ns - *first_ns_ + shift_ns_;
      if (own <= last_ns_) {
        // It began again (a reset), or stands still: it goes on where this computer's clock says.
        const auto passed = static_cast<std::int64_t>((line.arrived_s - last_arrived_s_) * 1e9);
        const std::int64_t place = last_ns_ + std::max<std::int64_t>(1'000, passed);
        note(fmt::format(
            "{}: time went backwards at {:.3f} s; later readings are placed by arrival time",
            endpoint_.text, static_cast<double>(last_ns_) * 1e-9));
        shift_ns_ += place - own;
        own = place;
        gap_ = true;
      }
    } else {
      if (!zero_s_) zero_s_ = line.arrived_s;
      own = std::max(last_ns_ + 1,
                     static_cast<std::int64_t>(std::llround((line.arrived_s - *zero_s_) * 1e9)));
    }
    // A silence much longer than usual is a gap: nothing is known of it.
    if (last_ns_ >= 0) {
      const double spacing = static_cast<double>(own - last_ns_) * 1e-9;
      std::vector<double> sorted = spacings_;
      std::sort(sorted.begin(), sorted.end());
      if (sorted.size() >= 8) {
        const double usual = sorted[sorted.size() / 2];
        const double slack = reader_.has_time() ? 0 : 0.25;  // arrivals come in bursts
        if (spacing > 4 * usual + slack) {
          gap_ = true;
          post_event({EventKind::input_silent, static_cast<double>(last_ns_) * 1e-9,
                      static_cast<double>(own) * 1e-9, "", "no reading came"});
        }
      }
      spacings_.push_back(spacing);
      if (spacings_.size() > kRemembered) spacings_.erase(spacings_.begin());
    }
    if (gap_ && packet_.samples() > 0) flush();
    if (packet_.columns.empty()) packet_.columns.resize(channels_.size());
    if (packet_.samples() == 0) packet_.gap = gap_;
    gap_ = false;
    packet_.times.push_back(own);
    last_ns_ = own;
    const double own_s = static_cast<double>(own) * 1e-9;
    if (reader_.has_time()) {
      sync({own_s, -INFINITY, line.arrived_s});
    } else {
      sync({own_s, line.arrived_s, line.arrived_s});
    }
  }
  last_arrived_s_ = line.arrived_s;
  for (std::size_t i = 0; i < kept_.size(); ++i)
    packet_.columns[i].push_back(reading.values[kept_[i]]);
  if (packet_.samples() >= kPacket) flush();
}

void LinesInput::flush() {
  if (packet_.samples() == 0) return;
  const auto n = static_cast<std::int64_t>(packet_.samples());
  if (!deliver(std::exchange(packet_, {}))) {
    fell_behind_ += n;
    gap_ = true;
  }
}

void LinesInput::run(const std::stop_token& stop) {
  WaitClock patience;
  while (!stop.stop_requested()) {
    std::optional<Error> lost;
    try {
      if (read_lines(milliseconds(20))) patience.restart();
    } catch (const Error& e) {
      lost = e;
    }
    for (const Line& line : lines_) take(line);
    lines_.clear();
    flush();
    if (lost) {
      if (settings_.reconnect_s <= 0) throw *lost;
      reconnect(stop, *lost);
      patience.restart();
    }
    if (patience.waited_s() > std::max(kFirst, 20 * usual_step_s())) {
      throw Error(Failure::unavailable, "the lines stalled", endpoint_.text,
                  fmt::format("nothing came for {:.0f} s", patience.waited_s()));
    }
  }
  if (held_) take_text(held_->line);  // nothing came that would have confirmed it
  if (strange_ > kReported)
    note(fmt::format("{}: {} lines in all are no readings; they are kept in the device log",
                     endpoint_.text, strange_));
  if (fell_behind_ > 0)
    note(fmt::format("{}: {} readings were lost: this computer fell behind", endpoint_.text,
                     fell_behind_));
}

void LinesInput::reconnect(const std::stop_token& stop, const Error& why) {
  auto link = reopened(stop, why, settings_.reconnect_s,
                       last_ns_ < 0 ? 0 : static_cast<double>(last_ns_) * 1e-9);
  if (!link) return;  // asked to stop
  link_ = std::move(link);
  open_.clear();
  first_line_ = gap_ = true;
}

}  // namespace kuvio::acquire
