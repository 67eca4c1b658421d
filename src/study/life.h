// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/duty.h"
#include "core/lifetime.h"

#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace kuvio::book {
class Book;
struct CaptureInfo;
}  // namespace kuvio::book

namespace kuvio::study {

class Pools;

/// What a life is worked out from.
struct LifeBasis {
  DutyPlan plan;
  Battery battery;
  double harvest_a = 0;  ///< mean current that flows back (A)
};

/// A battery life with its interval (s).
struct LifeFigures {
  double mean = 0, mean_u = 0;  ///< A
  std::optional<double> life, low, high;
  double once_charge = 0;
  std::vector<Share> shares;  ///< of the mean current, by state
  LifeInterval interval;
  std::vector<std::string> remarks;  ///< what it rests on, for people
  std::string trouble;               ///< why there is none
};

/// Life of a mean current on a battery, with its interval.
LifeFigures life_of(const FieldMean& mean, const Battery& battery, double harvest_a = 0);

/// The mean current that a capture's life is worked out from: in the field by a plan, else as
/// captured, split into states or not. Error bad_data where the plan asks for what was not
/// captured, or for more time than there is.
struct CapturedMean {
  FieldMean mean;
  std::vector<std::string> old_edges;  ///< as in Pool
};
CapturedMean mean_of(const book::Book& book, const book::CaptureInfo& capture,
                     const std::optional<DutyPlan>& plan);

struct LifeQuestion {
  std::optional<LifeBasis> scenario;  ///< as edited; else from the book's documents
  std::optional<double> wanted_s;     ///< else the book's own
  std::size_t activity = 0;           ///< whose interval the curve is over
  int curve_points = 72;
};

/// A capture's life as it was captured and in a scenario (the book's duty plan and battery, or a
/// what-if), and how it depends on how often something is done.
struct CaptureLife {
  LifeBasis captured, scenario;
  bool is_what_if = false;  ///< the scenario is neither what was captured nor the plan
  LifeFigures as_captured, as_scenario;
  std::vector<std::pair<double, std::optional<double>>> curve;  ///< interval (s), life (s)
  std::size_t activity = 0;  ///< the scenario's, whose interval the curve is over
  std::optional<double> wanted_s, needed_c;
  bool has_plan = false, has_battery = false;  ///< the book holds documents of them
};

/// Error bad_data where documents or notes of the book cannot be read. `going_on` is asked between
/// points of the curve.
CaptureLife life_of_capture(const book::Book& book, const Ledger& ledger,
                            const LifeQuestion& question, const std::function<bool()>& going_on);

/// A build's life in a scenario.
struct BuildLife {
  std::string build;
  LifeFigures figures;  ///< `trouble` says why there is none
};
/// Lives of several builds, all by one scenario: each of its captures that are split. Asks
/// `going_on` between builds.
std::vector<BuildLife> lives_of_builds(Pools& pools, const std::vector<std::string>& builds,
                                       const LifeBasis& scenario,
                                       const std::function<bool()>& going_on);

}  // namespace kuvio::study
