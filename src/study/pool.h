// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "book/documents.h"
#include "core/compare.h"
#include "core/lifetime.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::study {

/// Captures that are judged together.
struct Pool {
  std::vector<book::SplitCapture> captures;
  Side side;                           ///< their name, pooled ledger and conditions
  std::vector<std::string> old_edges;  ///< those whose split stands on samples, for people

  const Ledger& ledger() const { return side.ledger; }
};

/// Pools captures with the splits that count. Error bad_data where one has none.
Pool pool(const book::Book& book, std::string name, const std::vector<book::CaptureInfo>& captures);
/// The captures of a build that are split. Error bad_data where none is.
Pool pool_build(const book::Book& book, const std::string& build);

/// The pools of a book's builds, each made once as long as no other connection writes to the book.
/// Belongs to the thread of the book's connection.
class Pools {
public:
  explicit Pools(const book::Book& book) : book_(book) {}
  explicit Pools(book::Book&&) = delete;  // the book must outlive it

  /// Forgets what has changed. Called once for each question: what `build` gave before is then
  /// gone, and what it gives afterwards holds until the next one, whoever writes meanwhile.
  void refresh();
  const Pool& build(const std::string& name);

private:
  const book::Book& book_;
  std::int64_t version_ = -1;
  std::map<std::string, Pool> builds_;
};

/// The duty plan or battery that the book holds; nothing where it holds none. Error when its text
/// is not valid.
std::optional<DutyPlan> stored_duty(const book::Book& book,
                                    book::DocumentKind kind = book::DocumentKind::duty);
std::optional<Battery> stored_battery(const book::Book& book,
                                      book::DocumentKind kind = book::DocumentKind::battery);

}  // namespace kuvio::study
