// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/strand.h"

#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <utility>

namespace kuvio::app {

/// What becomes of an answer to a request that a newer one has replaced while it was worked out.
/// Where requests come faster than answers, dropping them all would show nothing at all.
enum class OlderAnswers { delivered, dropped };

/// Requests of one kind, answered in a strand. Of several that wait only the newest is served.
///
/// `Answer` is a pointer to what was worked out; null says that there is nothing to deliver.
/// Belongs to the interface thread, where answers arrive as well.
template <typename Request, typename Answer>
class Query {
public:
  /// Whether the answer being worked out is still wanted: nobody asked to stop, and, of a query
  /// that drops older requests, nothing newer was asked.
  using StillWanted = std::function<bool()>;
  using Work = std::function<Answer(const Request&, const StillWanted&)>;
  /// `newest`: nothing newer has been asked since.
  using Arrived = std::function<void(const Answer&, const Request&, bool newest)>;
  using Post = std::function<void(Strand::Job)>;

  Query(Post post, MainThread main_thread, OlderAnswers older, Work work, Arrived arrived)
      : post_(std::move(post)),
        main_thread_(std::move(main_thread)),
        older_(older),
        work_(std::move(work)),
        arrived_(std::move(arrived)) {}

  void ask(Request request) {
    state_->put(std::move(request));
    post_([main_thread = main_thread_, state = state_, older = older_, work = work_,
           arrived = arrived_](const std::stop_token& stop) {
      const auto asked = state->take();
      if (!asked) return;  // another job has taken the newest
      const std::uint64_t number = asked->second;
      const StillWanted wanted = [&] {
        return !stop.stop_requested() &&
               (older == OlderAnswers::delivered || state->is_newest(number));
      };
      const Answer answer = work(asked->first, wanted);
      if (!answer || !wanted()) return;
      main_thread.deliver([state, arrived, answer, asked = *asked] {
        arrived(answer, asked.first, state->is_newest(asked.second));
      });
    });
  }
  /// What was asked is no longer wanted.
  void drop() { state_->forget(); }

private:
  using Asked = std::pair<Request, std::uint64_t>;  // with its number
  class State {
  public:
    void put(Request request) {
      const std::lock_guard lock(mutex_);
      waiting_.emplace(std::move(request), ++newest_);
    }
    std::optional<Asked> take() {
      const std::lock_guard lock(mutex_);
      return std::exchange(waiting_, std::nullopt);
    }
    void forget() {
      const std::lock_guard lock(mutex_);
      waiting_.reset();
      ++newest_;
    }
    bool is_newest(std::uint64_t number) const { return number == newest_; }

  private:
    std::mutex mutex_;  // held for moments only
    std::optional<Asked> waiting_;
    std::atomic<std::uint64_t> newest_{0};
  };

  Post post_;
  MainThread main_thread_;
  OlderAnswers older_;
  Work work_;
  Arrived arrived_;
  std::shared_ptr<State> state_ = std::make_shared<State>();
};

}  // namespace kuvio::app
