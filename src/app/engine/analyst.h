// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/views.h"
#include "book/analysis.h"
#include "core/line_up.h"

#include "study/life.h"

#include <functional>
#include <map>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::app {

struct BuildsRequest {
  std::string reference, candidate;
  std::optional<double> equal_within;
};
struct TypicalRequest {
  std::string reference, candidate, state;
};
struct LifeRequest {
  std::int64_t capture = 0;
  study::LifeQuestion question;
};

/// Works out what the Builds, Budget and Lifetime desks show. Lives in one thread, that of its
/// connection. What cannot be worked out is shown in the view (`trouble`), not thrown; only a book
/// that cannot be read throws Error.
class Analyst {
public:
  explicit Analyst(const QString& path);
  Analyst(const Analyst&) = delete;
  Analyst& operator=(const Analyst&) = delete;

  BuildsViewPtr builds(const BuildsRequest& request, const std::stop_token& stop);
  TypicalViewPtr typical(const TypicalRequest& request, const std::stop_token& stop);
  BudgetViewPtr budget(const std::stop_token& stop);
  LifeViewPtr life(const LifeRequest& request, const std::stop_token& stop);
  /// Every sample of a span, and its ripple. Null when it was given up or there is nothing.
  SpreadViewPtr spread(const SpreadRequest& request, const std::function<bool()>& going_on);
  /// Where `other` lies beside `reference`, on its time, by their main currents.
  LineUp lineUp(std::int64_t reference, std::int64_t other, const std::stop_token& stop);

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
