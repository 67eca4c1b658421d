// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/profile_check.h"
#include "core/error.h"

#include "command.h"

#include <fmt/format.h>

#include <memory>

namespace kuvio::cli {
namespace {

struct Options {
  std::string file, input;
};

Outcome run(const Options& o, bool json) {
  const acquire::Profile profile = acquire::read_profile(o.file);
  Outcome out;
  out.document["profile"] = profile.name;
  if (o.input.empty()) {
    if (!json) fmt::print("{}: {} is valid\n", o.file, profile.name);
    return out;
  }
  const acquire::Endpoint endpoint = acquire::parse_endpoint(o.input);
  if (!endpoint.is_instrument()) usage("a profile is tried on an input that speaks SCPI");
  auto& steps = out.document["steps"] = nlohmann::ordered_json::array();
  int wrong = 0;
  for (const acquire::CheckStep& s : acquire::try_profile(endpoint, profile)) {
    steps.push_back({{"key", s.key},
                     {"command", s.command},
                     {"answer", s.answer},
                     {"ok", s.trouble.empty()},
                     {"trouble", s.trouble}});
    wrong += s.trouble.empty() ? 0 : 1;
    if (json) continue;
    fmt::print("{}  {:<28}  {:<32}  {}\n", s.trouble.empty() ? "✓" : "✗", s.key, s.command,
               s.trouble.empty() ? s.answer : s.trouble);
  }
  out.document["wrong"] = wrong;
  if (!json)
    fmt::print("{}\n", wrong == 0 ? "Every command was answered as expected."
                                  : fmt::format("{} failed.", wrong));
  if (wrong > 0) out.status = 69;
  return out;
}

}  // namespace

Runner add_profile(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("FILE", o->file, "the profile (docs/profiles.md)")->required();
  app.add_option("--input", o->input, "try it on this instrument, e.g. scpi+tcp://HOST:PORT");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
