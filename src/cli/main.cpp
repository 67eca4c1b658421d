// SPDX-License-Identifier: GPL-3.0-or-later
// kuvio-cli: everything that needs no eyes, for scripts and CI.

#include "command.h"

#include <fmt/format.h>

#include <array>
#include <csignal>
#include <cstdio>
#include <iostream>

namespace {

using namespace kuvio;

struct Entry {
  const char* name;
  const char* does;
  cli::Add add;
};

constexpr std::array kCommands{
    Entry{"import", "import text logs and other files as captures", cli::add_import},
    Entry{"add", "add a reading taken by eye", cli::add_add},
    Entry{"capture", "record a capture", cli::add_capture},
    Entry{"profile", "check an instrument profile, or try it", cli::add_profile},
    Entry{"list", "list captures, channels and builds", cli::add_list},
    Entry{"span", "measure a span", cli::add_span},
    Entry{"channel", "calibrate a channel: zero, shunt, gain", cli::add_channel},
    Entry{"shunt", "propose a shunt for a current and a converter", cli::add_shunt},
    Entry{"states", "split a capture into states", cli::add_states},
    Entry{"ledger", "time and charge by state", cli::add_ledger},
    Entry{"compare", "compare two builds or captures by state", cli::add_compare},
    Entry{"check", "check a build against a budget", cli::add_check},
    Entry{"lifetime", "calculate battery life", cli::add_lifetime},
    Entry{"demo", "create the demo book", cli::add_demo},
    Entry{"export", "export samples or visits", cli::add_export},
    Entry{"line-up", "align a capture with another", cli::add_line_up},
    Entry{"report", "write an HTML report", cli::add_report},
    Entry{"copy", "a copy of a book, also while it is recorded into", cli::add_copy},
    Entry{"verify", "verify the integrity of a book", cli::add_verify},
};

int status_of(Failure failure) {
  switch (failure) {
    case Failure::usage:
      return 64;
    case Failure::bad_data:
      return 65;
    case Failure::no_input:
      return 66;
    case Failure::unavailable:
      return 69;
    case Failure::cannot_create:
      return 73;
    case Failure::io:
      return 74;
  }
  return 70;
}

int complain(const std::string& text, int status) {
  std::fflush(stdout);
  cli::say(text);
  return status;
}

}  // namespace

int main(int argc, char** argv) {
  std::signal(SIGPIPE, SIG_IGN);
  CLI::App app{
      "Kuvio: capture current, split it into states, account for the charge, compare builds"};
  app.name("kuvio-cli");
  app.require_subcommand(1);
  app.set_version_flag("--version", KUVIO_VERSION);
  cli::Output output;
  const auto add_output = [&](CLI::App& to) {
    to.add_flag("--json", output.json, "print one JSON document on standard output");
    to.add_flag("--explain", output.explain,
                "with --json: the uncertainty budget of each result beside it");
  };
  add_output(app);
  std::vector<std::pair<CLI::App*, cli::Runner>> commands;
  for (const Entry& entry : kCommands) {
    CLI::App* sub = app.add_subcommand(entry.name, entry.does);
    add_output(*sub);
    commands.emplace_back(sub, entry.add(*sub));
  }
  try {
    app.parse(argc, argv);
    for (const auto& [sub, run] : commands) {
      if (!sub->parsed()) continue;
      const cli::Outcome outcome = run(output);
      if (output.json)
        std::cout << outcome.document.dump(1, ' ', false, nlohmann::json::error_handler_t::replace)
                  << "\n";
      std::cout.flush();
      if (!std::cout || std::fflush(stdout) != 0)
        return complain("cannot write: standard output: it was closed or is full", 74);
      return outcome.status;
    }
    return 64;
  } catch (const CLI::ParseError& e) {
    if (e.get_exit_code() == 0) return app.exit(e);
    return complain(std::string("usage error: command line: ") + e.what(), 64);
  } catch (const Error& e) {
    return complain(e.what(), status_of(e.failure()));
  } catch (const std::bad_alloc&) {
    return complain("out of memory: this command: nothing was changed", 74);
  } catch (const std::exception& e) {
    return complain(std::string("failed: this command: ") + e.what(), 74);
  }
}
