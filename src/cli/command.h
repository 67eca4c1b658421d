// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/error.h"
#include "core/quantity.h"
#include "formats/json_results.h"

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <functional>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

namespace kuvio::cli {

/// What a command leaves behind: its exit status, and its document if --json was asked for.
struct Outcome {
  int status = 0;
  nlohmann::ordered_json document;
};

/// One command. `add` declares its options on a sub-command and returns what runs it. A new command
/// is one file with such a function and one line in kCommands (main.cpp).
/// Documents are made whole whether they are printed or not.
struct Output {
  bool json = false;     ///< print the document, nothing else on standard output
  bool explain = false;  ///< with the uncertainty budget of each result
};
using Runner = std::function<Outcome(const Output& output)>;
using Add = Runner (*)(CLI::App& app);

Runner add_import(CLI::App& app);
Runner add_add(CLI::App& app);
Runner add_capture(CLI::App& app);
Runner add_profile(CLI::App& app);
Runner add_list(CLI::App& app);
Runner add_span(CLI::App& app);
Runner add_channel(CLI::App& app);
Runner add_shunt(CLI::App& app);
Runner add_states(CLI::App& app);
Runner add_ledger(CLI::App& app);
Runner add_compare(CLI::App& app);
Runner add_check(CLI::App& app);
Runner add_lifetime(CLI::App& app);
Runner add_demo(CLI::App& app);
Runner add_export(CLI::App& app);
Runner add_line_up(CLI::App& app);
Runner add_report(CLI::App& app);
Runner add_verify(CLI::App& app);
Runner add_copy(CLI::App& app);

/// While it lives, SIGINT and SIGTERM are a request to stop.
class StopOnSignal {
public:
  StopOnSignal();
  ~StopOnSignal();
  StopOnSignal(const StopOnSignal&) = delete;
  StopOnSignal& operator=(const StopOnSignal&) = delete;
  std::stop_token token() const { return source_.get_token(); }

private:
  void (*old_int_)(int);
  void (*old_term_)(int);
  std::stop_source source_;
  std::jthread watch_;
};

formats::Explain explain_of(const Output& output);

// --- shared by commands --------------------------------------------------------------------------

/// Throws Error (usage).
[[noreturn]] void usage(const std::string& why);
/// parse_quantity on an option's text; a plain number is taken to be in the SI unit.
double option_quantity(const std::string& option, const std::string& text, Dimension dimension);
/// "KEY=VALUE" list to conditions.
Conditions option_conditions(const std::vector<std::string>& list);
/// Checks an accuracy statement; gives it back.
std::string option_accuracy(const std::string& text);
/// Prints rows as columns: the first to the left, the others to the right.
void print_table(const std::vector<std::vector<std::string>>& rows);
/// Opens a book to read it, and says on standard error when it was not closed and misses its log.
book::Book open_to_read(const std::string& path);
/// A message or progress on standard error.
void say(const std::string& text);
/// Says on standard error which captures were split with edges on samples.
void say_old_edges(const std::vector<std::string>& captures);
/// A build's captures, or a single capture by id or name.
std::vector<book::CaptureInfo> captures_of(const book::Book& book,
                                           const std::string& build_or_capture);

}  // namespace kuvio::cli
