// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/digitiser.h"

#include "sim/analyser.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <numbers>

namespace kuvio::sim {
namespace {

constexpr std::uint8_t kHeader = 1, kSamples = 2, kTime = 4, kAskTime = 5;
constexpr double kCountA = 40e-9, kCountV = 1e-6;  // one code
constexpr std::int32_t kFull = 8'000'000;
constexpr double kHeaderEvery = 1;

std::uint32_t crc32(std::string_view bytes) {
  static const std::array<std::uint32_t, 256> kTable = [] {
    std::array<std::uint32_t, 256> out{};
    for (std::uint32_t i = 0; i < 256; ++i) {
      std::uint32_t c = i;
      for (int k = 0; k < 8; ++k) c = (c & 1) != 0 ? 0xedb88320U ^ (c >> 1) : c >> 1;
      out[i] = c;
    }
    return out;
  }();
  std::uint32_t c = 0xffffffffU;
  for (const char b : bytes) c = kTable[(c ^ static_cast<unsigned char>(b)) & 0xff] ^ (c >> 8);
  return c ^ 0xffffffffU;
}

void put(std::string& out, std::uint64_t value, int bytes) {
  for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i) & 0xff);
}
void put(std::string& out, double value) {
  std::uint64_t bits = 0;
  std::memcpy(&bits, &value, sizeof bits);
  put(out, bits, 8);
}
void put(std::string& out, const std::string& text) {
  put(out, text.size(), 1);
  out += text;
}

/// A quick noise of unit spread: the sum of four uniforms.
double rough_noise(std::uint64_t seed, std::int64_t index) {
  std::uint64_t x = seed ^ (static_cast<std::uint64_t>(index) * 0x9e3779b97f4a7c15U);
  x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9U;
  x ^= x >> 27;
  const double sum = static_cast<double>((x & 0xffff) + (x >> 16 & 0xffff) + (x >> 32 & 0xffff) +
                                         (x >> 48 & 0xffff));
  return (sum / 65536.0 - 2) * std::numbers::sqrt3;
}

}  // namespace

Digitiser::Digitiser(Device& device, std::uint64_t seed, DigitiserSettings settings)
    : device_(device), seed_(seed * 31 + 7), settings_(settings), dice_(seed * 2654435761U + 99) {
  if (settings_.samples_a_frame <= 0)
    settings_.samples_a_frame = static_cast<int>(
        std::clamp(settings_.rate_hz / 50, 1.0, 60000.0 / (3.0 * settings_.channels)));
  truth_.samples_a_frame = settings_.samples_a_frame;
}

double Digitiser::time_of(std::int64_t index) const {
  return begun_ +
         static_cast<double>(index) / (settings_.rate_hz * (1 + settings_.drift_ppm * 1e-6));
}

std::string Digitiser::frame(std::uint8_t type, const std::string& payload) {
  std::string out = "KVST";
  put(out, 1, 1);
  put(out, type, 1);
  put(out, payload.size(), 2);
  put(out, sequence_++, 4);
  out += payload;
  put(out, crc32(std::string_view(out).substr(4)), 4);
  return out;
}

std::string Digitiser::header() {
  std::string p;
  put(p, session_, 4);
  put(p, 1, 4);
  put(p, static_cast<std::uint64_t>(std::llround(settings_.rate_hz)), 4);
  put(p, static_cast<std::uint64_t>(settings_.channels), 1);
  put(p, 2, 1);  // int24
  put(p, 0, 2);
  put(p, "Simulated shunt digitiser");
  for (int c = 0; c < settings_.channels; ++c) {
    const bool volts = c == 1;
    put(p, volts ? 2 : 1, 1);
    put(p, 0, 1);  // averaged
    put(p, c == 0 ? "I_shunt" : volts ? "V_dut" : "I_rail" + std::to_string(c + 1));
    put(p, volts ? "" : "0.1 % + 100 nA");
    put(p, volts ? kCountV : kCountA);
    put(p, 0.0);
    put(p, static_cast<std::uint32_t>(-kFull), 4);
    put(p, static_cast<std::uint32_t>(kFull), 4);
    put(p, 0, 1);
  }
  return frame(kHeader, p);
}

/// Channel 0 sees all of the device's current, every further rail a share of it.
double Digitiser::code(std::int64_t index, int channel, double volts) {
  const double a = time_of(index), b = time_of(index + 1);
  if (channel == 1) {
    return fed_volts(device_, 0, (a + b) / 2, volts) / kCountV +
           200 * rough_noise(seed_ + 1, index);
  }
  const double share = channel == 0 ? 1 : 0.5 / channel;
  const double mean = mean_current(device_, 0, a, b, cursor_);
  return share * mean / kCountA + rough_noise(seed_ + static_cast<unsigned>(channel), index) * 2;
}

std::string Digitiser::samples(std::int64_t first, int count, double volts) {
  std::string p;
  p.reserve(12 + static_cast<std::size_t>(count * settings_.channels * 3));
  put(p, static_cast<std::uint64_t>(first), 8);
  put(p, static_cast<std::uint64_t>(count), 2);
  put(p, 0, 2);
  for (int i = 0; i < count; ++i) {
    for (int c = 0; c < settings_.channels; ++c) {
      const auto value =
          static_cast<std::int32_t>(std::clamp<double>(code(first + i, c, volts), -kFull, kFull));
      p += static_cast<char>(value & 0xff);
      p += static_cast<char>(value >> 8 & 0xff);
      p += static_cast<char>(value >> 16 & 0xff);
    }
  }
  return p;
}

std::string Digitiser::send(double now_s, double volts) {
  if (now_s >= settings_.stall_at) return "";
  std::string out;
  if (now_s >= settings_.restart_at && !restarted_) {
    restarted_ = true;
    ++session_;
    begun_ = now_s + 0.3;  // it takes a moment to start
    next_ = 0;
    truth_.sent.clear();
    header_due_ = begun_;
  }
  if (now_s >= header_due_) {
    out += header();
    header_due_ = now_s + kHeaderEvery;
  }
  const auto dice = [this] {
    dice_ ^= dice_ << 13;
    dice_ ^= dice_ >> 7;
    dice_ ^= dice_ << 17;  // xorshift64 (Marsaglia 2003)
    return static_cast<double>(dice_ >> 11) * 0x1p-53;
  };
  while (time_of(next_ + settings_.samples_a_frame) <= now_s) {
    const std::string payload = samples(next_, settings_.samples_a_frame, volts);
    std::string whole = frame(kSamples, payload);
    ++truth_.frames;
    std::uint64_t h = 0xcbf29ce484222325U;
    for (const char c : std::string_view(payload).substr(12))
      h = (h ^ static_cast<unsigned char>(c)) * 0x100000001b3U;  // FNV-1a
    const bool dropped = dice() < settings_.drop;
    const bool garbled = !dropped && dice() < settings_.garble;
    truth_.sent.push_back({next_, h, !dropped && !garbled});
    if (dropped || garbled) {
      ++(dropped ? truth_.dropped : truth_.garbled);
      truth_.samples_lost += settings_.samples_a_frame;
    } else {
      truth_.samples += settings_.samples_a_frame;
    }
    if (garbled)
      whole[12 + static_cast<std::size_t>(dice() * static_cast<double>(payload.size()))] ^= 0x5a;
    if (!dropped) out += whole;
    next_ += settings_.samples_a_frame;
  }
  return out;
}

std::string Digitiser::take(double now_s, std::string_view bytes) {
  in_.append(bytes);
  std::string out;
  while (in_.size() >= 24) {
    const auto at = in_.find("KVST");
    if (at == std::string::npos) {
      in_.clear();
      break;
    }
    in_.erase(0, at);
    if (in_.size() < 24) break;
    if (in_[5] == static_cast<char>(kAskTime) && in_[6] == 8) {
      std::string p = in_.substr(12, 8);
      const auto count = static_cast<std::int64_t>(
          std::floor((now_s - begun_) * settings_.rate_hz * (1 + settings_.drift_ppm * 1e-6)));
      put(p, static_cast<std::uint64_t>(std::max<std::int64_t>(0, count)), 8);
      out += frame(kTime, p);
      in_.erase(0, 24);
    } else {
      in_.erase(0, 4);
    }
  }
  if (in_.size() > 4096) in_.clear();
  return out;
}

}  // namespace kuvio::sim
