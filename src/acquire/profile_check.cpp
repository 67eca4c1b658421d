// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/profile_check.h"

#include "acquire/host_clock.h"
#include "acquire/scpi_instrument.h"
#include "book/book.h"
#include "book/text.h"
#include "core/error.h"

#include <fmt/format.h>
#include <re2/re2.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <thread>

namespace kuvio::acquire {
namespace {

using std::chrono::milliseconds;

class ProfileCheck {
public:
  ProfileCheck(std::unique_ptr<Link> link, const std::string& where, const Profile& profile,
               const std::stop_token& stop)
      : profile_(profile), stop_(stop), instrument_(std::move(link), where, profile) {}

  std::vector<CheckStep> run() {
    try {
      if (!profile_.identity.empty()) identity();
      for (const std::string& command : profile_.init) send("protocol.begin", command);
      for (const OutputProfile& o : profile_.outputs) output(o);
      if (profile_.join)
        step("joined.query", profile_.join->query,
             [&] { return scpi_.query(profile_.join->query); });
      for (const LineProfile& l : profile_.lines) line(l);
      setting("line_level", profile_.line_level, Dimension::voltage);
      for (const ChannelProfile& c : profile_.channels) channel(c);
      if (profile_.log) log(*profile_.log);
    } catch (const Error&) {  // the link is lost: the last step reports it
    }
    return std::move(steps_);
  }

private:
  /// Carries a step out; false when it went wrong. Throws when the link is gone.
  bool step(const std::string& key, const std::string& command,
            const std::function<std::string()>& how) {
    if (stop_.stop_requested()) return false;
    CheckStep s{key, command, "", ""};
    bool lost = false;
    std::optional<Error> error;
    try {
      s.answer = how();
    } catch (const Error& e) {
      s.trouble = e.why();
      lost = e.failure() != Failure::bad_data;
      error = e;
    }
    // What it made of the command is in its error queue.
    if (!lost && key != "protocol.errors") {
      try {
        const auto errors = instrument_.errors();
        if (!errors.empty() && s.trouble.empty())
          s.trouble = "its error queue says " + errors.front();
      } catch (const Error& e) {
        s.trouble += (s.trouble.empty() ? "" : "; ") + std::string("then ") + e.why();
        lost = e.failure() != Failure::bad_data;
        error = e;
      }
    }
    s.answer = book::printable(s.answer.substr(0, 80));
    steps_.push_back(s);
    if (lost) throw *error;
    return s.trouble.empty();
  }

  void send(const std::string& key, const std::string& command) {
    step(key, command, [&] {
      scpi_.send(command);
      return std::string();
    });
  }
  std::optional<double> number(const std::string& key, const std::string& command,
                               std::optional<Dimension> dimension, double factor) {
    std::optional<double> out;
    step(key, command, [&] {
      out = scpi_.query_number(command, dimension, factor);
      return fmt::format("{:g}", *out);
    });
    return out;
  }

  void identity() {
    step("protocol.identity", profile_.identity, [&] {
      std::string answer = scpi_.query(profile_.identity);
      if (!profile_.match.empty() && !RE2::PartialMatch(answer, RE2(profile_.match, RE2::Quiet))) {
        throw Error(
            Failure::bad_data, "", "",
            "\"match\" is not found in \"" + answer + "\": it would not be chosen by itself");
      }
      return answer;
    });
    if (!profile_.done.empty())
      step("protocol.done", profile_.done, [&] { return scpi_.query(profile_.done); });
  }

  /// Asked for, and set to what it is.
  void setting(const std::string& key, const Setting& s, Dimension dimension) {
    std::optional<double> is;
    if (!s.query.empty()) is = number(key + ".query", s.query, dimension, s.factor);
    if (s.can_set() && is && std::isfinite(*is)) send(key + ".set", filled(s.set, *is / s.factor));
  }

  void output(const OutputProfile& o) {
    const std::string key = o.name.empty() ? "output" : "output " + o.name;
    if (!o.state.empty()) step(key + ".state", o.state, [&] { return scpi_.query(o.state); });
    setting(key + ".voltage", o.voltage, Dimension::voltage);
    setting(key + ".current_limit", o.current_limit, Dimension::current);
    if (!o.cut_off_state.empty()) {
      bool off = false;
      const bool good = step(key + ".on_over_current.query", o.cut_off_state, [&] {
        off = scpi_.query_on(o.cut_off_state);
        return std::string(off ? "switch_off" : "hold");
      });
      if (good)
        send(key + (off ? ".on_over_current.switch_off" : ".on_over_current.limit"),
             off ? o.cut_off : o.hold);
    }
    if (o.limited.known()) number(key + ".limited.query", o.limited.query, {}, 1);
    if (o.tripped.known()) number(key + ".tripped.query", o.tripped.query, {}, 1);
  }

  /// Set to what it is: a line that is let go of may be the device's reset.
  void line(const LineProfile& l) {
    if (l.query.empty()) return;
    bool high = false;
    const std::string key = "line " + l.name;
    const bool good = step(key + ".query", l.query, [&] {
      high = scpi_.query_on(l.query);
      return std::string(high ? "high" : "low");
    });
    if (good) send(key + (high ? ".high" : ".low"), high ? l.high : l.low);
  }

  void channel(const ChannelProfile& c) {
    if (!c.range_auto.empty()) send("channel " + c.name + ".range_auto", c.range_auto);
    if (c.query.empty()) return;
    const Dimension d = info(c.quantity).dimension;
    number("channel " + c.name + ".query", c.query, d, c.factor);
  }

  void log(const LogProfile& log) {
    for (const std::string& command : log.setup) send("log.setup", command);
    setting(log.interval_is_rate ? "log.rate" : "log.interval", log.interval,
            log.interval_is_rate ? Dimension::frequency : Dimension::time);
    send("log.start", log.start);
    if (!profile_.done.empty())
      step("protocol.done", profile_.done, [&] { return scpi_.query(profile_.done); });
    for (int i = 0; i < 50 && !stop_.stop_requested(); ++i)
      std::this_thread::sleep_for(milliseconds(10));
    std::int64_t first = 0, count = 0;
    step("log.ready", log.ready, [&] {
      std::string answer = scpi_.query(log.ready);
      const auto wrong = [&](const std::string& why) {
        throw Error(Failure::bad_data, "", "", "\"" + answer + "\" " + why);
      };
      try {
        const LogWindow window = parse_log_window(answer, log.means, 0);
        first = window.oldest;
        count = window.end - window.oldest;
      } catch (const std::invalid_argument& e) {
        wrong(e.what());
      }
      if (count <= 0) wrong("reported no samples after 0.5 s");
      return answer;
    });
    count = std::min<std::int64_t>({count, log.max_count, 16});
    for (const ChannelProfile& c : profile_.channels) {
      if (count <= 0) break;
      step("channel " + c.name + ".array", filled(c.array, first, count), [&] {
        const auto values = instrument_.fetch(c, first, count);
        if (static_cast<std::int64_t>(values.size()) != count) {
          throw Error(Failure::bad_data, "", "",
                      fmt::format("{} samples returned, {} requested", values.size(), count));
        }
        return fmt::format("{} samples, the first {:g}", values.size(), values.front());
      });
      if (log.means == LogProfile::Ready::waiting) first += count;
    }
    if (!log.stop.empty()) send("log.stop", log.stop);
  }

  const Profile& profile_;
  std::stop_token stop_;
  ScpiInstrument instrument_;
  Scpi& scpi_ = instrument_.conversation();
  std::vector<CheckStep> steps_;
};

}  // namespace

std::vector<CheckStep> try_profile(const Endpoint& endpoint, const Profile& profile,
                                   const std::stop_token& stop, const LinkOpener& open) {
  try {
    return ProfileCheck(open ? open(kFirstLink) : open_link(endpoint), endpoint.text, profile, stop)
        .run();
  } catch (const Error& e) {
    return {{"input", endpoint.text, "", e.why()}};
  }
}

}  // namespace kuvio::acquire
