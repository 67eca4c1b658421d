// SPDX-License-Identifier: GPL-3.0-or-later
// The stream's reader against the sender that is given away, extras/stream-sender.

#include "acquire/stream_protocol.h"

#include "acquire/ring.h"
#include "core/special_value.h"

#include "stream-sender/kuvio_stream.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <cstring>
#include <random>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

/// The C sender, writing into a string.
struct Sender {
  std::string out;
  std::vector<std::uint8_t> room = std::vector<std::uint8_t>(4096);
  kuvio_stream stream{};
  std::vector<std::size_t> begins;  ///< where each frame begins

  Sender() {
    stream.write = [](void* where, const std::uint8_t* bytes, std::size_t count) {
      auto* self = static_cast<Sender*>(where);
      self->begins.push_back(self->out.size());
      self->out.append(reinterpret_cast<const char*>(bytes), count);
    };
    stream.where = this;
    stream.buffer = room.data();
    stream.size = room.size();
    stream.session = 7;
  }
  void header() {
    static const char* const names[] = {"radio", "door"};
    const kuvio_channel channels[] = {
        {KUVIO_CURRENT, 0, "I", "0.1 % + 1 uA", 1e-6, 0.5e-6, -30000, 30000, 0, nullptr},
        {KUVIO_LOGIC, 1, "D", "", 1, 0, 0, 0, 2, names}};
    REQUIRE(kuvio_send_header(&stream, 1, 48000, KUVIO_INT16, "made", channels, 2) == 0);
  }
  void samples(std::uint64_t first, const std::vector<std::int16_t>& codes,
               std::uint8_t flags = 0) {
    std::vector<std::uint8_t> bytes;
    for (const std::int16_t c : codes) {
      bytes.push_back(static_cast<std::uint8_t>(c & 0xff));
      bytes.push_back(static_cast<std::uint8_t>(static_cast<std::uint16_t>(c) >> 8));
    }
    REQUIRE(kuvio_send_samples(&stream, first, static_cast<std::uint16_t>(codes.size() / 2), flags,
                               bytes.data(), bytes.size()) == 0);
  }
};

struct Heard {
  StreamDecoder decoder;
  std::vector<StreamHeader> headers;
  std::vector<StreamSamples> samples;
  std::vector<std::string> messages;
  std::vector<StreamTime> times;
  Heard() {
    decoder.header = [this](const StreamHeader& h) { headers.push_back(h); };
    decoder.samples = [this](StreamSamples s) { samples.push_back(std::move(s)); };
    decoder.message = [this](const std::string& t) { messages.push_back(t); };
    decoder.time = [this](const StreamTime& t) { times.push_back(t); };
  }
};

}  // namespace

TEST_CASE("what the C sender sends is read, in whatever pieces it comes") {
  Sender sender;
  sender.header();
  sender.samples(100, {1000, 1, -30000, 2, 250, 3});
  REQUIRE(kuvio_send_message(&sender.stream, "hello") == 0);
  sender.samples(103, {5, 0}, KUVIO_RANGE_CHANGE | KUVIO_OVERFLOWED);
  for (const std::size_t piece : {1UL, 7UL, 4096UL}) {
    Heard heard;
    for (std::size_t at = 0; at < sender.out.size(); at += piece)
      heard.decoder.take(std::string_view(sender.out).substr(at, piece));
    REQUIRE(heard.headers.size() == 1);
    const StreamHeader& h = heard.headers[0];
    CHECK(h.session == 7);
    CHECK(h.interval == kuvio::TimeBase{1, 48000});
    CHECK(h.identity == "made");
    REQUIRE(h.channels.size() == 2);
    CHECK(h.channels[0].accuracy == "0.1 % + 1 uA");
    CHECK(h.channels[1].lines == std::vector<std::string>{"radio", "door"});
    REQUIRE(heard.samples.size() == 2);
    CHECK(heard.samples[0].first == 100);
    CHECK(heard.samples[0].columns[0][0] == Approx(1000e-6 + 0.5e-6));
    CHECK(heard.samples[0].columns[0][1] == kBelowRange);
    CHECK(heard.samples[0].columns[1] == std::vector<double>{1, 2, 3});
    CHECK(heard.samples[1].overflowed);
    CHECK(heard.samples[1].columns[0][0] == kRangeChange);
    CHECK(heard.messages == std::vector<std::string>{"hello"});
    CHECK(heard.decoder.frames() == 4);
    CHECK(heard.decoder.garbled() == 0);
    CHECK(heard.decoder.missing() == 0);
  }
}

TEST_CASE("one wrong byte costs its frame and no other, wherever it is") {
  Sender sender;
  sender.header();
  for (std::uint64_t i = 0; i < 6; ++i)
    sender.samples(i * 2, {static_cast<std::int16_t>(i), 0, 9, 0});
  const std::size_t begin = sender.begins[3], end = sender.begins[4];
  for (std::size_t at = begin; at < end; ++at) {
    std::string bytes = sender.out;
    bytes[at] = static_cast<char>(bytes[at] ^ 0x40);
    Heard heard;
    heard.decoder.take(bytes);
    // A wrong length may make it wait for more: that comes.
    Sender more;
    more.stream.sequence = 7;
    for (std::uint64_t i = 6; i < 4000 && heard.samples.size() < 12; ++i) {
      more.out.clear();
      more.samples(i * 2, {static_cast<std::int16_t>(i % 1000), 0, 9, 0});
      heard.decoder.take(more.out);
    }
    INFO("byte " << at - begin);
    REQUIRE(heard.samples.size() >= 5);
    std::vector<std::uint64_t> firsts;
    for (int i = 0; i < 5; ++i) firsts.push_back(heard.samples[static_cast<std::size_t>(i)].first);
    CHECK(firsts == std::vector<std::uint64_t>{0, 2, 6, 8, 10});
    CHECK(heard.decoder.missing() == 1);
  }
}

TEST_CASE("the clock is asked for and answered by the C sender, junk before it or not") {
  Sender sender;
  kuvio_question question{};
  const std::string asked =
      "KVKVST" + std::string("\x01", 1) + stream_time_question(0x1122334455667788, 3);
  for (const char c : asked)
    kuvio_take_byte(&sender.stream, &question, static_cast<std::uint8_t>(c), 4711);
  Heard heard;
  heard.decoder.take(sender.out);
  REQUIRE(heard.times.size() == 1);
  CHECK(heard.times[0].nonce == 0x1122334455667788);
  CHECK(heard.times[0].sample == 4711);
}

TEST_CASE("a sender with too small a buffer says so and sends nothing") {
  Sender sender;
  sender.stream.size = 40;
  const kuvio_channel channel{KUVIO_CURRENT, 0, "I", "", 1, 0, 0, 0, 0, nullptr};
  CHECK(kuvio_send_header(&sender.stream, 1, 1000, KUVIO_INT16, "x", &channel, 1) == -1);
  const std::vector<std::uint8_t> codes(64);
  CHECK(kuvio_send_samples(&sender.stream, 0, 32, 0, codes.data(), codes.size()) == -1);
  CHECK(sender.out.empty());
}
