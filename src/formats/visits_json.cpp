// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/visits_json.h"

#include "book/analysis.h"
#include "book/channel_trace.h"
#include "core/charge_flow.h"
#include "core/cycles.h"
#include "formats/json_results.h"
#include "formats/output_file.h"

#include <algorithm>

namespace kuvio::formats {

Exported export_visits(const std::string& path, const book::Book& book,
                       const book::CaptureInfo& capture, const ExportRequest& request) {
  const book::SplitCapture split = book::load_split(book, capture);
  std::vector<VisitFigures> inside;
  std::copy_if(split.visits.begin(), split.visits.end(), std::back_inserter(inside),
               [&](const VisitFigures& v) {
                 return (!request.from_s || v.visit.to_s > *request.from_s) &&
                        (!request.to_s || v.visit.from_s < *request.to_s);
               });
  nlohmann::ordered_json document{{"capture", capture.name}};
  document.update(to_json(split.recipe_name, inside));
  // Of the whole capture, whatever part of its visits is asked for.
  const Ledger ledger = make_ledger({split.account()});
  const LedgerRow* rest = ledger.longest();
  document["ledger"] = to_json(capture.name, ledger,
                               rest ? figures_of_cycles(split.visits, rest->state) : CycleFigures{},
                               split.trace ? charge_flow_by_state(*split.trace, split.visits)
                                           : std::map<std::string, ChargeFlow>{},
                               Explain::no);
  write_file(path, document.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n");
  return {static_cast<std::int64_t>(inside.size()), {}, {}};
}

}  // namespace kuvio::formats
