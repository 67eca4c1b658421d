// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/spread.h"

#include "core/measure.h"

#include <algorithm>
#include <memory>

namespace kuvio::app {

SpreadViewPtr spread_of(const Trace& trace, const SpreadRequest& request, std::int64_t at_most,
                        const std::function<bool()>& going_on) {
  const double from = std::clamp(request.from_s, trace.from_s(), trace.to_s()),
               to = std::clamp(request.to_s, trace.from_s(), trace.to_s());
  if (!(to > from) || request.bins.count() < 1) return nullptr;
  auto out = std::make_shared<SpreadView>();
  out->request = request;
  const SpanFigures all = measure(trace, from, to);
  out->peak_to_peak = all.max.value_or(0) - all.min.value_or(0);
  // The picture's bins are as high as the picture is: what is said of it comes from finer ones.
  const Distribution fine =
      distribution(trace, from, to, both(request.bins, fine_bins()), at_most, going_on);
  out->spread = gathered(fine, request.bins);
  for (std::size_t i = 0; i < SpreadView::kShares.size(); ++i)
    out->levels[i] = fine.quantile(SpreadView::kShares[i]);
  out->final = out->spread.whole;
  return out;
}

}  // namespace kuvio::app
