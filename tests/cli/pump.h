// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <arpa/inet.h>
#include <fcntl.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <csignal>
#include <stdexcept>
#include <string>
#include <thread>

namespace kuvio::test {

/// Carries what a TCP port of this computer sends into a pipe, for as long as it lives; whoever
/// reads the pipe may go and come again.
class Pump {
public:
  Pump(const std::string& uri, std::string pipe) : pipe_(std::move(pipe)) {
    std::signal(SIGPIPE, SIG_IGN);
    if (::mkfifo(pipe_.c_str(), 0600) != 0) throw std::runtime_error("no pipe " + pipe_);
    const auto colon = uri.rfind(':');
    port_ = std::stoi(uri.substr(colon + 1));
    thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
  }

private:
  void run(const std::stop_token& stop) const {
    while (!stop.stop_requested()) {
      const int out = ::open(pipe_.c_str(), O_WRONLY | O_NONBLOCK | O_CLOEXEC);
      if (out < 0) {  // nobody reads yet
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
        continue;
      }
      const int in = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
      sockaddr_in to{};
      to.sin_family = AF_INET;
      to.sin_port = htons(static_cast<std::uint16_t>(port_));
      to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
      timeval patience{0, 50'000};
      ::setsockopt(in, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
      if (::connect(in, reinterpret_cast<sockaddr*>(&to), sizeof to) == 0) copy(in, out, stop);
      ::close(in);
      ::close(out);
    }
  }
  static void copy(int in, int out, const std::stop_token& stop) {
    char buffer[8192];
    while (!stop.stop_requested()) {
      const ssize_t n = ::recv(in, buffer, sizeof buffer, 0);
      if (n == 0) return;
      for (ssize_t done = 0; done < n;) {
        const ssize_t written = ::write(out, buffer + done, static_cast<std::size_t>(n - done));
        if (written > 0) {
          done += written;
        } else if (errno == EAGAIN && !stop.stop_requested()) {
          std::this_thread::sleep_for(std::chrono::milliseconds(1));
        } else {
          return;  // whoever read it is gone
        }
      }
    }
  }

  std::string pipe_;
  int port_ = 0;
  std::jthread thread_;
};

}  // namespace kuvio::test
