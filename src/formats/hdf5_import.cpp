// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/hdf5_import.h"

#include "book/text.h"
#include "core/accuracy.h"
#include "core/error.h"
#include "core/event.h"
#include "core/flag_key.h"
#include "formats/capture_intake.h"
#include "formats/helper_process.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <stdexcept>

namespace kuvio::formats {
namespace {

using nlohmann::json;

constexpr const char* kProgram = "kuvio-read-hdf5";
constexpr std::size_t kMostCount = 1 << 20;  // samples in a message

std::string name_of(const json& from, const char* key) {
  return book::shortened(book::printable(from.value(key, "")), book::kMostName);
}

double number(const json& from, const char* key) {
  const double out = from.at(key).get<double>();
  if (!std::isfinite(out)) throw std::invalid_argument(std::string(key) + " is no number");
  return out;
}

/// Quantity of a channel: as said, or as its unit has it.
void name_quantity(const json& from, book::ChannelInfo& out) {
  const std::string said = name_of(from, "quantity"), unit = name_of(from, "unit");
  out.quantity = quantity_of(said);
  out.unit = unit;
  if (said.empty()) {
    out.quantity = Quantity::other;
    for (const Quantity q :
         {Quantity::current, Quantity::voltage, Quantity::power, Quantity::charge}) {
      if (info(q).unit == unit) out.quantity = q;
    }
  }
  // Kuvio's own quantities come in their SI unit.
  const bool own = out.quantity != Quantity::other;
  if (own && unit != info(out.quantity).unit)
    throw std::invalid_argument(fmt::format("channel {} is a {} in \"{}\", not in {}", out.name,
                                            info(out.quantity).key, unit, info(out.quantity).unit));
}

book::ChannelInfo channel_of(const json& from, const ImportSettings& settings) {
  book::ChannelInfo out;
  out.name = name_of(from, "name");
  name_quantity(from, out);
  out.kind = from.value("kind", "") == "averaged" ? SampleKind::averaged : SampleKind::instant;
  out.encoding = from.value("float32", false) ? book::Encoding::f4 : book::Encoding::f8;
  out.time_base = {from.at("tick").at(0).get<std::int64_t>(),
                   from.at("tick").at(1).get<std::int64_t>()};
  if (out.time_base.num <= 0 || out.time_base.den <= 0)
    throw std::invalid_argument("channel " + out.name + " has no time base");
  out.input = name_of(from, "input");
  out.accuracy = name_of(from, "accuracy");
  if (out.accuracy.empty() && out.quantity == Quantity::current) out.accuracy = settings.accuracy;
  if (!out.accuracy.empty()) parse_accuracy(out.accuracy);
  return out;
}

/// Takes what the reader says into a book.
class Taking {
public:
  Taking(book::Book& book, const std::string& file, const ImportSettings& settings,
         const std::function<void(double)>& progress)
      : book_(book), file_(file), settings_(settings), progress_(progress) {}
  ~Taking() {
    if (done_) return;
    intake_.reset();
    for (const std::int64_t id : out_.captures) {
      try {
        book_.discard(id);
      } catch (const std::exception&) {
      }
    }
  }
  Taking(const Taking&) = delete;
  Taking& operator=(const Taking&) = delete;

  /// False: that was the last.
  bool take(const json& message, HelperProcess& reader) {
    if (message.contains("capture")) {
      begin(message["capture"]);
    } else if (message.contains("even")) {
      even(message["even"], reader);
    } else if (message.contains("timed")) {
      timed(message["timed"], reader);
    } else if (message.contains("flag")) {
      flag(message["flag"]);
    } else if (message.contains("log")) {
      const json& line = message["log"];
      intake().log({number(line, "time_s"), line.value("sent", false), line.value("text", "")});
    } else if (message.contains("event")) {
      const json& e = message["event"];
      intake().event({event_kind(e.value("kind", "")), number(e, "earliest_s"),
                      number(e, "latest_s"), e.value("text", "")});
    } else if (message.contains("end")) {
      out_.captures.push_back(intake().finish());
      intake_.reset();
    } else if (message.contains("done")) {
      return false;
    } else if (message.contains("failed")) {
      const json& f = message["failed"];
      const std::string where = f.value("where", "");
      throw Error(Failure::bad_data, "cannot import", where.empty() ? file_ : file_ + ":" + where,
                  f.value("why", ""));
    } else {
      throw std::invalid_argument("a message that nobody knows");
    }
    return true;
  }
  ImportResult finish() {
    if (out_.captures.empty()) throw std::invalid_argument("it holds no capture");
    done_ = true;
    out_.capture = out_.captures.front();
    return std::move(out_);
  }

private:
  CaptureIntake& intake() {
    if (!intake_) throw std::invalid_argument("samples without a capture");
    return *intake_;
  }

  void begin(const json& from) {
    if (intake_) throw std::invalid_argument("a capture within another");
    book::CaptureSpec spec;
    spec.importing = true;
    const bool first = out_.captures.empty();
    spec.name = !settings_.name.empty() && first ? settings_.name : name_of(from, "name");
    spec.build = settings_.build.empty() ? name_of(from, "build") : settings_.build;
    for (const auto& [key, value] : from.at("conditions").items())
      spec.conditions[book::shortened(key, book::kMostName)] =
          book::shortened(value.get<std::string>(), book::kMostName);
    for (const auto& [key, value] : settings_.conditions) spec.conditions[key] = value;
    std::vector<book::ChannelInfo> channels;
    for (const json& c : from.at("channels")) channels.push_back(channel_of(c, settings_));
    all_ += from.value("samples", std::int64_t{0});
    intake_ = std::make_unique<CaptureIntake>(book_, spec, channels);
  }

  static std::size_t count_of(const json& from) {
    const auto count = from.at("count").get<std::size_t>();
    if (count == 0 || count > kMostCount) throw std::invalid_argument("so many samples at once");
    return count;
  }
  std::size_t channel_of_message(const json& from) {
    const auto channel = from.at("channel").get<std::size_t>();
    if (channel >= intake().channels()) throw std::invalid_argument("no such channel");
    return channel;
  }

  void even(const json& from, HelperProcess& reader) {
    const std::size_t channel = channel_of_message(from);
    values_.resize(count_of(from));
    reader.bytes(values_.data(), values_.size() * sizeof(double));
    intake().even(channel, from.at("start").get<std::int64_t>(),
                  from.at("period").get<std::int64_t>(), values_);
    went_on();
  }
  void timed(const json& from, HelperProcess& reader) {
    const std::size_t channel = channel_of_message(from);
    ticks_.resize(count_of(from));
    values_.resize(ticks_.size());
    reader.bytes(ticks_.data(), ticks_.size() * sizeof(std::int64_t));
    reader.bytes(values_.data(), values_.size() * sizeof(double));
    intake().timed(channel, ticks_, values_, from.at("end").get<std::int64_t>(),
                   from.at("gap").get<bool>());
    went_on();
  }
  void flag(const json& from) {
    const auto flag = flag_of_key(from.value("flag", ""));
    const FlagRun run{flag.value_or(Flag::dropped), number(from, "from_s"), number(from, "to_s"),
                      from.at("samples").get<std::int64_t>()};
    if (!flag || !(run.to_s >= run.from_s) || run.samples < 0)
      throw std::invalid_argument("a stretch of flagged samples makes no sense");
    intake().flag(channel_of_message(from), run);
  }
  void went_on() {
    taken_ += static_cast<std::int64_t>(values_.size());
    if (progress_ && all_ > 0) progress_(static_cast<double>(taken_) / static_cast<double>(all_));
  }

  book::Book& book_;
  const std::string& file_;
  const ImportSettings& settings_;
  const std::function<void(double)>& progress_;
  std::unique_ptr<CaptureIntake> intake_;
  ImportResult out_;
  std::vector<double> values_;
  std::vector<std::int64_t> ticks_;
  std::int64_t taken_ = 0, all_ = 0;
  bool done_ = false;
};

}  // namespace

bool is_hdf5(std::string_view head) { return head.starts_with("\x89HDF\r\n\x1a\n"); }

ImportResult import_hdf5(book::Book& book, const std::string& file, const ImportSettings& settings,
                         const std::stop_token& stop, const std::function<void(double)>& progress) {
  const std::string path = std::filesystem::absolute(file).string();
  HelperProcess reader(kProgram, {path}, stop);
  Taking taking(book, file, settings, progress);
  try {
    for (;;) {
      const auto line = reader.line();
      if (!line)
        throw Error(Failure::bad_data, "cannot import", file,
                    "it cannot be read as HDF5: " + reader.ended());
      const json message = json::parse(*line, nullptr, false);
      if (!message.is_object()) throw std::invalid_argument("a message that is none");
      if (!taking.take(message, reader)) break;
    }
    return taking.finish();
  } catch (const json::exception& e) {
    throw Error(Failure::bad_data, "cannot import", file, e.what());
  } catch (const std::invalid_argument& e) {
    throw Error(Failure::bad_data, "cannot import", file, e.what());
  }
}

}  // namespace kuvio::formats
