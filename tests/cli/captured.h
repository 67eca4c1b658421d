// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "book/channel_trace.h"
#include "cli/process.h"
#include "core/measure.h"

#include "support.h"

#include <stdexcept>
#include <string>
#include <vector>

namespace kuvio::test {

/// A capture that was recorded, with its first book and channels at hand.
struct Captured {
  book::Book book;
  book::CaptureInfo info;

  explicit Captured(const std::string& path, std::int64_t id = 1)
      : book(book::Book::open(path, book::Book::Mode::read)), info(book.capture(id)) {}
  const book::ChannelInfo& channel(const std::string& name) const {
    const auto* c = info.channel(name);
    if (!c) throw std::runtime_error("no channel " + name);
    return *c;
  }
  SpanFigures figures(const std::string& name) const {
    return measure(book::ChannelTrace(book, channel(name)));
  }
  SpanFigures figures(const std::string& name, double a, double b) const {
    return measure(book::ChannelTrace(book, channel(name)), a, b);
  }
  /// When the current first passes a level.
  double rise(const std::string& name, double level, double from = 0) const {
    return test::first_above(book::ChannelTrace(book, channel(name)), level, from);
  }
  std::vector<Event> events(EventKind kind) const {
    std::vector<Event> out;
    for (const auto& e : book.events(info.id)) {
      if (e.kind == kind) out.push_back(e);
    }
    return out;
  }
};

inline std::string uri(const Bench& bench, const char* key) { return bench.endpoints.at(key); }

}  // namespace kuvio::test
