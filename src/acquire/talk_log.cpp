// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/talk_log.h"

#include "acquire/host_clock.h"
#include "book/text.h"

#include <algorithm>

namespace kuvio::acquire {
namespace {

// A block of samples is not worth reading.
constexpr std::size_t kLongest = 160;

std::string shown(std::string_view text) {
  std::string out = book::printable(std::string(text.substr(0, kLongest)));
  if (text.size() > kLongest) out += "…";
  return out;
}

}  // namespace

void TalkLog::said(std::string_view message) {
  const std::string text = shown(message);
  const std::lock_guard lock(mutex_);
  const auto known =
      std::find_if(all_.begin(), all_.end(), [&](const Exchange& e) { return e.said == text; });
  if (known != all_.end()) {
    all_.splice(all_.end(), all_, known);
    ++all_.back().times;
  } else {
    all_.push_back({text, {}, 1, 0});
    if (all_.size() > kMost) all_.pop_front();
  }
  all_.back().answered.clear();
  all_.back().last_s = host_now_s();
}

void TalkLog::answered(std::string_view text) {
  const std::lock_guard lock(mutex_);
  if (!all_.empty()) all_.back().answered = shown(text);
}

std::vector<Exchange> TalkLog::exchanges() const {
  const std::lock_guard lock(mutex_);
  return {all_.begin(), all_.end()};
}

}  // namespace kuvio::acquire
