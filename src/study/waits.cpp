// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/waits.h"

#include "book/anchors.h"
#include "core/visit_counts.h"

#include <vector>

namespace kuvio::study {

Latency waits_for(const book::Book& book, const book::SplitCapture& capture,
                  const std::string& state, const Anchor& anchor) {
  std::vector<double> moments;
  for (const Moment& m : book::moments_of(book, capture.info, anchor)) moments.push_back(m.at_s);
  // A line is written when what it tells of has begun; an edge is known to two samples.
  const double slack = anchor.by == Anchor::By::logic ? 2 * capture.basis().sample_s : kLogSlack;
  return latency_of(visits_of(capture.visits), state, moments, slack);
}

}  // namespace kuvio::study
