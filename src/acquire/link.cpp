// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/link.h"

#include "acquire/serial_speed.h"
#include "core/error.h"

#include <asio.hpp>
#include <fcntl.h>
#include <poll.h>
#include <sys/stat.h>
#include <termios.h>
#include <unistd.h>

#include <charconv>
#include <csignal>
#include <optional>
#include <system_error>
#include <thread>

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

  std::size_t read_ready(std::span<char> out) override {
    pollfd ask{stream_.native_handle(), POLLIN, 0};
    if (::poll(&ask, 1, 0) <= 0 || (ask.revents & POLLIN) == 0) return 0;
    return read(out, milliseconds(20));
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
      throw Error(Failure::unavailable, "link stalled", where_, "it accepts no more data");
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
                why == asio::error::eof ? "the remote end closed the connection" : why.message());
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

unsigned baud_of(const Endpoint& endpoint) {
  const std::string text = endpoint.option("baud", "115200");
  unsigned baud = 0;
  const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), baud);
  if (failed != std::errc{} || end != text.data() + text.size() || baud < 1 || baud > 100'000'000) {
    throw Error(Failure::usage, "bad input address", endpoint.text,
                "baud must be a number such as 115200");
  }
  return baud;
}

std::unique_ptr<Link> open_serial(const Endpoint& endpoint) {
  auto link = std::make_unique<StreamLink<asio::serial_port>>(endpoint.text);
  asio::error_code failed;
  link->stream().open(endpoint.path, failed);
  if (failed) {
    throw Error(Failure::unavailable, "cannot open serial line", endpoint.text, failed.message());
  }
  const unsigned baud = baud_of(endpoint);
  link->stream().set_option(asio::serial_port_base::baud_rate(baud), failed);
  if (failed && !set_any_baud(link->stream().native_handle(), baud)) {
    throw Error(Failure::unavailable, "cannot set up serial line", endpoint.text,
                std::to_string(baud) + " baud: " + failed.message());
  }
  link->stream().set_option(asio::serial_port_base::character_size(8), failed);
  link->stream().set_option(
      asio::serial_port_base::flow_control(asio::serial_port_base::flow_control::none), failed);
  return link;
}

constexpr auto kNoWriter = std::chrono::seconds(1);  // a pipe may change its writer

/// A descriptor of the kernel's: a pipe, a file that grows, a character device that takes messages.
class FileLink : public Link {
public:
  FileLink(const Endpoint& endpoint, int flags) : where_(endpoint.text) {
    fd_ = ::open(endpoint.path.c_str(), flags | O_CLOEXEC | O_NOCTTY | O_NONBLOCK);
    if (fd_ < 0) {
      throw Error(Failure::unavailable, "cannot open input", where_,
                  std::error_code(errno, std::generic_category()).message());
    }
    struct stat about {};
    ::fstat(fd_, &about);
    regular_ = S_ISREG(about.st_mode);
    if (S_ISDIR(about.st_mode)) {
      ::close(fd_);
      throw Error(Failure::unavailable, "cannot open input", where_, "it is a folder");
    }
    if (::isatty(fd_) == 1) {
      termios raw{};
      ::tcgetattr(fd_, &raw);
      ::cfmakeraw(&raw);
      ::tcsetattr(fd_, TCSANOW, &raw);
    } else if (endpoint.over == "usbtmc") {
      // The kernel's driver reads a message as a whole and has its own time limit; it does not
      // know by poll when one is there.
      ::fcntl(fd_, F_SETFL, ::fcntl(fd_, F_GETFL) & ~O_NONBLOCK);
      blocking_ = true;
    }
  }
  ~FileLink() override { ::close(fd_); }
  FileLink(const FileLink&) = delete;
  FileLink& operator=(const FileLink&) = delete;

  std::size_t read(std::span<char> out, milliseconds timeout) override {
    const auto deadline = std::chrono::steady_clock::now() + timeout;
    while (true) {
      const ssize_t n = ::read(fd_, out.data(), out.size());
      if (n > 0) {
        heard_ = true;
        ended_.reset();
        return static_cast<std::size_t>(n);
      }
      if (n < 0 && errno == ETIMEDOUT) return 0;
      if (n < 0 && errno != EAGAIN && errno != EINTR) lost(errno);
      if (blocking_) return 0;
      const auto left =
          std::chrono::duration_cast<milliseconds>(deadline - std::chrono::steady_clock::now());
      if (left.count() <= 0) return 0;
      wait(n == 0, std::min<milliseconds>(left, milliseconds(regular_ ? 20 : 200)));
    }
  }

  std::size_t read_ready(std::span<char> out) override {
    return blocking_ ? 0 : read(out, milliseconds(0));
  }

  void write(std::string_view data) override {
    const auto deadline = std::chrono::steady_clock::now() + std::chrono::seconds(5);
    while (!data.empty()) {
      const ssize_t n = ::write(fd_, data.data(), data.size());
      if (n > 0) {
        data.remove_prefix(static_cast<std::size_t>(n));
        continue;
      }
      if (n < 0 && errno != EAGAIN && errno != EINTR) lost(errno);
      if (std::chrono::steady_clock::now() > deadline) {
        throw Error(Failure::unavailable, "link stalled", where_, "it accepts no more data");
      }
      pollfd ask{fd_, POLLOUT, 0};
      ::poll(&ask, 1, 100);
    }
  }

private:
  /// `at_end`: the last read found the end. For a file that is where more may come; for a pipe it
  /// means that nobody writes, yet or any more.
  void wait(bool at_end, milliseconds time) const {
    if (at_end) {
      const auto now = std::chrono::steady_clock::now();
      if (!ended_) ended_ = now;
      if (!regular_ && heard_ && now - *ended_ > kNoWriter) hung_up();
      std::this_thread::sleep_for(std::min(time, milliseconds(20)));
      return;
    }
    pollfd ask{fd_, POLLIN, 0};
    ::poll(&ask, 1, static_cast<int>(time.count()));
    if ((ask.revents & POLLHUP) != 0 && (ask.revents & POLLIN) == 0 && heard_) hung_up();
  }
  [[noreturn]] void hung_up() const {
    throw Error(Failure::unavailable, "link lost", where_, "the remote end closed the connection");
  }
  [[noreturn]] void lost(int why) const {
    throw Error(Failure::unavailable, "link lost", where_,
                why == EIO ? "the remote end closed the connection"
                           : std::error_code(why, std::generic_category()).message());
  }

  std::string where_;
  int fd_ = -1;
  bool regular_ = false, blocking_ = false, heard_ = false;
  mutable std::optional<std::chrono::steady_clock::time_point> ended_;  // since when nobody writes
};

}  // namespace

std::unique_ptr<Link> open_link(const Endpoint& endpoint, milliseconds timeout) {
  std::signal(SIGPIPE, SIG_IGN);  // a peer that hangs up is an error to handle, not a reason to die
  if (endpoint.over == "tcp") return open_tcp(endpoint, timeout);
  if (endpoint.over == "serial") return open_serial(endpoint);
  return std::make_unique<FileLink>(endpoint, endpoint.over == "usbtmc" ? O_RDWR : O_RDONLY);
}

LinkOpener link_opener(const Endpoint& endpoint) {
  return [endpoint](std::chrono::milliseconds timeout) { return open_link(endpoint, timeout); };
}

}  // namespace kuvio::acquire
