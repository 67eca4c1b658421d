// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/endpoint.h"

#include <chrono>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>

namespace kuvio::acquire {

/// A byte stream to an instrument or a device. For one thread.
class Link {
public:
  virtual ~Link() = default;
  /// Reads what is there, at most out.size() bytes; 0 when nothing came within the time. Throws
  /// Error (unavailable) when the other end hung up.
  virtual std::size_t read(std::span<char> out, std::chrono::milliseconds timeout) = 0;
  /// Reads what lies ready, without waiting; 0 where that is not known.
  virtual std::size_t read_ready(std::span<char> out) = 0;
  /// Writes all of it or throws Error (unavailable).
  virtual void write(std::string_view data) = 0;
};

inline constexpr auto kFirstLink = std::chrono::seconds(3);

/// Opens the link of an endpoint; Error (unavailable) when it cannot be reached within the time.
std::unique_ptr<Link> open_link(const Endpoint& endpoint,
                                std::chrono::milliseconds timeout = kFirstLink);

/// The way to one and the same instrument, taken again after a loss; throws as open_link does.
using LinkOpener = std::function<std::unique_ptr<Link>(std::chrono::milliseconds timeout)>;
LinkOpener link_opener(const Endpoint& endpoint);

}  // namespace kuvio::acquire
