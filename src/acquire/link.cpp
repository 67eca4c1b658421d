// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/link.h"

#include "core/error.h"

#include <asio.hpp>

#include <csignal>

namespace kuvio::acquire {
namespace {

using std::chrono::milliseconds;

/// Waits for one asynchronous operation of Asio with a time limit.
template <typename Stream>
class StreamLink : public Link {
public:
  explicit StreamLink(std::string where) : where_(std::move(where)), stream_(io_) {}

  Stream& stream() { return stream_; }
  asio::io_context& io() { return io_; }

  std::size_t read(std::span<char> out, milliseconds timeout) override {
    bool done = false;
    asio::error_code result;
    std::size_t got = 0;
    stream_.async_read_some(asio::buffer(out.data(), out.size()),
                            [&](const asio::error_code& failed, std::size_t n) {
                              done = true;
                              result = failed;
                              got = n;
                            });
    wait(done, timeout);
    if (result == asio::error::operation_aborted) return got;
    if (result) lost(result);
    return got;
  }

  void write(std::string_view data) override {
    bool done = false;
    asio::error_code result;
    asio::async_write(stream_, asio::buffer(data.data(), data.size()),
                      [&](const asio::error_code& failed, std::size_t) {
                        done = true;
                        result = failed;
                      });
    if (!wait(done, std::chrono::seconds(5))) {
      throw Error(Failure::unavailable, "link stalled", where_, "it takes no more data");
    }
    if (result) lost(result);
  }

  /// False when the time ran out; the operation is then cancelled and has ended.
  bool wait(const bool& done, milliseconds timeout) {
    io_.restart();
    io_.run_for(timeout);
    if (done) return true;
    asio::error_code ignored;
    stream_.cancel(ignored);
    io_.restart();
    io_.run();
    return false;
  }

private:
  [[noreturn]] void lost(const asio::error_code& why) const {
    throw Error(Failure::unavailable, "link lost", where_,
                why == asio::error::eof ? "the other end hung up" : why.message());
  }

  std::string where_;
  asio::io_context io_;
  Stream stream_;
};

std::unique_ptr<Link> open_tcp(const Endpoint& endpoint, milliseconds timeout) {
  auto link = std::make_unique<StreamLink<asio::ip::tcp::socket>>(endpoint.text);
  const auto refuse = [&](const std::string& why) {
    throw Error(Failure::unavailable, "cannot reach input", endpoint.text, why);
  };
  asio::error_code failed;
  asio::ip::tcp::resolver resolver(link->io());
  const auto found = resolver.resolve(endpoint.host, std::to_string(endpoint.port), failed);
  if (failed) refuse("no such host: " + failed.message());
  bool done = false;
  asio::async_connect(link->stream(), found, [&](const asio::error_code& why, const auto&) {
    done = true;
    failed = why;
  });
  if (!link->wait(done, timeout)) refuse("it does not answer");
  if (failed) refuse(failed.message());
  link->stream().set_option(asio::ip::tcp::no_delay(true), failed);
  return link;
}

std::unique_ptr<Link> open_serial(const Endpoint& endpoint) {
  auto link = std::make_unique<StreamLink<asio::serial_port>>(endpoint.text);
  asio::error_code failed;
  link->stream().open(endpoint.path, failed);
  if (failed) {
    throw Error(Failure::unavailable, "cannot open serial line", endpoint.text, failed.message());
  }
  unsigned baud = 115200;
  if (const auto it = endpoint.options.find("baud"); it != endpoint.options.end()) {
    try {
      baud = static_cast<unsigned>(std::stoul(it->second));
    } catch (const std::exception&) {
      throw Error(Failure::usage, "bad input address", endpoint.text, "baud must be a number");
    }
  }
  link->stream().set_option(asio::serial_port_base::baud_rate(baud), failed);
  if (failed) {
    throw Error(Failure::unavailable, "cannot set up serial line", endpoint.text,
                std::to_string(baud) + " baud: " + failed.message());
  }
  link->stream().set_option(asio::serial_port_base::character_size(8), failed);
  link->stream().set_option(
      asio::serial_port_base::flow_control(asio::serial_port_base::flow_control::none), failed);
  return link;
}

}  // namespace

std::unique_ptr<Link> open_link(const Endpoint& endpoint, milliseconds timeout) {
  std::signal(SIGPIPE, SIG_IGN);  // a peer that hangs up is an error to handle, not a reason to die
  return endpoint.over == "tcp" ? open_tcp(endpoint, timeout) : open_serial(endpoint);
}

}  // namespace kuvio::acquire
