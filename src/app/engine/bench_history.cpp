// SPDX-License-Identifier: GPL-3.0-or-later
// What the bench remembers while it is watched: readings, what was said on its wires, lines; and
// what is plugged in beside what is wired up.

#include "app/engine/bench_control.h"
#include "app/engine/text.h"
#include "core/error.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace kuvio::app {
namespace {
constexpr double kForgottenAfter = 10;  // s
}

double BenchControl::timeScale() const {
  if (wiring_.log.isEmpty()) return 1;
  try {
    const acquire::Endpoint log = acquire::parse_endpoint(wiring_.log.toStdString());
    const double scale = QString::fromStdString(log.option("time_scale", "1")).toDouble();
    return scale > 0 && std::isfinite(scale) ? scale : 1;
  } catch (const Error&) {  // reported when it was connected to
    return 1;
  }
}

double BenchControl::watchedNow() const {
  return history_base_s_ + 1e-3 * static_cast<double>(watched_.elapsed()) * timeScale();
}

/// The output's own readings stand for a moment each; what the others read is of the last half
/// second.
void BenchControl::keepHistory() {
  if (state_.phase != BenchState::Phase::ready) {
    history_.breakOff();
    return;
  }
  forgetUnplugged();
  const double now = watchedNow();
  for (acquire::LiveChannel c : state_.channels) {
    const bool of_output =
        std::any_of(state_.output.channels.begin(), state_.output.channels.end(),
                    [&](const acquire::LiveChannel& own) { return own.name == c.name; });
    if (of_output) c.min = c.max = c.last;
    if (c.quantity != Quantity::logic) history_.add(c, now);
  }
}

/// What nothing has read for a while is no channel any more. After a link was opened anew channels
/// come back one after the other: that is waited for.
void BenchControl::forgetUnplugged() {
  const double now = watchedNow();
  std::set<std::string> kept;
  for (const acquire::LiveChannel& c : state_.channels) kept.insert(c.name);
  for (const acquire::InputState& other : state_.others)
    for (const acquire::LiveChannel& c : other.channels) kept.insert(c.name);
  for (const LiveHistory::Channel& c : history_.channels()) {
    if (!c.points.empty() && now - c.points.back().at_s < kForgottenAfter * timeScale())
      kept.insert(c.name);
  }
  history_.keepOnly(kept);
}

std::shared_ptr<acquire::TalkLog> BenchControl::talkOf(const std::string& address) {
  auto& talk = talk_[address];
  if (!talk) talk = std::make_shared<acquire::TalkLog>();
  return talk;
}

std::vector<acquire::Exchange> BenchControl::talk(const QString& address) const {
  const auto it = talk_.find(address.toStdString());
  return it == talk_.end() ? std::vector<acquire::Exchange>{} : it->second->exchanges();
}

void BenchControl::lookAround() {
  announced_.look();
  helper_->post([this, main_thread = main_thread_](const std::stop_token&) {
    const auto found = acquire::plugged_in();
    main_thread.deliver([this, found] { emit pluggedIn(found); });
  });
}

void BenchControl::readSensor(const QString& address) {
  helper_->post([this, main_thread = main_thread_, address](const std::stop_token&) {
    const auto found =
        acquire::sensor_settings(acquire::parse_endpoint(address.toStdString()).path);
    main_thread.deliver([this, address, found] { emit sensorRead(address, found); });
  });
}

void BenchControl::setSensor(const QString& address, const acquire::SensorSetting& setting,
                             double value) {
  helper_->post(
      [this, main_thread = main_thread_, address, setting, value](const std::stop_token&) {
        const std::string folder = acquire::parse_endpoint(address.toStdString()).path;
        QString trouble;
        try {
          acquire::set_sensor(folder, setting, value);
        } catch (const Error& e) {
          trouble = QString::fromUtf8(e.what());
        }
        const auto now = acquire::sensor_settings(folder);
        main_thread.deliver([this, address, now, trouble] {
          emit sensorRead(address, now);
          if (!trouble.isEmpty()) emit failed(trouble);
        });
      });
}

void BenchControl::noteLine(const QString& text, bool sent) {
  if (!sent) last_line_.start();
  emit line(text, sent);
}

std::optional<double> BenchControl::lastLineAgo() const {
  if (!last_line_.isValid()) return std::nullopt;
  return 1e-3 * static_cast<double>(last_line_.elapsed()) * timeScale();
}

}  // namespace kuvio::app
