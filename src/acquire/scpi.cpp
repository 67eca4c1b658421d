// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/scpi.h"

#include "core/error.h"

#include <array>
#include <charconv>
#include <cstring>

namespace kuvio::acquire {
namespace {
constexpr auto kPatience = std::chrono::seconds(5);
constexpr std::size_t kLongestLine = 1 << 16;
constexpr std::size_t kLargestBlock = 64 << 20;
}  // namespace

void Scpi::send(const std::string& message) { link_->write(message + "\n"); }

void Scpi::fill(const std::string& message) {
  std::array<char, 65536> buffer;
  const std::size_t n = link_->read(buffer, kPatience);
  if (n == 0) {
    throw Error(Failure::unavailable, "input stopped answering", where_,
                "no answer to " + message + " within 5 s");
  }
  in_.append(buffer.data(), n);
}

std::string Scpi::take(std::size_t bytes, const std::string& message) {
  while (in_.size() < bytes) fill(message);
  std::string out = in_.substr(0, bytes);
  in_.erase(0, bytes);
  return out;
}

std::string Scpi::query(const std::string& message) {
  send(message);
  std::size_t end = 0;
  while ((end = in_.find('\n')) == std::string::npos) {
    if (in_.size() > kLongestLine) {
      throw Error(Failure::bad_data, "garbled answer", where_,
                  "no end of line in the answer to " + message);
    }
    fill(message);
  }
  std::string answer = in_.substr(0, end);
  in_.erase(0, end + 1);
  while (!answer.empty() && (answer.back() == '\r' || answer.back() == ' ')) answer.pop_back();
  return answer;
}

bool Scpi::query_on(const std::string& message) {
  const std::string answer = query(message);
  return answer == "1" || answer == "+1" || answer == "ON";
}

double Scpi::query_number(const std::string& message) {
  const std::string answer = query(message);
  const char* begin = answer.c_str() + (answer.starts_with('+') ? 1 : 0);
  double value = 0;
  const auto [end, failed] = std::from_chars(begin, answer.c_str() + answer.size(), value);
  if (failed != std::errc{} || end == begin) {
    throw Error(Failure::bad_data, "garbled answer", where_,
                message + " was answered by \"" + answer.substr(0, 60) + "\"");
  }
  return value;
}

std::vector<float> Scpi::query_floats(const std::string& message) {
  send(message);
  const auto garbled = [&](const std::string& why) {
    throw Error(Failure::bad_data, "garbled answer", where_, message + ": " + why);
  };
  const std::string head = take(2, message);
  if (head[0] != '#' || head[1] < '1' || head[1] > '9')
    garbled("a definite-length block was expected");
  const std::string digits = take(static_cast<std::size_t>(head[1] - '0'), message);
  std::size_t length = 0;
  const auto [end, failed] = std::from_chars(digits.data(), digits.data() + digits.size(), length);
  if (failed != std::errc{} || end != digits.data() + digits.size())
    garbled("the block's length is no number");
  if (length > kLargestBlock || length % 4 != 0) garbled("a block of " + digits + " bytes");
  const std::string data = take(length, message);
  if (take(1, message) == "\r") take(1, message);
  std::vector<float> out(length / 4);
  std::memcpy(out.data(), data.data(), length);
  return out;
}

std::vector<std::string> Scpi::errors() {
  std::vector<std::string> out;
  while (out.size() < 100) {
    const std::string answer = query("SYST:ERR?");
    if (answer.starts_with("0") || answer.starts_with("+0")) break;
    out.push_back(answer);
  }
  return out;
}

}  // namespace kuvio::acquire
