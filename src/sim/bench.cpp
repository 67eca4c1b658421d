// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/bench.h"

#include <asio.hpp>
#include <fcntl.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <chrono>
#include <fstream>
#include <list>
#include <stdexcept>

namespace kuvio::sim {
namespace {

using asio::ip::tcp;
using Clock = std::chrono::steady_clock;

/// A pseudo-terminal; the bench keeps the master, the other end is what the recorder opens.
struct Pty {
  int master = -1, keep_open = -1;
  std::string path;

  Pty() {
    master = ::posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK);
    if (master < 0 || ::grantpt(master) != 0 || ::unlockpt(master) != 0) {
      throw std::runtime_error("no pseudo-terminal to be had for the device log");
    }
    std::array<char, 128> name{};
    if (::ptsname_r(master, name.data(), name.size()) != 0)
      throw std::runtime_error("ptsname failed");
    path = name.data();
    // Held open, so that the master does not see a hang-up between two recorders.
    keep_open = ::open(path.c_str(), O_RDWR | O_NOCTTY);
    termios raw{};
    ::tcgetattr(keep_open, &raw);
    ::cfmakeraw(&raw);
    ::tcsetattr(keep_open, TCSANOW, &raw);
  }
  ~Pty() {
    if (keep_open >= 0) ::close(keep_open);
    if (master >= 0) ::close(master);
  }
  Pty(const Pty&) = delete;
  Pty& operator=(const Pty&) = delete;
};

}  // namespace

struct Bench::Impl {
  explicit Impl(BenchSettings s)
      : settings(std::move(s)),
        device(firmware(settings.build), settings.seed),
        analyser(device, settings.seed, settings.faults),
        acceptor(io),
        terminal(io),
        timer(io),
        signals(io, SIGINT, SIGTERM) {
    std::signal(SIGPIPE, SIG_IGN);
    const tcp::endpoint at(asio::ip::address_v4::loopback(),
                           static_cast<unsigned short>(settings.port));
    acceptor.open(at.protocol());
    acceptor.set_option(tcp::acceptor::reuse_address(true));
    acceptor.bind(at);
    acceptor.listen();
    terminal.assign(::dup(pty.master));
    device.print = [this](double, double uptime, const std::string& line) {
      printed(uptime, line);
    };
    last = Clock::now();
  }

  /// Bench time: real time times the speed. Faster than real time it stays near whoever fetches.
  double now() {
    const Clock::time_point at = Clock::now();
    const double step = std::chrono::duration<double>(at - last).count() * settings.speed;
    last = at;
    if (settings.speed > 1) {
      const double limit = analyser.waits_at(std::max(60.0, 0.1 * settings.speed));
      time = std::max(time, std::min(time + step, limit));
    } else {
      time += step;
    }
    return time;
  }

  // --- device log ------------------------------------------------------------------------------
  void printed(double uptime, const std::string& line) {
    // At other than real time arrival says nothing, so the device stamps its lines itself.
    const std::string text =
        settings.speed == 1 ? line + "\r\n" : fmt::format("[{:.6f}] {}\r\n", uptime, line);
    if (log_out.size() < (1 << 20))
      log_out += text;  // nobody listens: a real UART would lose it too
  }
  void flush_log() {
    while (!log_out.empty()) {
      const ssize_t n = ::write(pty.master, log_out.data(), log_out.size());
      if (n <= 0) break;
      log_out.erase(0, static_cast<std::size_t>(n));
    }
  }
  void read_terminal() {
    terminal.async_read_some(asio::buffer(terminal_in),
                             [this](const asio::error_code& failed, std::size_t n) {
                               if (!failed) {
                                 for (std::size_t i = 0; i < n; ++i) {
                                   const char c = terminal_in[i];
                                   if (c == '\n' || c == '\r') {
                                     if (!command.empty()) device.command(now(), command);
                                     command.clear();
                                   } else if (command.size() < 200) {
                                     command += c;
                                   }
                                 }
                                 flush_log();
                                 read_terminal();
                               }
                             });
  }

  // --- SCPI over TCP ---------------------------------------------------------------------------
  struct Session {
    explicit Session(tcp::socket s) : socket(std::move(s)) {}
    tcp::socket socket;
    std::string in, out;
    std::array<char, 4096> buffer{};
  };
  void accept() {
    acceptor.async_accept([this](const asio::error_code& failed, tcp::socket socket) {
      if (failed) return;
      socket.set_option(tcp::no_delay(true));
      auto session = std::make_shared<Session>(std::move(socket));
      sessions.push_back(session);
      read(session);
      accept();
    });
  }
  void read(const std::shared_ptr<Session>& s) {
    s->socket.async_read_some(asio::buffer(s->buffer),
                              [this, s](const asio::error_code& failed, std::size_t n) {
                                if (failed) {
                                  close(s);
                                  return;
                                }
                                s->in.append(s->buffer.data(), n);
                                serve(s);
                              });
  }
  void serve(const std::shared_ptr<Session>& s) {
    if (analyser.hung_up(now())) return close(s);
    if (analyser.stalled(now())) return read(s);
    const auto end = s->in.find('\n');
    if (end == std::string::npos) {
      if (s->in.size() > (1 << 16)) return close(s);
      return read(s);
    }
    const std::string message = s->in.substr(0, end);
    s->in.erase(0, end + 1);
    const bool was_logging = analyser.log_stop_s() < 0;
    s->out = analyser.command(now(), message);
    if (was_logging && analyser.log_stop_s() >= 0) write_truth();
    flush_log();
    asio::async_write(s->socket, asio::buffer(s->out),
                      [this, s](const asio::error_code& failed, std::size_t) {
                        if (failed) return close(s);
                        serve(s);
                      });
  }
  void close(const std::shared_ptr<Session>& s) {
    asio::error_code ignored;
    s->socket.close(ignored);
    sessions.remove(s);
  }

  // --- time ------------------------------------------------------------------------------------
  void tick() {
    analyser.advance(now());
    flush_log();
    if (analyser.hung_up(now())) {
      while (!sessions.empty()) close(sessions.front());
    }
    timer.expires_after(std::chrono::milliseconds(2));
    timer.async_wait([this](const asio::error_code& failed) {
      if (!failed) tick();
    });
  }
  void write_truth() {
    if (settings.truth_file.empty()) return;
    std::ofstream(settings.truth_file) << truth_json(device, analyser, settings, now()) << "\n";
  }

  BenchSettings settings;
  Satchel device;
  Analyser analyser;
  Pty pty;
  asio::io_context io;
  tcp::acceptor acceptor;
  asio::posix::stream_descriptor terminal;
  asio::steady_timer timer;
  asio::signal_set signals;
  std::list<std::shared_ptr<Session>> sessions;
  std::string log_out, command;
  std::array<char, 512> terminal_in{};
  Clock::time_point last;
  double time = 0;
};

Bench::Bench(BenchSettings settings) : impl_(std::make_unique<Impl>(std::move(settings))) {}
Bench::~Bench() = default;

std::string Bench::scpi_uri() const {
  return "scpi+tcp://127.0.0.1:" + std::to_string(impl_->acceptor.local_endpoint().port());
}

std::string Bench::log_uri() const {
  return "log+serial:" + impl_->pty.path + "?baud=115200" +
         (impl_->settings.speed == 1
              ? ""
              : fmt::format("&stamped=uptime&time_scale={:g}", impl_->settings.speed));
}

void Bench::run() {
  impl_->accept();
  impl_->read_terminal();
  impl_->tick();
  impl_->signals.async_wait([this](const asio::error_code&, int) { impl_->io.stop(); });
  impl_->io.run();
  impl_->write_truth();
}

std::string truth_json(const Satchel& device, const Analyser& analyser,
                       const BenchSettings& settings, double now_s) {
  using nlohmann::json;
  const double start = std::max(0.0, analyser.log_start_s());
  const double stop = analyser.log_stop_s() >= start ? analyser.log_stop_s() : now_s;
  json visits = json::array();
  double total = 0;
  for (const Stretch& s : device.stretches()) {
    const double a = std::max(start, s.from_s), b = std::min(stop, s.to_s);
    if (a >= b) continue;
    const double charge = s.charge(a, b);
    total += charge;
    if (!visits.empty() && visits.back()["state"] == s.state) {
      visits.back()["to_s"] = b - start;
      visits.back()["charge_c"] = visits.back()["charge_c"].get<double>() + charge;
    } else {
      visits.push_back(
          {{"state", s.state}, {"from_s", a - start}, {"to_s", b - start}, {"charge_c", charge}});
    }
  }
  return json{{"build", settings.build},
              {"seed", settings.seed},
              {"gain_error", analyser.gain_error()},
              {"offset_error_a", analyser.offset_error()},
              {"duration_s", stop - start},
              {"charge_c", total},
              {"visits", visits}}
      .dump(1);
}

}  // namespace kuvio::sim
