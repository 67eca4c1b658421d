// SPDX-License-Identifier: GPL-3.0-or-later
#include "command.h"

#include "book/analysis.h"
#include "book/text.h"
#include "core/accuracy.h"
#include "core/quantity.h"
#include "formats/phrases.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <charconv>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdio>

namespace kuvio::cli {

void usage(const std::string& why) {
  throw Error(Failure::usage, "usage error", "command line", why);
}

formats::Explain explain_of(const Output& output) {
  return output.explain ? formats::Explain::yes : formats::Explain::no;
}

double option_quantity(const std::string& option, const std::string& text, Dimension dimension) {
  double plain = 0;
  const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), plain);
  if (failed == std::errc{} && end == text.data() + text.size()) {
    if (std::isfinite(plain)) return plain;
    usage(option + ": \"" + text + "\" is no quantity");
  }
  try {
    return parse_quantity(text, dimension);
  } catch (const std::invalid_argument& e) {
    usage(option + ": " + e.what());
  }
}

Conditions option_conditions(const std::vector<std::string>& list) {
  Conditions out;
  for (const std::string& item : list) {
    const auto equals = item.find('=');
    if (equals == std::string::npos || equals == 0)
      usage("--condition \"" + item + "\" is not KEY=VALUE");
    out[item.substr(0, equals)] = item.substr(equals + 1);
  }
  return out;
}

std::string option_accuracy(const std::string& text) {
  try {
    if (!text.empty()) parse_accuracy(text, Dimension::current);
  } catch (const std::invalid_argument& e) {
    usage(std::string("--accuracy: ") + e.what());
  }
  return text;
}

namespace {
std::size_t shown_width(const std::string& text) {
  return static_cast<std::size_t>(
      std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xc0) != 0x80; }));
}
}  // namespace

void print_table(const std::vector<std::vector<std::string>>& given) {
  // Names come from books, logs and instruments: none of them speaks to the terminal.
  std::vector<std::vector<std::string>> rows = given;
  for (auto& row : rows) {
    for (std::string& cell : row) cell = book::printable(cell);
  }
  std::vector<std::size_t> widths;
  for (const auto& row : rows) {
    widths.resize(std::max(widths.size(), row.size()));
    for (std::size_t i = 0; i < row.size(); ++i)
      widths[i] = std::max(widths[i], shown_width(row[i]));
  }
  for (const auto& row : rows) {
    std::string line;
    for (std::size_t i = 0; i < row.size(); ++i) {
      const std::string pad(widths[i] - shown_width(row[i]), ' ');
      line += i == 0 ? row[i] + pad : "  " + pad + row[i];
    }
    while (!line.empty() && line.back() == ' ') line.pop_back();
    std::puts(line.c_str());
  }
}

namespace {
std::atomic<bool> stop_requested{false};
}

StopOnSignal::StopOnSignal() {
  stop_requested = false;
  const auto handler = [](int) { stop_requested.store(true); };
  old_int_ = std::signal(SIGINT, handler);
  old_term_ = std::signal(SIGTERM, handler);
  watch_ = std::jthread([source = source_](const std::stop_token& done) mutable {
    while (!done.stop_requested()) {
      if (stop_requested) source.request_stop();
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
  });
}

StopOnSignal::~StopOnSignal() {
  std::signal(SIGINT, old_int_);
  std::signal(SIGTERM, old_term_);
}

book::Book open_to_read(const std::string& path) {
  book::Book book = book::Book::open(path, book::Book::Mode::read);
  if (!book.unclean().empty()) say(path + ": " + book.unclean());
  if (const auto once = book.note(0, "unclean")) say(fmt::format("{}: once, {}", path, *once));
  return book;
}

void say(const std::string& text) {
  std::fflush(stdout);
  std::string out;
  for (std::size_t at = 0; at <= text.size();) {  // a message may have several lines
    const std::size_t end = std::min(text.find('\n', at), text.size());
    out += (at > 0 ? "\n" : "") + book::printable(std::string_view(text).substr(at, end - at));
    at = end + 1;
  }
  fmt::print(stderr, "kuvio-cli: {}\n", out);
}

void say_old_edges(const std::vector<std::string>& captures) {
  for (const std::string& line : captures) say(line + " (kuvio-cli states)");
}

std::vector<book::CaptureInfo> captures_of(const book::Book& book,
                                           const std::string& build_or_capture) {
  const auto builds = book.builds();
  if (std::find(builds.begin(), builds.end(), build_or_capture) != builds.end()) {
    return book::captures_of_build(book, build_or_capture);
  }
  return {book.find(build_or_capture)};
}

}  // namespace kuvio::cli
