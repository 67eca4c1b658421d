// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "book/book.h"
#include "book/documents.h"
#include "book/notes.h"
#include "core/envelope.h"
#include "core/typed_reading.h"
#include "core/verdict.h"

#include <QString>

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

/// A row of the captures list.
struct CaptureRow {
  book::CaptureInfo info;
  std::vector<EnvelopeColumn> thumbnail;
  Visits visits;
  std::vector<TypedReading> typed;  ///< of one that was typed
  Fills fills;
  std::size_t ink = 0;
  std::optional<Verdict> verdict;  ///< of its build, when the book holds a budget

  /// Split, or typed: its states have figures.
  bool hasStates() const { return !visits.empty() || !typed.empty(); }
};

/// The book as a whole: its captures and what people put into it.
struct BookView {
  QString path;
  std::string unclean;  ///< it was not closed, and something is missing; for people
  std::vector<CaptureRow> rows;
  std::vector<std::string> builds;
  std::size_t deleted = 0;                   ///< captures that can be put back
  std::map<std::string, std::string> notes;  ///< the book's own notes: "reference", "unlike/…"
  std::map<DocumentKind, book::Document> documents;

  std::string note(const std::string& key) const {
    const auto it = notes.find(key);
    return it == notes.end() ? "" : it->second;
  }
  const book::Document* document(DocumentKind kind) const {
    const auto it = documents.find(kind);
    return it == documents.end() ? nullptr : &it->second;
  }
  const CaptureRow* row(std::int64_t capture) const {
    for (const CaptureRow& r : rows) {
      if (r.info.id == capture) return &r;
    }
    return nullptr;
  }
  /// The reference build: the one that carries the R, else the first.
  std::string reference() const { return book::reference_among(builds, note("reference")); }
  std::size_t ink_of(const std::string& build) const {
    for (std::size_t i = 0; i < builds.size(); ++i) {
      if (builds[i] == build) return i;
    }
    return 0;
  }
};

}  // namespace kuvio::app
