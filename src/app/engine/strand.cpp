// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/strand.h"

#include <QMetaObject>
#include <QObject>

#include <chrono>
#include <condition_variable>
#include <deque>
#include <exception>
#include <mutex>
#include <thread>
#include <utility>

namespace kuvio::app {

struct Strand::State {
  std::mutex mutex;  // held for moments only
  std::condition_variable woken, gone;
  std::deque<std::pair<Job, std::stop_source>> jobs;
  std::stop_source running;
  std::function<void()> last;
  Failed failed;
  bool ending = false, ended = false;

  void guarded(const std::function<void()>& job) const {
    std::string why;
    try {
      return job();
    } catch (const std::exception& e) {
      why = e.what();
    } catch (...) {
      why = "something unknown was thrown";
    }
    if (failed) failed(why);
  }

  void run() {
    std::unique_lock lock(mutex);
    while (true) {
      woken.wait(lock, [&] { return ending || !jobs.empty(); });
      if (ending) break;
      Job job = std::move(jobs.front().first);
      running = jobs.front().second;
      jobs.pop_front();
      lock.unlock();
      guarded([&, token = running.get_token()] { job(token); });
      job = nullptr;  // what it holds goes in this thread, unlocked
      lock.lock();
    }
    jobs.clear();
    const std::function<void()> then = std::exchange(last, nullptr);
    lock.unlock();
    if (then) guarded(then);
    lock.lock();
    ended = true;
    gone.notify_all();
  }
};

Strand::Strand(Failed failed) : state_(std::make_shared<State>()) {
  state_->failed = std::move(failed);
  std::thread([state = state_] { state->run(); }).detach();
}

Strand::~Strand() {
  std::unique_lock lock(state_->mutex);
  state_->ending = true;
  state_->running.request_stop();
  state_->woken.notify_all();
  state_->gone.wait_for(lock, std::chrono::seconds(2), [&] { return state_->ended; });
}

std::stop_source Strand::post(Job job) {
  std::stop_source source;
  const std::lock_guard lock(state_->mutex);
  state_->jobs.emplace_back(std::move(job), source);
  state_->woken.notify_one();
  return source;
}

void Strand::at_end(std::function<void()> last) {
  const std::lock_guard lock(state_->mutex);
  state_->last = std::move(last);
}

struct MainThread::State {
  std::mutex mutex;
  QObject* to = nullptr;
  std::deque<std::function<void()>> arrived;  // one a call that Qt carries over

  /// Run in the interface thread. What arrived changes hands under the mutex, not by Qt's own
  /// locks: those a thread sanitizer does not see.
  void take_one() {
    std::function<void()> arrive;
    {
      const std::lock_guard lock(mutex);
      if (arrived.empty()) return;
      arrive = std::move(arrived.front());
      arrived.pop_front();
    }
    arrive();
  }
};

MainThread::MainThread(QObject* to) : state_(std::make_shared<State>()) { state_->to = to; }

void MainThread::deliver(std::function<void()> arrive) const {
  const std::lock_guard lock(state_->mutex);
  if (!state_->to) return;
  state_->arrived.push_back(std::move(arrive));
  QMetaObject::invokeMethod(
      state_->to, [state = state_] { state->take_one(); }, Qt::QueuedConnection);
}

void MainThread::detach() {
  std::deque<std::function<void()>> dropped;  // goes unlocked: it may hold anything
  const std::lock_guard lock(state_->mutex);
  state_->to = nullptr;
  dropped.swap(state_->arrived);
}

}  // namespace kuvio::app
