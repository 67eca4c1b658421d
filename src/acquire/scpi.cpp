// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/scpi.h"

#include "core/error.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>
#include <stdexcept>

namespace kuvio::acquire {
namespace {
constexpr std::size_t kLongestLine = 1 << 16;
constexpr std::size_t kLongestText = 16 << 20;
constexpr std::size_t kLargestBlock = 64 << 20;
constexpr auto kSlice = std::chrono::milliseconds(50);
constexpr double kSlowest = 1000;  // bytes/s of a long answer

/// A number in front of a text; what follows it in `rest`. Nothing when there is none.
std::optional<double> number_in_front(std::string_view text, std::string_view& rest) {
  if (text.starts_with('+')) text.remove_prefix(1);
  double value = 0;
  const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (failed == std::errc::result_out_of_range) {
    value = std::numeric_limits<double>::infinity();  // over range, whatever it meant
  } else if (failed != std::errc{}) {
    return std::nullopt;
  }
  rest = text.substr(static_cast<std::size_t>(end - text.data()));
  while (!rest.empty() && rest.front() == ' ') rest.remove_prefix(1);
  return value;
}

template <typename Value>
void decode(std::string_view data, bool little, std::vector<double>& out) {
  std::array<char, sizeof(Value)> bytes;
  for (std::size_t at = 0; at + sizeof(Value) <= data.size(); at += sizeof(Value)) {
    std::copy_n(data.data() + at, sizeof(Value), bytes.begin());
    if (little != (std::endian::native == std::endian::little))
      std::reverse(bytes.begin(), bytes.end());
    Value v;
    std::memcpy(&v, bytes.data(), sizeof v);
    out.push_back(static_cast<double>(v));
  }
}

}  // namespace

void Scpi::garbled(const std::string& message, const std::string& why) const {
  throw Error(Failure::bad_data, "garbled answer", where_, message + ": " + why);
}

void Scpi::send(const std::string& message) {
  if (talk_) talk_->said(message);
  link_->write(message + framing_.terminator);
}

/// A line too many would answer the next question, and all after it.
void Scpi::throw_away_unasked() {
  std::array<char, 4096> buffer;
  while (const std::size_t n = link_->read_ready(buffer)) {
    in_.append(buffer.data(), n);
    if (in_.size() > kLongestText) garbled("nothing", "it does not stop sending unasked");
  }
  const auto said = in_.find_first_not_of(" \r\n");
  if (said != std::string::npos && unasked) unasked(in_.substr(said, 60));
  in_.clear();
}

void Scpi::ask(const std::string& message) {
  throw_away_unasked();
  send(message);
  patience_.restart();
  came_ = 0;
}

void Scpi::fill(const std::string& message) {
  std::array<char, 65536> buffer;
  const double patience = std::chrono::duration<double>(framing_.timeout).count();
  while (true) {
    if (stop_.stop_requested())
      throw Error(Failure::unavailable, "stopped", where_, "its answer to " + message + " was due");
    const auto slice = std::min<std::chrono::milliseconds>(framing_.timeout, kSlice);
    if (const std::size_t n = link_->read(buffer, slice)) {
      in_.append(buffer.data(), n);
      came_ += n;
      if (patience_.waited_s() <= patience + static_cast<double>(came_) / kSlowest) return;
    } else if (patience_.waited_s() <= patience + static_cast<double>(came_) / kSlowest) {
      continue;
    }
    throw Error(Failure::unavailable, "input stopped answering", where_,
                fmt::format("no whole answer to {} within {:g} s", message, patience));
  }
}

std::string Scpi::take(std::size_t bytes, const std::string& message) {
  while (in_.size() < bytes) fill(message);
  std::string out = in_.substr(0, bytes);
  in_.erase(0, bytes);
  return out;
}

std::string Scpi::take_line(const std::string& message, std::size_t longest) {
  const char last = framing_.terminator.back();
  std::size_t looked = 0, end = 0;
  while ((end = in_.find(last, looked)) == std::string::npos) {
    looked = in_.size();
    if (in_.size() > longest) garbled(message, "no end of line in its answer");
    fill(message);
  }
  std::string answer = in_.substr(0, end);
  in_.erase(0, end + 1);
  const auto junk = [](char c) { return c == '\r' || c == '\n' || c == ' '; };
  while (!answer.empty() && junk(answer.back())) answer.pop_back();
  answer.erase(answer.begin(), std::find_if_not(answer.begin(), answer.end(), junk));
  return answer;
}

std::string Scpi::query(const std::string& message) {
  ask(message);
  std::string answer = take_line(message, kLongestLine);
  if (talk_) talk_->answered(answer);
  return answer;
}

bool Scpi::query_on(const std::string& message) {
  const std::string answer = query(message);
  return answer == "1" || answer == "+1" || answer == "ON";
}

double Scpi::query_number(const std::string& message, std::optional<Dimension> dimension,
                          double factor) {
  const std::string answer = query(message);
  std::string_view rest;
  if (const auto value = number_in_front(answer, rest)) {
    if (rest.empty()) return *value * factor;
    if (dimension) {
      try {
        return *value * unit_factor(rest, *dimension);
      } catch (const std::invalid_argument&) {  // reported below
      }
    }
  }
  garbled(message, "it was answered by \"" + answer.substr(0, 60) + "\"");
}

std::vector<double> parse_values(std::string_view text) {
  std::vector<double> out;
  const auto between = [](char c) { return c == ',' || c == ';' || c == ' ' || c == '\t'; };
  for (std::size_t at = 0; at < text.size();) {
    if (between(text[at])) {
      ++at;
      continue;
    }
    std::size_t end = at;
    while (end < text.size() && !between(text[end])) ++end;
    const std::string_view cell = text.substr(at, end - at);
    std::string_view rest;
    const auto value = number_in_front(cell, rest);
    if (!value || !rest.empty())
      throw std::invalid_argument("\"" + std::string(cell.substr(0, 40)) + "\" is not a number");
    out.push_back(*value);
    at = end;
  }
  return out;
}

std::vector<double> decode_values(std::string_view data, LogProfile::Format format) {
  using Format = LogProfile::Format;
  std::vector<double> out;
  const bool wide = format == Format::float64_little || format == Format::float64_big;
  const bool little = format == Format::float32_little || format == Format::float64_little;
  out.reserve(data.size() / (wide ? 8 : 4));
  wide ? decode<double>(data, little, out) : decode<float>(data, little, out);
  return out;
}

/// The first two characters of a block. A line in front of it was not asked for.
std::string Scpi::block_head(const std::string& message) {
  std::string head = take(2, message);
  for (int lines = 0; head[0] != '#' && lines < 3; ++lines) {
    in_ = head + in_;
    const std::string line = take_line(message, kLongestLine);  // or it stopped answering
    try {
      head = take(2, message);
    } catch (const Error&) {  // nothing came behind it: that was the answer
      if (stop_.stop_requested()) throw;
      break;
    }
    if (unasked) unasked(line.substr(0, 60));
  }
  if (head[0] != '#' || head[1] < '1' || head[1] > '9')
    garbled(message, "a definite-length block was expected");
  return head;
}

std::vector<double> Scpi::query_values(const std::string& message, LogProfile::Format format) {
  ask(message);
  if (format == LogProfile::Format::text) {
    try {
      return parse_values(take_line(message, kLongestText));
    } catch (const std::invalid_argument& e) {
      garbled(message, e.what());
    }
  }
  const std::string head = block_head(message);
  const std::string digits = take(static_cast<std::size_t>(head[1] - '0'), message);
  std::size_t length = 0;
  const auto [end, failed] = std::from_chars(digits.data(), digits.data() + digits.size(), length);
  if (failed != std::errc{} || end != digits.data() + digits.size())
    garbled(message, "the block's length is not a number");
  const std::size_t width =
      format == LogProfile::Format::float64_little || format == LogProfile::Format::float64_big ? 8
                                                                                                : 4;
  if (length > kLargestBlock || length % width != 0)
    garbled(message, "a block of " + digits + " bytes");
  const std::string data = take(length, message);
  for (int i = 0; i < 2; ++i) {
    const char c = take(1, message)[0];
    if (c == framing_.terminator.back()) return decode_values(data, format);
    if (c != '\r') break;
  }
  garbled(message, "no end of message after its block");
}

std::vector<std::string> Scpi::errors(const std::string& ask) {
  std::vector<std::string> out;
  for (int asked = 0; asked < 100; ++asked) {
    const std::string answer = query(ask);
    std::string_view rest;
    const auto code = number_in_front(answer, rest);
    if (answer.empty() || (code && *code == 0)) break;
    // What is left of a block that nobody waited for is no error of the instrument's.
    const bool text = std::all_of(answer.begin(), answer.end(),
                                  [](char c) { return c == '\t' || (c >= ' ' && c <= '~'); });
    if (text || code) out.push_back(answer);
  }
  return out;
}

}  // namespace kuvio::acquire
