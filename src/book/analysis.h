// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "core/edits.h"
#include "core/ledger.h"
#include "core/recipe.h"
#include "core/rejected.h"

#include <memory>
#include <string>
#include <vector>

namespace kuvio::book {

class ChannelTrace;

/// What the figures of a channel rest on. Error bad_data when its accuracy statement is none.
Basis basis_of(const CaptureInfo& capture, const ChannelInfo& channel);

/// A capture's current, split into states and measured, or its typed readings: what ledgers,
/// comparisons and budgets are made of.
struct SplitCapture {
  SplitCapture();
  SplitCapture(SplitCapture&&) noexcept;
  SplitCapture& operator=(SplitCapture&&) noexcept;
  ~SplitCapture();

  CaptureInfo info;
  ChannelInfo channel;
  std::unique_ptr<ChannelTrace> trace;  ///< null where it is typed
  std::string recipe_name, recipe_text;
  std::vector<VisitFigures> visits;
  std::size_t edits = 0;          ///< corrections by hand that lie on top of the recipe
  bool edges_on_samples = false;  ///< split by an older Kuvio; splitting it again finds them inside
  std::vector<Conflict> conflicts;  ///< those among them whose anchor is gone
  std::vector<TypedReading> typed;

  /// What a ledger counts of it.
  Account account() const;
  Basis basis() const { return basis_of(info, channel); }
};

/// The channel that a command means: by name, or the only current (the only recorded one, where
/// others are derived). Error (usage) that names the
/// choices when there are several, bad_data when there is none.
const ChannelInfo& choose_channel(const CaptureInfo& capture, const std::string& name,
                                  const std::string& book_path);

/// The channel that is looked at where nobody has named one: the only current, or the first of
/// several (the first input's). Error bad_data when there is none.
const ChannelInfo& main_current(const CaptureInfo& capture, const std::string& book_path);
/// Refuses a capture of typed readings where samples are wanted. Error bad_data.
void require_recorded(const CaptureInfo& capture);
/// The channel that stands for a capture where it is looked at: the current that its states rest
/// on, else the main current, in a capture without any the first voltage, else the first that holds
/// samples. Error bad_data when none does.
const ChannelInfo& shown_channel(const CaptureInfo& capture, const std::string& book_path);
/// A recipe that names no channel, made to read the main current.
Recipe of_main_current(Recipe recipe, const CaptureInfo& capture, const std::string& book_path);

/// When its output was switched, as far as the trace of its current tells: on at the first rise
/// within the command's bracket.
std::vector<OutputSwitch> placed_switches(const Book& book, const CaptureInfo& capture,
                                          const ChannelInfo& channel, const Trace& trace);

/// Splits a capture by a recipe, without saving it. The moment an output went on is refined by the
/// first rise of the current. Error bad_data when the capture lacks the recipe's channel, or a
/// logic line that it names.
StoredSplit split_capture(const Book& book, const CaptureInfo& capture, const Recipe& recipe,
                          const std::string& recipe_text);

/// The same, and what was turned away by it.
struct ToldSplit {
  StoredSplit split;
  std::vector<std::string> remarks;  ///< sentences without their full stops
  std::vector<Rejected> rejected;
  std::size_t overlaps = 0;
};
ToldSplit told_split(const Book& book, const CaptureInfo& capture, const Recipe& recipe,
                     const std::string& recipe_text);

/// By how much the ledger's charge of a visit may differ from the samples' own over a span that
/// begins and ends at its edges (C): a quarter of step times sample an edge, for each end of the
/// span that lies in the cell of an edge.
double edge_difference(const SplitCapture& capture, double from_s, double to_s);

/// Loads a capture with a split (as given, or the one that counts), its hand edits applied, or a
/// typed one. Error bad_data when it has none.
SplitCapture load_split(const Book& book, const CaptureInfo& capture,
                        std::optional<StoredSplit> split = {});

/// The captures of a build that hold channels or typed readings; Error bad_data that names the
/// builds there are when it has none.
std::vector<CaptureInfo> captures_of_build(const Book& book, const std::string& build);

/// One ledger of several captures, each by its own accuracy, voltage and rate; `states` get a row
/// even without visits. `supply` (V) stands for a voltage that a capture does not state.
Ledger pooled_ledger(const std::vector<SplitCapture>& captures,
                     const std::vector<std::string>& states = {}, double supply = 0);

/// Conditions common to all captures; where they differ the values are joined by " / ".
Conditions pooled_conditions(const std::vector<SplitCapture>& captures);

/// Nominal supply voltage from the conditions ("3.6 V"), or 0.
double nominal_voltage(const Conditions& conditions);

}  // namespace kuvio::book
