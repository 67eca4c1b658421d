// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/bench_control.h"

#include "acquire/input_track.h"
#include "acquire/zero.h"
#include "app/engine/text.h"
#include "book/disk.h"
#include "book/text.h"
#include "core/number_text.h"
#include "core/quantity.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace kuvio::app {
namespace {

constexpr int kLookMs = 100;

}  // namespace

BenchControl::BenchControl(QObject* parent)
    : QObject(parent),
      announced_(QDBusConnection::systemBus()),
      main_thread_(this),
      recorder_(std::make_unique<Strand>(reporting())),
      helper_(std::make_unique<Strand>(reporting())) {
  connect(&announced_, &AnnouncedServices::changed, this, &BenchControl::announcedChanged);
  look_.setInterval(kLookMs);
  connect(&look_, &QTimer::timeout, this, &BenchControl::poll);
  off_.setInterval(kLookMs);
  connect(&off_, &QTimer::timeout, this, &BenchControl::waitForOff);
}

/// What a job of a strand throws comes to people's eyes like any other trouble.
Strand::Failed BenchControl::reporting() {
  return [this, main_thread = main_thread_](const std::string& why) {
    main_thread.deliver([this, why] { emit failed(qs(why)); });
  };
}

BenchControl::~BenchControl() {
  main_thread_.detach();
  if (stop_) stop_->request_stop();
  // A monitor may have to wait for a link that has stalled: not here.
  releaseLinks();
  recorder_.reset();
  helper_.reset();
  if (simulated()) {
    process_->disconnect(this);
    process_->terminate();
    process_->waitForFinished(1000);
  }
}

QString BenchControl::unfit(const Wiring& wiring) {
  try {
    if ((!wiring.output.isEmpty() || wiring.others.isEmpty()) &&
        !acquire::parse_endpoint(wiring.output.toStdString()).is_instrument())
      return tr("%1 is not an output address (expected scpi+tcp://HOST:PORT).").arg(wiring.output);
    if (!wiring.log.isEmpty() && !acquire::parse_endpoint(wiring.log.toStdString()).is_log())
      return tr("%1 is not a device log address (expected log+serial:/dev/ttyUSB0?baud=115200).")
          .arg(wiring.log);
    for (const QString& other : wiring.others) {
      if (acquire::parse_endpoint(other.toStdString()).is_log())
        return tr("%1 is the address of a device log: it goes in its own place.").arg(other);
    }
  } catch (const Error& e) {
    return QString::fromUtf8(e.what());
  }
  return {};
}

void BenchControl::connectTo(const Wiring& wanted) {
  if (recording()) {
    emit failed(tr("Stop the recording before connecting to other addresses."));
    return;
  }
  Wiring wiring = wanted;
  wiring.output = wiring.output.trimmed();
  wiring.log = wiring.log.trimmed();
  wiring.profile = wiring.profile.trimmed();
  if (const QString why = unfit(wiring); !why.isEmpty()) {
    emit failed(why);
    return;
  }
  std::vector<acquire::Profile> profiles;
  try {
    if (!wiring.profile.isEmpty())
      profiles.push_back(acquire::read_profile(wiring.profile.toStdString()));
  } catch (const Error& e) {
    emit failed(QString::fromUtf8(e.what()));
    return;
  }
  // A set-up's calibrations and settings are of what it has wired up.
  const bool other = wiring.output != wiring_.output || wiring.others != wiring_.others;
  if (other && !taking_setup_) setup_.reset();
  if (wiring.output != wiring_.output) {  // another instrument, another zero
    zeros_.clear();
    zero_accuracies_.clear();
    set_.clear();
    ceilings_.clear();
    state_.output = {};
  }
  const bool same_output = monitor_ && wiring.output == wiring_.output &&
                           wiring.log == wiring_.log && wiring.profile == wiring_.profile &&
                           state_.output.phase == acquire::LinkPhase::ready;
  wiring_ = wiring;
  profiles_ = std::move(profiles);
  // What is there already is not opened again: that can reset a board.
  std::shared_ptr<acquire::OutputMonitor> kept;
  if (same_output) kept = std::exchange(monitor_, nullptr);
  watch(kept);
  emit connected();
}

void BenchControl::tryAgain() {
  if (!recording()) watch();
}

/// Lets go of everything that is watched; it ends in the helper's thread.
void BenchControl::releaseLinks() {
  ++opening_;
  helper_->post([monitor = std::exchange(monitor_, nullptr),
                 watches = std::exchange(watches_, {})](const std::stop_token&) mutable {
    monitor.reset();
    watches.clear();
  });
}

/// Looks at the output, unless it is `kept`, and at every other input, once what was looked at
/// before has been let go of: an instrument talks to one at a time.
void BenchControl::watch(std::shared_ptr<acquire::OutputMonitor> kept) {
  if (wiring_.output.isEmpty() && wiring_.others.isEmpty()) return;
  const bool fresh = !kept;
  std::shared_ptr<acquire::OutputMonitor> old = std::exchange(monitor_, std::move(kept));
  // What is there already and still wanted is not opened again: that can reset a board, and ends a
  // pipe.
  std::vector<Watched> gone;
  std::erase_if(watches_, [&](const Watched& w) {
    const bool stays = wiring_.others.contains(qs(w.address)) &&
                       w.monitor->state().phase != acquire::LinkPhase::lost;
    if (!stays) gone.push_back(w);
    return !stays;
  });
  const bool any = (fresh && old) || !gone.empty();
  if (fresh) {
    state_.phase = BenchState::Phase::connecting;
    state_.trouble.clear();
    drift_ = SteadyWatch(BenchState::kDriftOver, BenchState::kSettled, 0);
    drift_seen_s_ = 0;
  }
  history_.keep(600 * timeScale());
  history_.breakOff();
  history_base_s_ = history_.now_s();
  watched_.start();
  look_.start();
  queryDiskSpace();
  const int opening = ++opening_;
  if (!any) {
    openLinks();
  } else {
    helper_->post([this, main_thread = main_thread_, opening, old = std::move(old),
                   gone = std::move(gone)](const std::stop_token&) mutable {
      old.reset();
      gone.clear();
      main_thread.deliver([this, opening] {
        if (opening == opening_) openLinks();
      });
    });
  }
  emit changed();
}

void BenchControl::openLinks() {
  acquire::InputSettings settings;
  settings.profiles = profiles_;
  settings.rate_hz = 100;
  if (!monitor_ && !wiring_.output.isEmpty()) {
    std::optional<acquire::Endpoint> log;
    if (!wiring_.log.isEmpty()) log = acquire::parse_endpoint(wiring_.log.toStdString());
    log_text_.clear();
    monitor_ = std::make_shared<acquire::OutputMonitor>(
        acquire::parse_endpoint(wiring_.output.toStdString()), log, profiles_,
        acquire::LinkOpener{}, talkOf(wiring_.output.toStdString()));
  }
  std::vector<Watched> all;  // in the order they are wired up
  for (const QString& other : wiring_.others) {
    const auto known = std::find_if(watches_.begin(), watches_.end(),
                                    [&](const Watched& w) { return qs(w.address) == other; });
    if (known != watches_.end()) {
      all.push_back(*known);
      continue;
    }
    acquire::Endpoint endpoint = acquire::parse_endpoint(other.toStdString());
    for (const acquire::Endpoint& learned : learned_) {
      if (learned.text == endpoint.text) endpoint = learned;  // a header may not come twice
    }
    settings.talk = talkOf(endpoint.text);
    all.push_back(
        {other.toStdString(), std::make_shared<acquire::InputMonitor>(endpoint, settings)});
  }
  watches_ = std::move(all);
}

void BenchControl::disconnectAll() {
  if (recording()) return;
  look_.stop();
  releaseLinks();
  wiring_ = {};
  state_ = {};
  history_.clear();
  last_line_.invalidate();
  emit changed();
}

void BenchControl::poll() {
  if (recording() || (!monitor_ && watches_.empty())) return;
  if (!monitor_ && !wiring_.output.isEmpty()) return;  // being let go of, to be opened anew
  const BenchState::Phase was = state_.phase;
  state_.others.clear();
  for (const Watched& w : watches_) state_.others.push_back(w.monitor->state());
  // Without an output the first input is what is looked at.
  if (monitor_) {
    state_.output = monitor_->state();
  } else {
    const acquire::InputState& first = state_.others.front();
    state_.output = {};
    state_.output.phase = first.phase;
    state_.output.identity = first.identity;
    state_.output.trouble = first.trouble;
    state_.output.has_output = false;
    state_.output.readings = first.readings;
  }
  const acquire::OutputMonitorState& m = state_.output;
  state_.phase = m.phase == acquire::LinkPhase::ready  ? BenchState::Phase::ready
                 : m.phase == acquire::LinkPhase::lost ? BenchState::Phase::lost
                                                       : BenchState::Phase::connecting;
  state_.output_on = m.output_on && state_.phase == BenchState::Phase::ready;
  state_.trouble = m.trouble;
  state_.current.reset();
  state_.voltage.reset();
  if (!m.readings.empty()) {
    state_.current = m.readings.back().current;
    state_.voltage = m.readings.back().voltage;
    state_.min = INFINITY;
    state_.max = -INFINITY;
    double sum = 0;
    int known = 0;
    for (const auto& r : m.readings) {
      if (!r.current) continue;  // over range, or none
      state_.min = std::min(state_.min, *r.current);
      state_.max = std::max(state_.max, *r.current);
      sum += *r.current;
      ++known;
    }
    state_.mean = known > 0 ? sum / known : 0;
    if (known == 0) state_.min = state_.max = 0;
  }
  if (m.refusals != refusals_seen_) {
    refusals_seen_ = m.refusals;
    // What was refused is not requested for with the next recording either.
    for (const acquire::OutputState& o : m.set) {
      for (auto& [name, request] : set_) {
        if (name != o.name && !(name.empty() && &o == &m.set.front())) continue;
        if (request.voltage) request.voltage = o.voltage;
        if (request.current_limit) request.current_limit = o.current_limit;
      }
    }
    emit settingsRefused();
  }
  watchDrift();
  if (setup_pending_ && state_.phase == BenchState::Phase::ready) setAsSetUp();
  pollInputs();
  keepHistory();
  if (monitor_) {
    for (const acquire::DeviceLine& l : monitor_->take_lines()) {
      if (!l.sent) log_text_.take(l.text);
      noteLine(QString::fromStdString(book::printable(l.text)), l.sent);
    }
    state_.log_no_text = log_text_.no_text();
    for (const std::string& text : monitor_->take_errors())
      emit failed(tr("Instrument error: %1").arg(QString::fromStdString(text)));
  }
  if (state_.phase == BenchState::Phase::ready) lost_reported_ = false;
  const bool lost = was != BenchState::Phase::lost && state_.phase == BenchState::Phase::lost;
  // The recording that it ended has reported already, with what was saved.
  if (lost && !std::exchange(lost_reported_, false)) {
    QString why = qs(m.trouble) + QLatin1Char('.');
    why.front() = why.front().toUpper();
    emit failed(m.has_output ? tr("%1 Its output may be on: check it.").arg(why) : why);
  }
  emit changed();
}

void BenchControl::watchDrift() {
  const auto& readings = state_.output.readings;
  for (const acquire::LiveReading& r : readings) {
    if (r.at_s <= drift_seen_s_ && drift_seen_s_ - r.at_s < 60) continue;
    drift_seen_s_ = r.at_s;
    if (r.current) drift_.add(r.at_s, *r.current);
  }
  const auto spread = drift_.spread(), mean = drift_.mean();
  state_.drift.reset();
  if (!readings.empty() && spread && *mean != 0) state_.drift = *spread / std::fabs(*mean);
}

/// What every input reads, the output's own first.
void BenchControl::pollInputs() {
  state_.channels.clear();
  if (monitor_) {
    bool first = true;
    for (acquire::LiveChannel c : state_.output.channels) {
      if (std::exchange(first, false) && state_.current) {  // of the last ten seconds
        c.min = state_.min;
        c.max = state_.max;
      }
      state_.channels.push_back(std::move(c));
    }
  }
  // What is lost reads nothing; equal names get numbers, as in a recording.
  for (acquire::InputState& other : state_.others) {
    for (acquire::LiveChannel& c : other.channels) {
      c.own_name = c.name;
      c.name = acquire::name_among(c.name, other.learned, [&](const std::string& name) {
        return std::any_of(state_.channels.begin(), state_.channels.end(),
                           [&](const acquire::LiveChannel& known) { return known.name == name; });
      });
      if (other.phase == acquire::LinkPhase::ready) state_.channels.push_back(c);
    }
  }
}

void BenchControl::mark(const QString& note) {
  if (recording() && control_) control_->mark(note.toStdString());
}

void BenchControl::beginNow() {
  if (recording() && control_) control_->begin_now();
}

void BenchControl::zero(double seconds, const QString& accuracy) {
  if (recording() || wiring_.output.isEmpty()) return;
  acquire::InputConfig request{acquire::parse_endpoint(wiring_.output.toStdString()), {}};
  request.settings.profiles = profiles_;
  look_.stop();
  state_.phase = BenchState::Phase::connecting;
  emit changed();
  releaseLinks();
  helper_->post([this, main_thread = main_thread_, request, seconds,
                 stated = accuracy.trimmed().toStdString()](const std::stop_token& stop) {
    std::vector<acquire::Zero> zeros;
    QString trouble;
    try {
      zeros = acquire::measure_zero(request, seconds, stated, stop);
    } catch (const std::exception& e) {
      trouble = QString::fromUtf8(e.what());
    }
    main_thread.deliver([this, zeros, trouble] {
      QStringList words;
      for (const acquire::Zero& z : zeros) {
        zeros_[z.channel] = z.calibration();
        if (!z.accuracy.empty()) zero_accuracies_[z.channel] = z.accuracy;
        words << qs(z.channel + ": " + z.calibration().text);
      }
      watch();
      emit zeroed(trouble.isEmpty(),
                  trouble.isEmpty() ? words.join(QStringLiteral(", ")) : trouble);
    });
  });
}

void BenchControl::tryProfile(const QString& address, const QString& file) {
  if (recording()) return;
  look_.stop();
  releaseLinks();  // an instrument talks to one at a time
  helper_->post([this, main_thread = main_thread_, address = address.trimmed().toStdString(),
                 file = file.trimmed().toStdString()](const std::stop_token& stop) {
    std::vector<acquire::CheckStep> steps;
    QString trouble;
    try {
      const acquire::Endpoint endpoint = acquire::parse_endpoint(address);
      if (!endpoint.is_instrument())
        throw Error(Failure::usage, "not tried", address,
                    "it is not an instrument that speaks SCPI");
      steps = acquire::try_profile(endpoint, acquire::read_profile(file), stop);
    } catch (const std::exception& e) {
      trouble = QString::fromUtf8(e.what());
    }
    main_thread.deliver([this, steps, trouble] {
      watch();
      emit profileTried(steps, trouble);
    });
  });
}

void BenchControl::setCeiling(const QString& output, const acquire::Ceiling& ceiling) {
  ceilings_[output.toStdString()] = ceiling;
  emit changed();
}

/// What is said of "the output" is meant of the first one, whatever its name.
acquire::Ceiling BenchControl::ceiling(const QString& output) const {
  const auto& set = state_.output.set;
  const std::string first = set.empty() ? std::string() : set.front().name;
  const std::string name = output.toStdString();
  auto it = ceilings_.find(name);
  if (it == ceilings_.end() && (name.empty() || name == first))
    it = ceilings_.find(name.empty() ? first : std::string());
  return it == ceilings_.end() ? acquire::Ceiling{} : it->second;
}

/// Somebody may have turned the knob: an output above its ceiling is not switched on.
bool BenchControl::refusesToSwitchOn(const acquire::SwitchCommand& what) {
  if (what.what != acquire::SwitchCommand::What::output || !what.on) return false;
  for (const acquire::OutputState& o : state_.output.set) {
    if (o.name != what.name && !(what.name.empty() && &o == &state_.output.set.front())) continue;
    const std::string why = ceiling(qs(o.name)).refuses_voltage(o.voltage);
    if (why.empty()) return false;
    emit failed(tr("Not switched on: %1.").arg(qs(why)));
    return true;
  }
  return false;
}

void BenchControl::setVoltage(double volts, const QString& output) {
  const std::string why = ceiling(output).refuses_voltage(volts);
  if (!why.empty()) {
    emit failed(tr("Not set: %1.").arg(qs(why)));
    emit settingsRefused();
    return;
  }
  set_[output.toStdString()].voltage = volts;
  if (monitor_) monitor_->set_voltage(volts, output.toStdString());
}
void BenchControl::setCurrentLimit(double amperes, const QString& output) {
  const std::string why = ceiling(output).refuses_current(amperes);
  if (!why.empty()) {
    emit failed(tr("Not set: %1.").arg(qs(why)));
    emit settingsRefused();
    return;
  }
  set_[output.toStdString()].current_limit = amperes;
  if (monitor_) monitor_->set_current_limit(amperes, output.toStdString());
}
void BenchControl::setCutOff(bool cut_off, const QString& output) {
  set_[output.toStdString()].cut_off = cut_off;
  if (monitor_) monitor_->set_cut_off(cut_off, output.toStdString());
}

void BenchControl::switchOutput(bool on, const QString& output) {
  execute(acquire::output_switched(on, output.toStdString()));
}

void BenchControl::execute(const acquire::SwitchCommand& what) {
  if (refusesToSwitchOn(what)) return;
  if (recording()) {
    control_->execute(what);
  } else if (monitor_) {
    monitor_->execute(what);
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
  queryDiskSpace();
}

void BenchControl::queryDiskSpace() {
  if (book_.isEmpty()) return;
  helper_->post(
      [this, main_thread = main_thread_, file = book_.toStdString()](const std::stop_token&) {
        const auto disk = book::disk_of(file);
        main_thread.deliver([this, disk] {
          state_.disk_free = disk ? std::optional(disk->free) : std::nullopt;
          emit changed();
        });
      });
}

}  // namespace kuvio::app
