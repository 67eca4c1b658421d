// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/work/bench_control.h"

#include "core/present.h"
#include "core/quantity.h"

#include <QCoreApplication>

#include <nlohmann/json.hpp>
#include <sys/statvfs.h>

#include <algorithm>

namespace kuvio::app {
namespace {

constexpr int kLookMs = 100;

QString q(const std::string& text) { return QString::fromStdString(text); }

/// Free bytes on the disk a file is on; nothing when that cannot be told.
std::optional<std::uint64_t> free_beside(const std::string& file) {
  struct statvfs disk {};
  const auto slash = file.rfind('/');
  const std::string folder = slash == std::string::npos ? "." : file.substr(0, slash + 1);
  if (::statvfs(folder.c_str(), &disk) != 0) return std::nullopt;
  return static_cast<std::uint64_t>(disk.f_bavail) * disk.f_frsize;
}

}  // namespace

BenchControl::BenchControl(QObject* parent)
    : QObject(parent),
      courier_(this),
      recorder_(std::make_unique<Strand>()),
      helper_(std::make_unique<Strand>()) {
  look_.setInterval(kLookMs);
  connect(&look_, &QTimer::timeout, this, &BenchControl::look);
}

BenchControl::~BenchControl() {
  courier_.retire();
  if (stop_) stop_->request_stop();
  // A monitor may have to wait for a link that has stalled: not here.
  helper_->post(
      [monitor = std::move(monitor_)](const std::stop_token&) mutable { monitor.reset(); });
  recorder_.reset();
  helper_.reset();
  if (simulated()) {
    process_->disconnect(this);
    process_->terminate();
    process_->waitForFinished(1000);
  }
}

void BenchControl::connectTo(const QString& output, const QString& log) {
  if (recording()) {
    emit failed(tr("Stop the recording before other addresses are connected."));
    return;
  }
  try {
    const auto endpoint = acquire::parse_endpoint(output.trimmed().toStdString());
    if (endpoint.speaks != "scpi") {
      emit failed(
          tr("%1 is no address of an output; it looks like scpi+tcp://HOST:PORT.").arg(output));
      return;
    }
    if (!log.trimmed().isEmpty() &&
        acquire::parse_endpoint(log.trimmed().toStdString()).speaks != "log") {
      emit failed(
          tr("%1 is no address of a device log; it looks like log+serial:/dev/ttyUSB0?baud=115200.")
              .arg(log));
      return;
    }
  } catch (const Error& e) {
    emit failed(QString::fromUtf8(e.what()));
    return;
  }
  output_address_ = output.trimmed();
  log_address_ = log.trimmed();
  watch();
  emit connected();
}

/// Opens a monitor on the addresses; the one before goes in the helper's thread.
void BenchControl::watch() {
  if (output_address_.isEmpty()) return;
  if (monitor_) {
    helper_->post([old = std::move(monitor_)](const std::stop_token&) mutable { old.reset(); });
  }
  std::optional<acquire::Endpoint> log;
  if (!log_address_.isEmpty()) log = acquire::parse_endpoint(log_address_.toStdString());
  monitor_ = std::make_shared<acquire::Monitor>(
      acquire::parse_endpoint(output_address_.toStdString()), log);
  state_.phase = BenchState::Phase::connecting;
  state_.trouble.clear();
  look_.start();
  askDisk();
  emit changed();
}

void BenchControl::disconnectAll() {
  if (recording()) return;
  look_.stop();
  if (monitor_) {
    helper_->post([old = std::move(monitor_)](const std::stop_token&) mutable { old.reset(); });
  }
  monitor_.reset();
  output_address_.clear();
  log_address_.clear();
  state_ = {};
  emit changed();
}

void BenchControl::startSimulated(const QString& build, quint64 seed, double speed) {
  if (recording()) return;
  disconnectAll();
  if (process_) {  // the one before ends in its own time
    process_->disconnect(this);
    connect(process_, &QProcess::finished, process_, &QObject::deleteLater);
    process_->kill();
  }
  process_ = new QProcess(this);
  connect(process_, &QProcess::readyReadStandardOutput, this, &BenchControl::readProcess);
  connect(process_, &QProcess::errorOccurred, this, [this](QProcess::ProcessError error) {
    if (error == QProcess::FailedToStart)
      emit failed(
          tr("The simulated bench cannot be started: %1 is not there.").arg(process_->program()));
  });
  process_->setProgram(QCoreApplication::applicationDirPath() + QStringLiteral("/kuvio-sim"));
  process_->setArguments({QStringLiteral("--build"), build, QStringLiteral("--seed"),
                          QString::number(seed), QStringLiteral("--speed"),
                          QString::number(speed)});
  process_->setStandardErrorFile(QProcess::nullDevice());
  state_.phase = BenchState::Phase::connecting;
  process_->start();
  emit changed();
}

void BenchControl::readProcess() {
  if (!process_->canReadLine()) return;
  const auto endpoints = nlohmann::json::parse(process_->readLine().toStdString(), nullptr, false);
  if (!endpoints.is_object()) return;
  connectTo(QString::fromStdString(endpoints.value("scpi", "")),
            QString::fromStdString(endpoints.value("log", "")));
}

QString BenchControl::knownAccuracy() const {
  return QString::fromStdString(state_.output.identity).contains(QStringLiteral("Simulated"))
             ? QStringLiteral("0.08 % + 40 nA")
             : QString();
}

void BenchControl::look() {
  if (!monitor_ || recording()) return;
  state_.output = monitor_->state();
  const acquire::MonitorState& m = state_.output;
  const BenchState::Phase was = state_.phase;
  state_.phase = m.phase == acquire::MonitorState::Phase::ready  ? BenchState::Phase::ready
                 : m.phase == acquire::MonitorState::Phase::lost ? BenchState::Phase::lost
                                                                 : BenchState::Phase::connecting;
  state_.output_on = m.output_on && state_.phase == BenchState::Phase::ready;
  state_.trouble = m.trouble;
  state_.current.reset();
  state_.voltage.reset();
  if (!m.readings.empty()) {
    state_.current = m.readings.back().current;
    state_.voltage = m.readings.back().voltage;
    state_.least = state_.most = *state_.current;
    double sum = 0;
    for (const auto& r : m.readings) {
      state_.least = std::min(state_.least, r.current);
      state_.most = std::max(state_.most, r.current);
      sum += r.current;
    }
    state_.mean = sum / static_cast<double>(m.readings.size());
  }
  for (const acquire::DeviceLine& l : monitor_->take_lines())
    emit line(QString::fromStdString(book::printable(l.text)), l.sent);
  for (const std::string& text : monitor_->take_told())
    emit failed(tr("The output says: %1").arg(QString::fromStdString(text)));
  if (was != BenchState::Phase::lost && state_.phase == BenchState::Phase::lost)
    emit failed(tr("%1. Its output may be on: check it.").arg(QString::fromStdString(m.trouble)));
  emit changed();
}

void BenchControl::setVoltage(double volts) {
  set_voltage_ = volts;
  if (monitor_) monitor_->set_voltage(volts);
}
void BenchControl::setCurrentLimit(double amperes) {
  set_limit_ = amperes;
  if (monitor_) monitor_->set_current_limit(amperes);
}
void BenchControl::setCutOff(bool cut_off) {
  set_cut_off_ = cut_off;
  if (monitor_) monitor_->set_cut_off(cut_off);
}

void BenchControl::switchOutput(bool on) {
  if (recording()) {
    control_->switch_output(on);
  } else if (monitor_) {
    monitor_->switch_output(on);
  }
}

void BenchControl::send(const QString& text) {
  if (recording()) {
    control_->send(text.toStdString());
  } else if (monitor_) {
    monitor_->send(text.toStdString());
  }
}

void BenchControl::setBook(const QString& path) {
  book_ = path;
  askDisk();
}

void BenchControl::askDisk() {
  if (book_.isEmpty()) return;
  helper_->post([this, courier = courier_, file = book_.toStdString()](const std::stop_token&) {
    const auto room = free_beside(file);
    courier.deliver([this, room] {
      state_.disk_free = room;
      emit changed();
    });
  });
}

void BenchControl::record(const RecordWish& wish) {
  if (recording()) return;
  if (book_.isEmpty()) {
    emit failed(tr("Open or make a book first: a capture is recorded into it."));
    return;
  }
  if (output_address_.isEmpty()) {
    emit failed(tr("Connect to an output first."));
    return;
  }
  look_.stop();
  state_.phase = BenchState::Phase::recording;
  state_.name = wish.name;
  state_.build = wish.build;
  state_.recorded_s = 0;
  state_.wanted_s = wish.seconds;
  state_.samples = state_.log_lines = state_.capture = 0;
  state_.trouble.clear();
  marks_.clear();
  control_ = std::make_shared<acquire::RecordControl>();
  emit changed();
  // The recorder has the links for itself: the monitor lets go of them first.
  helper_->post(
      [this, courier = courier_, old = std::move(monitor_), wish](const std::stop_token&) mutable {
        old.reset();
        courier.deliver([this, wish] { startRecording(wish); });
      });
  monitor_.reset();
}

void BenchControl::startRecording(RecordWish wish) {
  acquire::RecordSettings s;
  s.name = wish.name;
  s.build = wish.build;
  acquire::InputWish main{acquire::parse_endpoint(output_address_.toStdString()), {}};
  acquire::OutputSettings& output = main.settings.outputs[""];
  if (!log_address_.isEmpty()) s.log = acquire::parse_endpoint(log_address_.toStdString());
  if (s.log && s.log->options.count("time_scale")) {
    try {
      s.time_scale = std::stod(s.log->options.at("time_scale"));
    } catch (const std::exception&) {
      s.time_scale = 1;
    }
  }
  s.seconds = wish.seconds;
  main.settings.rate_hz = wish.rate_hz;
  output.voltage = set_voltage_;
  output.current_limit = set_limit_;
  output.cut_off = set_cut_off_;
  output.power_on = wish.power_on;
  output.power_off = wish.power_off;
  if (wish.record_voltage) main.settings.channels = {"I", "V"};
  main.settings.logic = wish.logic;
  s.inputs.push_back(std::move(main));
  s.accuracy = wish.accuracy;
  s.conditions = wish.conditions;
  s.control = control_.get();
  stop_ = recorder_->post([this, courier = courier_, s, control = control_,
                           path = book_.toStdString()](const std::stop_token& stop) {
    acquire::RecordResult result;
    QString trouble;
    try {
      book::Book book = book::Book::open(path, book::Book::Mode::create);
      result = acquire::record(book, s, stop, [&](const acquire::RecordProgress& p) {
        courier.deliver([this, p] { progress(p); });
      });
    } catch (const Error& e) {
      trouble = QString::fromUtf8(e.what());
    }
    courier.deliver([this, result, trouble] { ended(result, trouble); });
  });
}

void BenchControl::progress(const acquire::RecordProgress& p) {
  if (!recording()) return;
  const bool first = state_.capture == 0 && p.capture != 0;
  state_.recorded_s = p.recorded_s;
  state_.samples = p.samples;
  state_.log_lines = p.log_lines;
  state_.capture = p.capture;
  state_.output_on = p.output_on;
  state_.channels = p.channels;
  state_.armed = p.armed;
  state_.disk_free = p.disk_free;
  state_.bytes_per_s = p.bytes_per_s;
  const acquire::LiveChannel* current = nullptr;
  state_.voltage.reset();
  for (const acquire::LiveChannel& c : p.channels) {
    if (c.quantity == "current" && !current) current = &c;
    if (c.quantity == "voltage" && !state_.voltage && c.observed_s > 0) state_.voltage = c.last;
  }
  if (current && current->observed_s > 0) {
    state_.least = current->least;
    state_.most = current->most;
    if (!marks_.empty() && current->observed_s > marks_.back().observed_s) {
      state_.current =
          (current->sum - marks_.back().charge) / (current->observed_s - marks_.back().observed_s);
      state_.mean = *state_.current;
    }
    marks_.push_back({p.recorded_s, current->sum, current->observed_s});
    if (marks_.size() > 4000) marks_.pop_front();
  }
  for (const std::string& text : p.told) emit failed(q(text) + QLatin1Char('.'));
  for (const book::LogLine& l : p.lines) emit line(QString::fromStdString(l.text), l.sent);
  if (first) emit recordingBegan(p.capture);
  emit changed();
}

std::optional<double> BenchControl::average(double seconds) const {
  if (recording()) {
    if (marks_.size() < 2) return std::nullopt;
    const Mark& now = marks_.back();
    const Mark* from = &marks_.front();
    for (const Mark& m : marks_) {
      if (m.at_s <= now.at_s - seconds) from = &m;
    }
    if (!(now.observed_s > from->observed_s)) return std::nullopt;
    return (now.charge - from->charge) / (now.observed_s - from->observed_s);
  }
  const auto& readings = state_.output.readings;
  if (readings.empty()) return std::nullopt;
  double sum = 0;
  int n = 0;
  for (const auto& r : readings) {
    if (r.at_s < readings.back().at_s - seconds) continue;
    sum += r.current;
    ++n;
  }
  return sum / n;
}

void BenchControl::stop() {
  if (stop_) stop_->request_stop();
}

void BenchControl::ended(const acquire::RecordResult& result, const QString& trouble) {
  state_.phase = BenchState::Phase::none;
  stop_.reset();
  QStringList words;
  if (!trouble.isEmpty()) {
    words << (state_.recorded_s > 0
                  ? tr("The recording ended: %1. %2 saved.")
                        .arg(trouble, QString::fromStdString(duration(state_.recorded_s)))
                  : tr("Nothing was recorded: %1").arg(trouble));
  }
  for (const std::string& w : result.warnings)
    words << QString::fromStdString(w) + QLatin1Char('.');
  emit recordingEnded(result.capture, result.interrupted || !trouble.isEmpty(),
                      words.join(QLatin1Char(' ')));
  watch();
  emit changed();
}

}  // namespace kuvio::app
