// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/bench.h"

#include "sim/meter.h"
#include "sim/perch.h"
#include "sim/pty.h"
#include "sim/satchel.h"

#include <asio.hpp>
#include <fcntl.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <sys/stat.h>
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
constexpr std::size_t kBacklog = 8 << 20;  // bytes; a bench faster than real time waits then

std::unique_ptr<Device> make_device(const BenchSettings& s) {
  if (s.device == "satchel") return std::make_unique<Satchel>(firmware(s.build), s.seed);
  if (s.device == "perch") return std::make_unique<Perch>(s.seed);
  throw std::invalid_argument("no device \"" + s.device + "\"; there are satchel and perch");
}

/// Where bytes go out to whoever listens: everybody on a TCP port, a pseudo-terminal, a pipe or a
/// file.
class Outlet {
public:
  Outlet(asio::io_context& io, const std::string& where) : where_(where), acceptor_(io) {
    if (where == "tcp") {
      const tcp::endpoint at(asio::ip::address_v4::loopback(), 0);
      acceptor_.open(at.protocol());
      acceptor_.set_option(tcp::acceptor::reuse_address(true));
      acceptor_.bind(at);
      acceptor_.listen();
    } else if (where == "serial") {
      pty_ = std::make_unique<Pty>();
    }
  }
  ~Outlet() {
    if (file_ >= 0) ::close(file_);
  }
  Outlet(const Outlet&) = delete;
  Outlet& operator=(const Outlet&) = delete;

  std::string uri(const std::string& speaks) const {
    if (where_ == "tcp")
      return speaks + "+tcp://127.0.0.1:" + std::to_string(acceptor_.local_endpoint().port());
    if (where_ == "serial") return speaks + "+serial:" + pty_->path;
    return speaks + ":" + where_;
  }

  /// What a new listener is sent first.
  std::function<std::string()> greeting;
  std::function<std::string(std::string_view)> question;

  void accept() {
    if (where_ != "tcp") return;
    acceptor_.async_accept([this](const asio::error_code& failed, tcp::socket socket) {
      if (failed) return;
      asio::error_code ignored;
      socket.set_option(tcp::no_delay(true), ignored);
      socket.non_blocking(true, ignored);
      listeners_.push_back({std::move(socket), greeting ? greeting() : "", false});
      wait_for_question(std::prev(listeners_.end()));
      accept();
    });
  }
  /// A question for its clock is answered as soon as it comes, not with the next tick.
  template <typename Place>
  void wait_for_question(Place listener) {
    if (!question) return;
    listener->socket.async_wait(tcp::socket::wait_read, [this](const asio::error_code& failed) {
      if (failed) return;
      flush();
      for (auto l = listeners_.begin(); l != listeners_.end(); ++l) {
        if (l->waits) continue;
        l->waits = true;
        wait_for_question(l);
      }
    });
    listener->waits = true;
  }

  void send(const std::string& bytes) {
    if (where_ == "tcp") {
      for (Listener& l : listeners_) l.out += bytes;
    } else if (where_ == "serial") {
      if (terminal_out_.size() < kBacklog) terminal_out_ += bytes;
    } else {
      open_file();
      if (file_ >= 0) file_out_ += bytes;
    }
    flush();
  }

  void flush() {
    for (auto l = listeners_.begin(); l != listeners_.end();) {
      asio::error_code failed;
      std::array<char, 1024> in;
      const std::size_t got = l->socket.read_some(asio::buffer(in), failed);
      if (got > 0) l->waits = false;
      bool gone = failed && failed != asio::error::would_block;
      if (got > 0 && question) l->out += question({in.data(), got});
      while (!gone && !l->out.empty()) {
        const std::size_t n = l->socket.write_some(asio::buffer(l->out), failed);
        if (failed == asio::error::would_block) break;
        gone = static_cast<bool>(failed);
        l->out.erase(0, n);
      }
      l = gone ? listeners_.erase(l) : std::next(l);
    }
    if (pty_) {
      std::array<char, 1024> in;
      const ssize_t got = ::read(pty_->master, in.data(), in.size());
      if (got > 0 && question)
        terminal_out_ += question({in.data(), static_cast<std::size_t>(got)});
      write_some(pty_->master, terminal_out_);
    }
    if (file_ >= 0) write_some(file_, file_out_);
  }

  std::size_t backlog() const {
    std::size_t most = 0;
    for (const Listener& l : listeners_) most = std::max(most, l.out.size());
    return most;
  }
  bool heard() const { return !listeners_.empty() || where_ != "tcp"; }
  void close_all() { listeners_.clear(); }

private:
  static void write_some(int fd, std::string& out) {
    while (!out.empty()) {
      const ssize_t n = ::write(fd, out.data(), out.size());
      if (n <= 0) return;
      out.erase(0, static_cast<std::size_t>(n));
    }
  }
  /// A pipe can be opened once somebody reads it.
  void open_file() {
    if (file_ >= 0) return;
    file_ = ::open(where_.c_str(), O_WRONLY | O_CREAT | O_APPEND | O_NONBLOCK | O_CLOEXEC, 0644);
    if (file_ >= 0 && greeting) file_out_ = greeting();
  }

  struct Listener {
    tcp::socket socket;
    std::string out;
    bool waits = false;
  };
  std::string where_;
  tcp::acceptor acceptor_;
  std::list<Listener> listeners_;
  std::unique_ptr<Pty> pty_;
  std::string terminal_out_, file_out_;
  int file_ = -1;
};

}  // namespace

struct Bench::Impl {
  explicit Impl(BenchSettings s)
      : settings(std::move(s)),
        device(make_device(settings)),
        analyser(*device, settings.seed, settings.instrument_seed.value_or(settings.seed),
                 settings.faults),
        acceptor(io),
        meter_acceptor(io),
        terminal(io),
        timer(io),
        signals(io, SIGINT, SIGTERM) {
    std::signal(SIGPIPE, SIG_IGN);
    listen(acceptor, settings.port);
    terminal.assign(::dup(pty.master));
    if (device->ports() == 2) analyser.set_model("Simulated two-output unit");
    device->print = [this](double, double uptime, const std::string& line) {
      printed(uptime, line);
    };
    if (!settings.stream.empty()) {
      digitiser = std::make_unique<Digitiser>(*device, settings.seed, settings.digitiser);
      stream = std::make_unique<Outlet>(io, settings.stream);
      stream->greeting = [this] { return digitiser->header(); };
      stream->question = [this](std::string_view in) { return digitiser->take(now(), in); };
    }
    if (!settings.lines.empty()) {
      logger = std::make_unique<TextLogger>(*device, settings.seed, settings.lines_rate,
                                            settings.lines_time);
      lines = std::make_unique<Outlet>(io, settings.lines);
      lines->greeting = [this] { return logger->header(); };
      if (settings.lines == "serial") lines->send(logger->header());
    }
    if (settings.meter) {
      meter = std::make_unique<Meter>(*device, settings.seed);
      listen(meter_acceptor, 0);
    }
    if (settings.serial) scpi_pty = std::make_unique<Pty>();
    if (!settings.sensors.empty()) sensors = std::make_unique<SensorTree>(settings.sensors);
    if (!settings.joined.empty())
      analyser.command(0, settings.joined == "series" ? "OUTP:JOIN SER" : "OUTP:JOIN PAR");
    if (settings.power_on) analyser.command(0, "OUTP ON");
    last = Clock::now();
  }

  static void listen(tcp::acceptor& on, int port) {
    const tcp::endpoint at(asio::ip::address_v4::loopback(), static_cast<unsigned short>(port));
    on.open(at.protocol());
    on.set_option(tcp::acceptor::reuse_address(true));
    on.bind(at);
    on.listen();
  }

  /// Bench time: real time times the speed. Faster than real time it stays near whoever fetches.
  double now() {
    const Clock::time_point at = Clock::now();
    const double step = std::chrono::duration<double>(at - last).count() * settings.speed;
    last = at;
    if (settings.speed > 1) {
      if (stream && stream->backlog() > kBacklog) return time;
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
  /// A pseudo-terminal does not pace: at real time the bytes go out as the baud rate lets them.
  void flush_log() {
    const auto at = Clock::now();
    std::size_t allowed = log_out.size();
    if (settings.speed == 1) {
      const auto byte = std::chrono::duration<double>(10.0 / settings.baud);
      if (log_out.empty() || log_free < at - std::chrono::milliseconds(50))
        log_free = at;  // the line was idle
      allowed = std::min(allowed, static_cast<std::size_t>(std::max(
                                      0.0, std::chrono::duration<double>(at - log_free) / byte)));
      log_free += std::chrono::duration_cast<Clock::duration>(byte * static_cast<double>(allowed));
    }
    while (allowed > 0) {
      const ssize_t n = ::write(pty.master, log_out.data(), allowed);
      if (n <= 0) break;
      log_out.erase(0, static_cast<std::size_t>(n));
      allowed -= static_cast<std::size_t>(n);
    }
  }
  void read_terminal() {
    terminal.async_read_some(asio::buffer(terminal_in),
                             [this](const asio::error_code& failed, std::size_t n) {
                               if (failed) return;
                               for (std::size_t i = 0; i < n; ++i) {
                                 const char c = terminal_in[i];
                                 if (c == '\n' || c == '\r') {
                                   if (!command.empty()) device->command(now(), command);
                                   command.clear();
                                 } else if (command.size() < 200) {
                                   command += c;
                                 }
                               }
                               flush_log();
                               read_terminal();
                             });
  }

  // --- SCPI ------------------------------------------------------------------------------------
  struct Session {
    Session(tcp::socket s, bool m) : socket(std::move(s)), of_meter(m) {}
    tcp::socket socket;
    bool of_meter;
    std::string in, out;
    std::array<char, 4096> buffer{};
  };
  void accept(tcp::acceptor& on, bool of_meter) {
    on.async_accept([this, &on, of_meter](const asio::error_code& failed, tcp::socket socket) {
      if (failed) return;
      asio::error_code ignored;
      socket.set_option(tcp::no_delay(true), ignored);
      auto session = std::make_shared<Session>(std::move(socket), of_meter);
      sessions.push_back(session);
      read(session);
      accept(on, of_meter);
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
  std::string answer(const std::string& message) {
    const bool was_logging = analyser.log_start_s() >= 0 && analyser.log_stop_s() < 0;
    std::string out = analyser.command(now(), message);
    if (was_logging && analyser.log_stop_s() >= 0) write_truth();
    return out;
  }
  void serve(const std::shared_ptr<Session>& s) {
    if (!s->of_meter && analyser.hung_up(now())) return close(s);
    if (!s->of_meter && analyser.stalled(now())) return read(s);
    const auto end = s->in.find('\n');
    if (end == std::string::npos) {
      if (s->in.size() > (1 << 16)) return close(s);
      return read(s);
    }
    const std::string message = s->in.substr(0, end);
    s->in.erase(0, end + 1);
    s->out = s->of_meter ? meter->command(now(), message) : answer(message);
    flush_log();
    asio::async_write(s->socket, asio::buffer(s->out),
                      [this, s](const asio::error_code& failed, std::size_t) {
                        if (failed) return close(s);
                        serve(s);
                      });
  }
  void serve_serial() {
    std::array<char, 4096> in;
    const ssize_t n = ::read(scpi_pty->master, in.data(), in.size());
    if (n > 0) serial_in.append(in.data(), static_cast<std::size_t>(n));
    for (auto end = serial_in.find('\n'); end != std::string::npos; end = serial_in.find('\n')) {
      const std::string message = serial_in.substr(0, end);
      serial_in.erase(0, end + 1);
      serial_out += answer(message);
    }
    while (!serial_out.empty()) {
      const ssize_t sent = ::write(scpi_pty->master, serial_out.data(), serial_out.size());
      if (sent <= 0) break;
      serial_out.erase(0, static_cast<std::size_t>(sent));
    }
  }
  void close(const std::shared_ptr<Session>& s) {
    asio::error_code ignored;
    s->socket.close(ignored);
    sessions.remove(s);
  }

  // --- time ------------------------------------------------------------------------------------
  void tick() {
    const double at = now();
    analyser.advance(at);
    flush_log();
    if (analyser.hung_up(at)) {
      while (!sessions.empty()) close(sessions.front());
    }
    const double volts = analyser.terminal_volts(0);
    if (stream) stream->send(digitiser->send(at, volts));
    if (lines) lines->send(logger->send(at, volts));
    if (scpi_pty) serve_serial();
    if (sensors && at - shown > 0.005) {
      std::size_t cursor = 0;
      sensors->show(mean_current(*device, 0, std::max(0.0, at - 1e-3), at, cursor),
                    fed_volts(*device, 0, at, volts));
      shown = at;
    }
    timer.expires_after(std::chrono::milliseconds(2));
    timer.async_wait([this](const asio::error_code& failed) {
      if (!failed) tick();
    });
  }
  void write_truth() {
    if (settings.truth_file.empty()) return;
    const std::string next = settings.truth_file + ".new";
    std::ofstream(next) << truth_json(*device, analyser, settings, now(), digitiser.get()) << "\n";
    ::rename(next.c_str(), settings.truth_file.c_str());
  }

  BenchSettings settings;
  std::unique_ptr<Device> device;
  Analyser analyser;
  Pty pty;
  asio::io_context io;
  tcp::acceptor acceptor, meter_acceptor;
  asio::posix::stream_descriptor terminal;
  asio::steady_timer timer;
  asio::signal_set signals;
  std::list<std::shared_ptr<Session>> sessions;
  std::unique_ptr<Digitiser> digitiser;
  std::unique_ptr<Outlet> stream, lines;
  std::unique_ptr<TextLogger> logger;
  std::unique_ptr<Meter> meter;
  std::unique_ptr<Pty> scpi_pty;
  std::unique_ptr<SensorTree> sensors;
  std::string log_out, command, serial_in, serial_out;
  std::array<char, 512> terminal_in{};
  Clock::time_point last, log_free = Clock::now();
  double time = 0, shown = -1;
};

Bench::Bench(BenchSettings settings) : impl_(std::make_unique<Impl>(std::move(settings))) {}
Bench::~Bench() = default;

std::string Bench::endpoints() const {
  const Impl& b = *impl_;
  const auto port = [](const tcp::acceptor& a) {
    return std::to_string(a.local_endpoint().port());
  };
  const std::string scale =
      b.settings.speed == 1 ? "" : fmt::format("time_scale={:g}", b.settings.speed);
  const auto scaled = [&](const std::string& uri) {
    return scale.empty() ? uri : uri + (uri.find('?') == std::string::npos ? "?" : "&") + scale;
  };
  nlohmann::json out{
      {"scpi", "scpi+tcp://127.0.0.1:" + port(b.acceptor)},
      {"log", scaled("log+serial:" + b.pty.path + "?baud=" + std::to_string(b.settings.baud) +
                     (scale.empty() ? "" : "&stamped=uptime"))},
      {"time_scale", b.settings.speed},
      {"build", b.settings.build}};
  if (b.stream) out["stream"] = scaled(b.stream->uri("stream"));
  if (b.lines) out["lines"] = scaled(b.lines->uri("lines"));
  if (b.meter) out["meter"] = "scpi+tcp://127.0.0.1:" + port(b.meter_acceptor);
  if (b.scpi_pty) {
    out["serial"] = "scpi+serial:" + b.scpi_pty->path;
    out["usbtmc"] = "usbtmc:" + b.scpi_pty->path;
  }
  if (b.sensors) {
    out["hwmon"] = "sysfs:" + b.sensors->hwmon();
    out["iio"] = "sysfs:" + b.sensors->iio();
  }
  return out.dump();
}

void Bench::run() {
  impl_->accept(impl_->acceptor, false);
  if (impl_->meter) impl_->accept(impl_->meter_acceptor, true);
  if (impl_->stream) impl_->stream->accept();
  if (impl_->lines) impl_->lines->accept();
  impl_->read_terminal();
  impl_->tick();
  impl_->signals.async_wait([this](const asio::error_code&, int) { impl_->io.stop(); });
  impl_->io.run();
  impl_->write_truth();
}

std::string truth_json(const Device& device, const Analyser& analyser,
                       const BenchSettings& settings, double now_s, const Digitiser* digitiser) {
  using nlohmann::json;
  const double start = std::max(0.0, analyser.log_start_s());
  const double stop = analyser.log_stop_s() >= start ? analyser.log_stop_s() : now_s;
  json visits = json::array();
  double total = 0;
  for (const Stretch& s : device.stretches(0)) {
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
  json out{{"device", device.name()},
           {"build", settings.build},
           {"seed", settings.seed},
           {"gain_error", analyser.gain_error()},
           {"offset_error_a", analyser.offset_error()},
           {"duration_s", stop - start},
           {"charge_c", total},
           {"visits", visits}};
  if (digitiser) {
    const Digitiser::Truth& t = digitiser->truth();
    json sent = json::array();  // first sample, checksum, whether it arrived whole
    for (const auto& f : t.sent) sent.push_back({f.first, std::to_string(f.checksum), f.whole});
    out["stream"] = {{"frames", t.frames},
                     {"dropped", t.dropped},
                     {"garbled", t.garbled},
                     {"samples", t.samples},
                     {"samples_lost", t.samples_lost},
                     {"samples_a_frame", t.samples_a_frame},
                     {"sent", std::move(sent)}};
  }
  return out.dump(1);
}

}  // namespace kuvio::sim
