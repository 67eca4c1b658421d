// SPDX-License-Identifier: GPL-3.0-or-later
// Logs of known signals, imported, split and judged by the command line.
#pragma once

#include "cli/process.h"

#include "support.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>

namespace kuvio::test {

using nlohmann::json;

inline constexpr const char* kRecipe = R"(kuvio = "recipe/1"
name = "three"
[[state]]
name = "Sleep"
level = { below = "100 uA" }
shortest = "20 ms"
[[state]]
name = "Work"
level = { above = "100 uA", below = "10 mA" }
shortest = "10 ms"
[[state]]
name = "Uplink"
level = { above = "40 mA" }
shortest = "5 ms"
)";

/// A log of 1 kS/s, written stay by stay, in a book of its own.
class Log {
public:
  Log& stay(double level, int samples) {
    for (int i = 0; i < samples; ++i) sample(fmt::format("{:.9g}", level));
    return *this;
  }
  Log& sample(const std::string& cell, int times = 1) {
    for (int i = 0; i < times; ++i, ++at_)
      text_ += fmt::format("{:.3f},{}\n", static_cast<double>(at_) / 1000, cell);
    return *this;
  }
  /// One sample at a time of its own (s).
  Log& at(double time_s, double level) {
    text_ += fmt::format("{:.6f},{:.9g}\n", time_s, level);
    return *this;
  }
  Log& gap(int samples) {
    at_ += samples;
    return *this;
  }
  const std::string& text() const { return text_; }

private:
  std::string text_ = "time (s),I (A)\n";
  std::int64_t at_ = 0;
};

struct Tried {
  test::Folder folder;
  std::string book = folder / "b.kuvio";
  std::string recipe = folder.write("r.recipe.toml", kRecipe);

  void import(const Log& log, const std::string& name, const std::string& kind = "averaged",
              const std::string& accuracy = "0.08 % + 40 nA", const std::string& build = "") {
    const std::string csv = folder.write(name + ".csv", log.text());
    std::vector<std::string> call{
        "import",    book, csv, "--name", name, "--build", build.empty() ? name : build,
        "--samples", kind};
    if (!accuracy.empty()) call.insert(call.end(), {"--accuracy", accuracy});
    const auto done = cli(call);
    INFO(done.err);
    REQUIRE(done.status == 0);
    REQUIRE(cli({"states", book, name, "--recipe", recipe}).status == 0);
  }
  json ledger(const std::string& name) { return cli({"ledger", book, name, "--json"}).json(); }
  json row(const std::string& name, const std::string& state) {
    const json document = ledger(name);
    for (const json& r : document["rows"]) {
      if (r["state"] == state) return r;
    }
    return {};
  }
  /// A budget's document and exit status.
  std::pair<json, int> check(const std::string& build, const std::string& limits) {
    const std::string budget =
        folder.write("b.budget.toml",
                     "kuvio = \"budget/1\"\nname = \"b\"\nrecipe = \"r.recipe.toml\"\n" + limits);
    const auto ran = cli({"check", book, "--budget", budget, "--build", build, "--json"});
    INFO(ran.err);
    return {ran.json(), ran.status};
  }
};

}  // namespace kuvio::test
