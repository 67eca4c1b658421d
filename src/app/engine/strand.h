// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <stop_token>
#include <string>

class QObject;

namespace kuvio::app {

/// Runs jobs one after the other in a thread of its own. Nothing here makes the caller wait for a
/// job: `post` returns at once, and a job that hangs in a stalled disk holds up its own strand
/// alone.
class Strand {
public:
  using Job = std::function<void(const std::stop_token&)>;
  /// Gets, in the strand's thread, what a job threw: its text.
  using Failed = std::function<void(const std::string&)>;

  /// Nothing that a job throws ends the program: it goes to `failed`, and the next job runs.
  explicit Strand(Failed failed = {});
  /// Asks the running job to stop, drops those that wait and runs `last`, if there is one. A job
  /// that does not come back within two seconds is left behind.
  ~Strand();
  Strand(const Strand&) = delete;
  Strand& operator=(const Strand&) = delete;

  /// Stopping the source asks this job, running or still waiting, to give up.
  std::stop_source post(Job job);
  /// What is to be run, in the strand's thread, when it ends.
  void at_end(std::function<void()> last);

private:
  struct State;
  std::shared_ptr<State> state_;
};

/// Carries results from strands to an object of the interface thread, as long as that is there.
class MainThread {
public:
  explicit MainThread(QObject* to);
  /// May be called from any thread; `arrive` runs in the interface thread.
  void deliver(std::function<void()> arrive) const;
  /// To be called by the object before it goes.
  void detach();

private:
  struct State;
  std::shared_ptr<State> state_;
};

}  // namespace kuvio::app
