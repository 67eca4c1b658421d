// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/stream_input.h"

#include "acquire/wait_clock.h"
#include "book/text.h"
#include "core/accuracy.h"
#include "core/error.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace kuvio::acquire {
namespace {

using std::chrono::milliseconds;
constexpr double kPatience = 5;    // s without a frame
constexpr double kAskEvery = 0.1;  // s
constexpr std::size_t kRing = std::size_t{4} << 20;

std::string accuracy_or_nothing(const std::string& text) {
  try {
    parse_accuracy(text);
    return text;
  } catch (const std::invalid_argument&) {
    return "";
  }
}

}  // namespace

StreamInput::StreamInput(const Endpoint& endpoint, const InputSettings& settings)
    : Input(endpoint, kRing), settings_(settings), link_(open_link(endpoint)) {
  decoder_.header = [this](const StreamHeader& h) { take_header(h); };
  decoder_.samples = [this](StreamSamples s) { take_samples(std::move(s)); };
  decoder_.time = [this](const StreamTime& t) { take_time(t); };
  decoder_.message = [this](const std::string& text) {
    if (began_) post_text({static_cast<double>(next_) * interval_s_, text});
  };
  WaitClock patience;
  std::array<char, 65536> buffer;
  while (!header_) {
    if (settings_.stop.stop_requested())
      throw Error(Failure::unavailable, "stopped", endpoint.text, "its header was waited for");
    if (patience.waited_s() > kPatience) {
      throw Error(Failure::unavailable, "no stream", endpoint.text,
                  decoder_.garbled() > 0
                      ? "what it sends is not the binary stream of docs/stream-protocol.md"
                      : "it sent no header within 5 s");
    }
    const std::size_t n = link_->read(buffer, milliseconds(100));
    arrived_s_ = host_now_s();
    decoder_.take({buffer.data(), n});
  }
}

void StreamInput::take_header(const StreamHeader& h) {
  if (!header_) {
    header_ = h;
    identity_ = h.identity.empty() ? "stream" : book::printable(h.identity);
    exact_interval_ = h.interval;
    interval_s_ = h.interval.tick_s();
    const std::vector<std::string>& names = settings_.channels;
    for (std::size_t i = 0; i < h.channels.size(); ++i) {
      const StreamChannel& c = h.channels[i];
      if (!names.empty() && std::find(names.begin(), names.end(), c.name) == names.end()) continue;
      InputChannel channel;
      channel.name = book::printable(c.name);
      const bool logic = c.quantity == Quantity::logic;
      channel.quantity = c.quantity;
      channel.unit = info(c.quantity).unit;
      channel.kind = c.instant ? SampleKind::instant : SampleKind::averaged;
      channel.accuracy = accuracy_or_nothing(c.accuracy);
      if (h.format != StreamFormat::float32) {  // codes are packed as such
        channel.encoding = book::Encoding::f8;
        channel.lattice = book::Lattice{c.gain, c.offset, 1};
      }
      if (logic) {
        for (const std::string& line : c.lines) channel.lines.push_back(book::printable(line));
        if (channel.lines.empty()) channel.lines = {channel.name};
      }
      channels_.push_back(std::move(channel));
      wanted_.push_back(i);
    }
    if (channels_.empty()) {
      throw Error(Failure::usage, "no such channel", endpoint_.text,
                  "the stream has none of the channels asked for");
    }
    return;
  }
  const bool same = h.interval == header_->interval && h.channels == header_->channels &&
                    h.format == header_->format;
  if (!same) {
    throw Error(Failure::bad_data, "the stream changed", endpoint_.text,
                "its header changed: different channels or rate");
  }
  if (h.session != header_->session) restarted_ = true;
  header_ = h;
}

void StreamInput::take_samples(StreamSamples s) {
  if (!running()) return;  // from before the capture
  const auto first = static_cast<std::int64_t>(s.first);
  const auto count = static_cast<std::int64_t>(s.columns.front().size());
  if (!began_) {
    base_ = -first;
    began_ = true;
    post_event(
        {EventKind::stream_began, 0, 0, "", "sample " + std::to_string(first) + " of the sender"});
  } else if (restarted_) {
    // Its numbers began again: it goes on where this computer's clock says.
    const double passed = arrived_s_ - last_at_s_;
    const auto lost = std::max<std::int64_t>(1, std::llround(passed / interval_s_) - count);
    base_ = next_ + lost - first;
    why_ = "the digitiser started again";
  }
  restarted_ = false;
  const std::int64_t index = first + base_;
  if (index < next_) return;  // one of these came again
  std::string why = why_;
  if (index > next_ && why.empty()) {
    const auto missing = decoder_.missing() - missing_reported_,
               garbled = decoder_.garbled() - garbled_reported_;
    why = s.overflowed   ? "the digitiser's own memory overran"
          : fell_behind_ ? "this computer fell behind"
          : missing > 0  ? fmt::format("{} frame{} lost in transit, {} of them corrupt", missing,
                                      missing == 1 ? "" : "s", std::min(missing, garbled))
                         : "samples lost by the digitiser";
  }
  missing_reported_ = decoder_.missing();
  garbled_reported_ = decoder_.garbled();
  Packet packet{index, {}, {}, why, false};
  for (const std::size_t i : wanted_) packet.columns.push_back(std::move(s.columns[i]));
  const double end_s = static_cast<double>(index + count) * interval_s_;
  sync({end_s, -INFINITY, arrived_s_});
  last_at_s_ = arrived_s_;
  if (deliver(std::move(packet))) {
    next_ = index + count;
    why_.clear();
    fell_behind_ = 0;
  } else {
    fell_behind_ += count;  // the jump in the next packet's number shows it to the recorder
  }
}

void StreamInput::ask_time() {
  if (endpoint_.over == "file") return;
  asked_at_s_ = host_now_s();
  link_->write(stream_time_question(++nonce_, ++sequence_));
}

/// Its answer bounds its clock from both sides.
void StreamInput::take_time(const StreamTime& t) {
  if (!began_ || t.nonce != nonce_ || t.sample > (1ULL << 60)) return;
  const double samples = static_cast<double>(static_cast<std::int64_t>(t.sample) + base_);
  sync({samples * interval_s_, -INFINITY, arrived_s_});
  sync({(samples + 1) * interval_s_, asked_at_s_, INFINITY});
}

void StreamInput::run(const std::stop_token& stop) {
  std::array<char, 65536> buffer;
  double asked = 0;
  WaitClock patience;  // since samples came: other frames are no life to record
  while (!stop.stop_requested()) {
    try {
      if (host_now_s() - asked > kAskEvery) {
        asked = host_now_s();
        ask_time();
      }
      const std::size_t n = link_->read(buffer, milliseconds(50));
      arrived_s_ = host_now_s();
      const double before = last_at_s_;
      decoder_.take({buffer.data(), n});
      if (last_at_s_ != before) patience.restart();
      if (patience.waited_s() > kPatience) {
        throw Error(Failure::unavailable, "the stream stalled", endpoint_.text,
                    "no samples came for 5 s");
      }
    } catch (const Error& e) {
      if (settings_.reconnect_s <= 0 || e.failure() != Failure::unavailable) {
        report_losses();
        throw;
      }
      reconnect(stop, e);
      patience.restart();
    }
  }
  report_losses();
}

void StreamInput::reconnect(const std::stop_token& stop, const Error& why) {
  auto link = reopened(stop, why, settings_.reconnect_s, static_cast<double>(next_) * interval_s_);
  if (!link) return;  // asked to stop
  link_ = std::move(link);
  why_ = "the link was lost";
}

void StreamInput::report_losses() {
  if (decoder_.missing() == 0 && decoder_.garbled() == 0) return;
  note(fmt::format("{}: {} frames received intact, {} lost or corrupt ({} corrupt)", endpoint_.text,
                   decoder_.frames(), decoder_.missing(),
                   std::min(decoder_.missing(), decoder_.garbled())));
}

}  // namespace kuvio::acquire
