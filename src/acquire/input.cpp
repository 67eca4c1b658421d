// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/input.h"

#include "acquire/lines_input.h"
#include "acquire/scpi_input.h"
#include "acquire/stream_input.h"
#include "acquire/sysfs_input.h"

#include <utility>

namespace kuvio::acquire {

Input::Input(Endpoint endpoint, std::size_t ring_samples)
    : endpoint_(std::move(endpoint)), ring_(ring_samples) {}

Input::~Input() = default;

void Input::join() {
  thread_.request_stop();
  if (thread_.joinable()) thread_.join();
}

void Input::start() {
  begin();
  running_.store(true, std::memory_order_release);
  thread_ = std::jthread([this](const std::stop_token& stop) {
    try {
      run(stop);
      end();
    } catch (const std::exception& e) {
      const std::lock_guard lock(mutex_);
      failure_ = e.what();
    }
    ended_.store(true, std::memory_order_release);
  });
}

void Input::stop() { join(); }

void Input::request(const SwitchCommand& what) {
  const std::lock_guard lock(mutex_);
  requests_.push_back(what);
}

bool Input::can(const SwitchCommand& what) const {
  const std::lock_guard lock(mutex_);
  const auto& known = what.of_line() ? lines_high_ : outputs_on_;
  return known.count(what.name) > 0 || (what.name.empty() && !what.of_line() && !known.empty());
}

std::vector<std::pair<std::string, bool>> Input::lines() const {
  const std::lock_guard lock(mutex_);
  return {lines_high_.begin(), lines_high_.end()};
}

void Input::set_line(const std::string& line, bool high) {
  const std::lock_guard lock(mutex_);
  lines_high_[line] = high;
}

bool Input::output_on() const {
  const std::lock_guard lock(mutex_);
  for (const auto& [name, on] : outputs_on_) {
    if (on) return true;
  }
  return false;
}

std::vector<std::pair<std::string, bool>> Input::outputs() const {
  const std::lock_guard lock(mutex_);
  return {outputs_on_.begin(), outputs_on_.end()};
}

void Input::set_output(const std::string& output, bool on) {
  const std::lock_guard lock(mutex_);
  outputs_on_[output] = on;
}

std::optional<std::string> Input::away() const {
  const std::lock_guard lock(mutex_);
  return away_;
}

void Input::set_away(std::optional<std::string> why) {
  const std::lock_guard lock(mutex_);
  away_ = std::move(why);
}

bool Input::deliver(Packet packet) {
  if (!ring_.has_room(packet.samples())) return false;
  ring_.push(std::move(packet));
  return true;
}

std::unique_ptr<Link> Input::reopened(const std::stop_token& stop, const Error& why,
                                      double patience_s, double own_s) {
  const double lost_at = host_now_s();
  set_away(why.what());
  std::unique_ptr<Link> link;
  while (!link && !stop.stop_requested()) {
    try {
      link = open_link(endpoint_, std::chrono::milliseconds(1000));
    } catch (const Error&) {
      if (host_now_s() - lost_at > patience_s) throw why;
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
  }
  if (link) set_away(std::nullopt);
  if (link)
    post_event({EventKind::link_lost, own_s, own_s + host_now_s() - lost_at, "", why.what()});
  return link;
}

void Input::note(std::string text) {
  const std::lock_guard lock(mutex_);
  notes_.push_back(std::move(text));
}
void Input::post_event(InputEvent what) {
  const std::lock_guard lock(mutex_);
  events_.push_back(std::move(what));
}
void Input::post_text(InputText what) {
  const std::lock_guard lock(mutex_);
  texts_.push_back(std::move(what));
}
void Input::sync(SyncPoint point) {
  const std::lock_guard lock(mutex_);
  sync_points_.push_back(point);
}
std::vector<SwitchCommand> Input::take_requests() {
  const std::lock_guard lock(mutex_);
  return std::exchange(requests_, {});
}
std::vector<std::string> Input::take_notes() {
  const std::lock_guard lock(mutex_);
  return std::exchange(notes_, {});
}
std::vector<InputEvent> Input::take_events() {
  const std::lock_guard lock(mutex_);
  return std::exchange(events_, {});
}
std::vector<InputText> Input::take_texts() {
  const std::lock_guard lock(mutex_);
  return std::exchange(texts_, {});
}
std::vector<SyncPoint> Input::take_sync_points() {
  const std::lock_guard lock(mutex_);
  return std::exchange(sync_points_, {});
}
std::optional<std::string> Input::failure() const {
  const std::lock_guard lock(mutex_);
  return failure_;
}

std::unique_ptr<Input> open_input(const Endpoint& endpoint, const InputSettings& settings) {
  switch (endpoint.protocol) {
    case Protocol::scpi:
      return std::make_unique<ScpiInput>(endpoint, settings);
    case Protocol::stream:
      return std::make_unique<StreamInput>(endpoint, settings);
    case Protocol::lines:
      return std::make_unique<LinesInput>(endpoint, settings);
    case Protocol::sysfs:
      return std::make_unique<SysfsInput>(endpoint, settings);
    case Protocol::log:
      break;
  }
  throw Error(Failure::usage, "not an input of samples", endpoint.text,
              "a device log goes beside an input");
}

}  // namespace kuvio::acquire
