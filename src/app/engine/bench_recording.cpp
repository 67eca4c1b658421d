// SPDX-License-Identifier: GPL-3.0-or-later
// Recording from the window, and the set-ups it is recorded by.

#include "app/engine/bench_control.h"
#include "app/engine/text.h"
#include "core/number_text.h"
#include "formats/output_file.h"

#include <algorithm>
#include <utility>

namespace kuvio::app {
namespace {

constexpr int kEmpties = 2000;        // ms after which what an output fed has run empty
constexpr int kOffWithin = 10'000;    // ms that it may take to go off
constexpr double kTriedAgain = 3600;  // s that a lost link is tried again, unless it is ended

/// As a sentence of its own among others.
QString sentence(const std::string& text) {
  QString out = qs(text) + QLatin1Char('.');
  out.front() = out.front().toUpper();
  return out;
}

/// The currents of an instrument, and its voltages if these are to be recorded too.
std::vector<std::string> wanted_channels(const acquire::OutputMonitorState& output, bool voltages) {
  std::vector<std::string> out = output.currents;
  if (voltages) out.insert(out.end(), output.voltages.begin(), output.voltages.end());
  return out;
}

}  // namespace

void BenchControl::recordFromOff(const RecordRequest& request) {
  if (recording() || after_off_) return;
  if (!firstOutputOn() || !monitor_) return record(request);
  after_off_ = request;
  const auto& all = state_.output.outputs;
  switchOutput(false, all.empty() ? QString() : qs(all.front().first));
  off_asked_.start();
  off_since_.invalidate();
  off_.start();
  emit changed();
}

void BenchControl::waitForOff() {
  if (state_.phase != BenchState::Phase::ready || off_asked_.elapsed() > kOffWithin) {
    after_off_.reset();
    off_.stop();
    emit failed(tr("Nothing was recorded: the output did not stay off. Check it."));
    emit changed();
  } else if (firstOutputOn()) {
    off_since_.invalidate();
  } else if (!off_since_.isValid()) {
    off_since_.start();
  } else if (off_since_.elapsed() >= kEmpties) {
    const RecordRequest request = *after_off_;
    record(request);
  }
}

bool BenchControl::firstOutputOn() const {
  const auto& all = state_.output.outputs;
  return all.size() > 1 ? all.front().second : state_.output_on;
}

void BenchControl::record(const RecordRequest& request) {
  if (recording()) return;
  off_.stop();
  after_off_.reset();
  if (wiring_.output.isEmpty() && wiring_.others.isEmpty()) {
    emit failed(tr("Connect to an output or an input first."));
    return;
  }
  if (book_.isEmpty()) {
    emit bookWanted([this, request] { record(request); });
    return;
  }
  look_.stop();
  ++opening_;
  learned_.clear();
  for (const Watched& w : watches_) learned_.push_back(w.monitor->state().learned);
  state_.phase = BenchState::Phase::recording;
  state_.name = request.name;
  state_.build = request.build;
  state_.recorded_s = 0;
  state_.wanted_s = request.seconds;
  state_.samples = state_.log_lines = state_.capture = 0;
  state_.trouble.clear();
  state_.away.clear();
  reported_.clear();
  marks_.clear();
  history_.breakOff();
  history_base_s_ = history_.now_s();
  control_ = std::make_shared<acquire::RecordControl>();
  emit changed();
  // The recorder has the links for itself: the monitor lets go of them first.
  helper_->post([this, main_thread = main_thread_, old = std::exchange(monitor_, nullptr),
                 watches = std::exchange(watches_, {}), request](const std::stop_token&) mutable {
    old.reset();
    watches.clear();
    main_thread.deliver([this, request] { startRecording(request); });
  });
}

/// As a set-up says, where there is one that knows the input.
acquire::InputSettings BenchControl::settingsOf(const acquire::Endpoint& endpoint,
                                                const RecordRequest& request) const {
  acquire::InputSettings out;
  out.rate_hz = request.rate_hz;
  out.reconnect_s = kTriedAgain;
  if (setup_) {
    for (const acquire::InputConfig& known : setup_->record.inputs) {
      if (known.endpoint.text == endpoint.text) out = known.settings;
    }
    if (out.reconnect_s <= 0) out.reconnect_s = kTriedAgain;
  }
  if (const auto talk = talk_.find(endpoint.text); talk != talk_.end()) out.talk = talk->second;
  if (out.profiles.empty()) out.profiles = profiles_;
  return out;
}

acquire::RecordSettings BenchControl::settingsFor(const RecordRequest& request) const {
  acquire::RecordSettings s;
  if (setup_) s = setup_->record;
  s.inputs.clear();
  s.name = request.name;
  s.build = request.build;
  s.log.reset();
  if (!wiring_.log.isEmpty()) s.log = acquire::parse_endpoint(wiring_.log.toStdString());
  if (s.log && s.log->options.count("time_scale")) {
    try {
      s.time_scale = std::stod(s.log->options.at("time_scale"));
    } catch (const std::exception&) {
      s.time_scale = 1;
    }
  }
  s.seconds = request.seconds;
  if (!wiring_.output.isEmpty()) {
    acquire::InputConfig main;
    main.endpoint = acquire::parse_endpoint(wiring_.output.toStdString());
    main.settings = settingsOf(main.endpoint, request);
    main.settings.rate_hz = request.rate_hz;
    main.settings.channels = wanted_channels(state_.output, request.record_voltage);
    main.settings.logic = request.logic;
    if (!state_.output.currents.empty()) {
      const std::string& current = state_.output.currents.front();
      main.settings.range.erase(current);
      if (!request.range.empty()) main.settings.range[current] = request.range;
    }
    if (state_.output.has_output) {
      auto& outputs = main.settings.outputs;
      for (const acquire::OutputState& o : state_.output.set) outputs.try_emplace(o.name);
      for (const auto& [name, set] : set_) {
        acquire::OutputSettings& o = outputs[name];
        if (set.voltage) o.voltage = set.voltage;
        if (set.current_limit) o.current_limit = set.current_limit;
        if (set.cut_off) o.cut_off = set.cut_off;
      }
      for (auto& [name, o] : outputs) {
        o.never_above = ceiling(qs(name));
        const auto turn =
            std::find(request.power_outputs.begin(), request.power_outputs.end(), name);
        o.power_on = request.power_on && turn != request.power_outputs.end();
        o.on_after_s = o.power_on ? request.power_apart_s *
                                        static_cast<double>(turn - request.power_outputs.begin())
                                  : 0;
        o.power_off = request.power_off;
        o.off_on_failure = true;
      }
      if (request.power_outputs.empty())
        outputs[state_.output.set.empty() ? "" : state_.output.set.front().name].power_on =
            request.power_on;
    }
    s.inputs.push_back(std::move(main));
  }
  for (const QString& other : wiring_.others) {
    acquire::Endpoint endpoint = acquire::parse_endpoint(other.toStdString());
    for (const acquire::Endpoint& known : learned_) {
      if (known.text == endpoint.text) endpoint = known;
    }
    acquire::InputSettings settings = settingsOf(endpoint, request);
    if (const auto it = request.channels.find(endpoint.text); it != request.channels.end())
      settings.channels = it->second;
    s.inputs.push_back({endpoint, std::move(settings)});
  }
  for (const auto& [name, zero] : zeros_) s.calibration[name] = zero;
  for (const auto& [name, accuracy] : zero_accuracies_) s.accuracies[name] = accuracy;
  for (const auto& [name, accuracy] : request.accuracies) s.accuracies[name] = accuracy;
  s.shunts = request.shunts;
  s.arm = request.arm;
  s.until = request.until;
  s.before_s = request.before_s;
  s.until_charge = request.until_charge;
  if (request.reset) s.reset = request.reset;
  s.accuracy = request.accuracy;
  s.conditions = request.conditions;
  return s;
}

void BenchControl::startRecording(const RecordRequest& request) {
  acquire::RecordSettings s = settingsFor(request);
  s.control = control_.get();
  stop_ = recorder_->post([this, main_thread = main_thread_, s, control = control_,
                           path = book_.toStdString()](const std::stop_token& stop) {
    acquire::RecordResult result;
    QString trouble;
    try {
      book::Book book = book::Book::open(path, book::Book::Mode::create);
      result = acquire::record(book, s, stop, [&](const acquire::RecordProgress& p) {
        main_thread.deliver([this, p] { progress(p); });
      });
    } catch (const std::exception& e) {
      trouble = QString::fromUtf8(e.what());
    } catch (...) {  // a recording that has ended is never shown as running
      trouble = tr("The recording ended for an unknown reason");
    }
    main_thread.deliver([this, result, trouble] { ended(result, trouble); });
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
  state_.output.outputs = p.outputs;
  state_.output.lines = p.driven;
  state_.channels = p.channels;
  state_.armed = p.armed;
  state_.away = p.away;
  state_.disk_free = p.disk_free;
  state_.bytes_per_s = p.bytes_per_s;
  const acquire::LiveChannel* current = nullptr;
  state_.voltage.reset();
  for (const acquire::LiveChannel& c : p.channels) {
    if (c.quantity == Quantity::current && !current) current = &c;
    if (c.quantity == Quantity::voltage && !state_.voltage && c.observed_s > 0)
      state_.voltage = c.last;
  }
  if (current && current->observed_s > 0) {
    state_.min = current->min;
    state_.max = current->max;
    if (!marks_.empty() && current->observed_s > marks_.back().observed_s) {
      state_.current =
          (current->sum - marks_.back().charge) / (current->observed_s - marks_.back().observed_s);
      state_.mean = *state_.current;
    }
    marks_.push_back({p.recorded_s, current->sum, current->observed_s});
    if (marks_.size() > 4000) marks_.pop_front();
  }
  for (const std::string& text : p.messages) {
    reported_.insert(text);
    emit failed(sentence(text));
  }
  if (!p.armed) {
    for (const acquire::LiveChannel& c : p.channels) {
      if (c.quantity != Quantity::logic) history_.addRecorded(c, history_base_s_ + p.recorded_s);
    }
    // What the paper's pen shows and what stands on the wire are one: the mean since the last
    // report.
    for (acquire::LiveChannel& c : state_.channels) {
      const LiveHistory::Channel* known = history_.find(c.name);
      if (known && !known->points.empty() && !c.out_of_range) c.last = known->points.back().mean;
    }
  }
  for (const book::LogLine& l : p.lines) noteLine(QString::fromStdString(l.text), l.sent);
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
    if (r.at_s < readings.back().at_s - seconds || !r.current) continue;
    sum += *r.current;
    ++n;
  }
  if (n == 0) return std::nullopt;
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
  for (const std::string& w : result.warnings) {
    if (reported_.count(w) == 0) words << sentence(w);
  }
  lost_reported_ = result.interrupted;
  emit recordingEnded(result.capture, result.interrupted || !trouble.isEmpty(),
                      words.join(QLatin1Char(' ')));
  watch();
  emit changed();
}

void BenchControl::readSetup(const QString& file) {
  helper_->post([this, main_thread = main_thread_, file](const std::stop_token&) {
    try {
      const acquire::BenchSetup setup = acquire::read_bench_setup(file.toStdString());
      main_thread.deliver([this, setup] { emit setupRead(setup); });
    } catch (const std::exception& e) {
      main_thread.deliver([this, why = QString::fromUtf8(e.what())] { emit failed(why); });
    }
  });
}

void BenchControl::useSetup(const acquire::BenchSetup& setup) {
  if (recording()) {
    emit failed(tr("Stop the recording before loading another set-up."));
    return;
  }
  Wiring wiring;
  for (const acquire::InputConfig& request : setup.record.inputs) {
    const QString text = qs(request.endpoint.text);
    if (request.endpoint.is_instrument() && wiring.output.isEmpty()) {
      wiring.output = text;
    } else {
      wiring.others << text;
    }
    const auto profile = setup.profiles.find(request.endpoint.text);
    if (profile != setup.profiles.end() && wiring.profile.isEmpty())
      wiring.profile = qs(profile->second);
  }
  if (setup.record.log) wiring.log = qs(setup.record.log->text);
  setup_ = setup;
  setup_pending_ = taking_setup_ = true;
  connectTo(wiring);
  taking_setup_ = false;
}

/// Outputs that are on are left as they are: what they feed may not bear it.
void BenchControl::setAsSetUp() {
  setup_pending_ = false;
  if (!setup_ || !state_.output.has_output) return;
  for (acquire::InputConfig& request : setup_->record.inputs) {
    if (qs(request.endpoint.text) != wiring_.output) continue;
    for (const auto& [name, o] : request.settings.outputs) {
      const QString output = qs(name);
      if (state_.output_on) {
        emit failed(
            tr("The output is on, so its settings from the set-up were not applied. Switch it off "
               "and open the set-up again."));
        request.settings.outputs.clear();
        return;
      }
      if (o.never_above.any()) setCeiling(output, o.never_above);
      if (o.voltage) setVoltage(*o.voltage, output);
      if (o.current_limit) setCurrentLimit(*o.current_limit, output);
      if (o.cut_off) setCutOff(*o.cut_off, output);
    }
    for (const auto& [line, high] : request.settings.lines)
      execute({acquire::SwitchCommand::What::line, line, high, 0});
  }
}

void BenchControl::saveSetup(const QString& file, const QString& name,
                             const RecordRequest& request) {
  acquire::BenchSetup setup;
  setup.name = name.toStdString();
  RecordRequest nothing_on = request;  // a file that switches on is written by hand
  nothing_on.power_on = false;
  setup.record = settingsFor(nothing_on);
  // Zeros are of the day.
  setup.record.calibration =
      setup_ ? setup_->record.calibration : std::map<std::string, book::Calibration>{};
  setup.record.accuracies =
      setup_ ? setup_->record.accuracies : std::map<std::string, std::string>{};
  if (setup_) setup.profiles = setup_->profiles;
  if (!wiring_.profile.isEmpty())
    setup.profiles[wiring_.output.toStdString()] = wiring_.profile.toStdString();
  for (const acquire::OutputState& o : state_.output.set) {
    for (acquire::InputConfig& requested : setup.record.inputs) {
      const auto it = requested.settings.outputs.find(o.name);
      if (qs(requested.endpoint.text) != wiring_.output || it == requested.settings.outputs.end())
        continue;
      if (o.voltage > 0 && !it->second.voltage) it->second.voltage = o.voltage;
      if (o.current_limit > 0 && !it->second.current_limit)
        it->second.current_limit = o.current_limit;
      if (!o.auxiliary && !it->second.cut_off) it->second.cut_off = o.cut_off;
    }
  }
  helper_->post([this, main_thread = main_thread_, setup, file](const std::stop_token&) {
    try {
      formats::write_file(file.toStdString(),
                          acquire::write_bench_setup(setup, file.toStdString()));
      main_thread.deliver([this, file] { emit setupSaved(file); });
    } catch (const std::exception& e) {
      main_thread.deliver([this, why = QString::fromUtf8(e.what())] { emit failed(why); });
    }
  });
}

}  // namespace kuvio::app
