// SPDX-License-Identifier: GPL-3.0-or-later
// Links in memory: one that says what it is given, and an instrument that can be asked.
#pragma once

#include "acquire/link.h"
#include "core/error.h"

#include <algorithm>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

namespace kuvio::test {

/// Answers come in pieces, as from a network, whatever is asked.
class ScriptedLink : public acquire::Link {
public:
  explicit ScriptedLink(std::vector<std::string> pieces) : pieces_(std::move(pieces)) {}
  std::size_t read(std::span<char> out, std::chrono::milliseconds) override {
    if (pieces_.empty()) return 0;
    const std::size_t n = std::min(out.size(), pieces_.front().size());
    std::copy_n(pieces_.front().begin(), n, out.begin());
    pieces_.front().erase(0, n);
    if (pieces_.front().empty()) pieces_.erase(pieces_.begin());
    return n;
  }
  std::size_t read_ready(std::span<char>) override { return 0; }  // nothing comes unasked
  void write(std::string_view) override {}

private:
  std::vector<std::string> pieces_;
};

/// An instrument in memory that outlives its links: what is said to it is written down, what it is
/// asked it answers from a table or by a function. Its members may be called from any thread.
class ScriptedInstrument {
public:
  using Answer = std::function<std::string(const std::string& asked)>;

  /// Whatever begins with `head` is answered so; the longest head that fits counts.
  void answers(const std::string& head, Answer answer) {
    const std::lock_guard lock(mutex_);
    answers_[head] = std::move(answer);
  }
  void answers(const std::string& head, const std::string& answer) {
    answers(head, [answer](const std::string&) { return answer; });
  }
  /// What is said to it that begins with `head` is refused: the error stands in its queue.
  void refuses(const std::string& head, const std::string& error) {
    const std::lock_guard lock(mutex_);
    refused_[head] = error;
  }
  /// From now on links are dead; `again`: those that are opened after this live.
  void hang_up() {
    const std::lock_guard lock(mutex_);
    ++dead_below_;
  }

  /// All that was said to it that is no question, in order.
  std::vector<std::string> said() const {
    const std::lock_guard lock(mutex_);
    return said_;
  }
  std::size_t said(const std::string& what) const {
    const auto all = said();
    return static_cast<std::size_t>(std::count(all.begin(), all.end(), what));
  }
  int links() const {
    const std::lock_guard lock(mutex_);
    return opened_;
  }

  acquire::LinkOpener opener() {
    return [this](std::chrono::milliseconds) { return open(); };
  }
  std::unique_ptr<acquire::Link> open() {
    const std::lock_guard lock(mutex_);
    ++opened_;
    return std::make_unique<End>(*this, dead_below_);
  }

private:
  class End : public acquire::Link {
  public:
    End(ScriptedInstrument& of, int number) : of_(of), number_(number) {}
    std::size_t read(std::span<char> out, std::chrono::milliseconds) override {
      if (of_.dead(number_))
        throw Error(Failure::unavailable, "link lost", "scripted", "it hung up");
      const std::size_t n = std::min(out.size(), to_say_.size());
      std::copy_n(to_say_.begin(), n, out.begin());
      to_say_.erase(0, n);
      return n;
    }
    std::size_t read_ready(std::span<char>) override { return 0; }
    void write(std::string_view data) override {
      if (of_.dead(number_))
        throw Error(Failure::unavailable, "link lost", "scripted", "it hung up");
      in_ += data;
      for (std::size_t end; (end = in_.find('\n')) != std::string::npos; in_.erase(0, end + 1))
        to_say_ += of_.hear(in_.substr(0, end));
    }

  private:
    ScriptedInstrument& of_;
    int number_;
    std::string in_, to_say_;
  };

  bool dead(int number) const {
    const std::lock_guard lock(mutex_);
    return number < dead_below_;
  }
  template <typename Table>
  static auto longest(const Table& table, const std::string& text) {
    auto best = table.end();
    for (auto it = table.begin(); it != table.end(); ++it) {
      if (text.starts_with(it->first) &&
          (best == table.end() || it->first.size() > best->first.size()))
        best = it;
    }
    return best;
  }
  std::string hear(const std::string& message) {
    Answer answer;
    {
      const std::lock_guard lock(mutex_);
      if (message == "SYST:ERR?") {
        if (queue_.empty()) return "0,\"No error\"\n";
        const std::string first = queue_.front();
        queue_.erase(queue_.begin());
        return first + "\n";
      }
      const auto refused = longest(refused_, message);
      if (refused != refused_.end()) queue_.push_back(refused->second);
      if (message.find('?') == std::string::npos) {
        said_.push_back(message);
        return "";
      }
      const auto known = longest(answers_, message);
      if (known != answers_.end()) answer = known->second;
    }
    if (answer) return answer(message) + "\n";
    return message == "*OPC?" ? "1\n" : "";  // silence for what it does not know
  }

  mutable std::mutex mutex_;  // guards what follows
  std::map<std::string, Answer> answers_;
  std::map<std::string, std::string> refused_;
  std::vector<std::string> queue_, said_;
  int opened_ = 0, dead_below_ = 0;
};

}  // namespace kuvio::test
