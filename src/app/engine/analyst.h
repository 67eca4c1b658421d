// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views_fwd.h"
#include "core/line_up.h"

#include "study/pool.h"

#include <QString>

#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace kuvio::book {
class ChannelTrace;
}

namespace kuvio::app {

/// Works out what the Builds, Budget and Lifetime desks show. Lives in one thread, that of its
/// connection. What cannot be worked out is shown in the view (`trouble`), not thrown; only a book
/// that cannot be read throws Error.
class Analyst {
public:
  /// False: the answer is no longer wanted.
  using GoingOn = std::function<bool()>;

  explicit Analyst(const QString& path);
  ~Analyst();
  Analyst(const Analyst&) = delete;
  Analyst& operator=(const Analyst&) = delete;

  BuildsViewPtr builds(const BuildsRequest& request, const GoingOn& going_on);
  TypicalViewPtr typical(const TypicalRequest& request, const GoingOn& going_on);
  /// Of a build; without captures where none of it is split.
  WaysViewPtr ways(const std::string& build, const GoingOn& going_on);
  FitViewPtr fit(std::int64_t capture, const GoingOn& going_on);
  TroublesViewPtr troubles(std::int64_t capture, const GoingOn& going_on);
  WaitsViewPtr waits(const WaitsRequest& request, const GoingOn& going_on);
  LedgerViewPtr ledger(const LedgerRequest& request, const GoingOn& going_on);
  BudgetViewPtr budget(const GoingOn& going_on);
  LifeViewPtr life(const LifeRequest& request, const GoingOn& going_on);
  /// Every sample of a span, and its ripple. Null when it was given up or there is nothing.
  SpreadViewPtr spread(const SpreadRequest& request, const GoingOn& going_on);
  /// Where `other` lies beside `reference`, on its time, by their main currents.
  LineUp lineUp(std::int64_t reference, std::int64_t other, const GoingOn& going_on);

  const book::Book& book() const { return book_; }

private:
  std::string find_file(DocumentKind kind, const std::string& name,
                        const std::string& beside) const;

  book::Book book_;
  study::Pools pools_{book_};
  const book::ChannelTrace& current(std::int64_t capture);
  std::map<std::int64_t, std::unique_ptr<book::ChannelTrace>> currents_;  // by capture
  std::int64_t currents_version_ = -1;
};

}  // namespace kuvio::app
