// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clusters.h"

#include <cstddef>

namespace kuvio {

/// How many levels so many stretches show, on a scale of which noise is one: the number of clusters
/// whose likelihood is the largest, of normal clusters that each have a mean, a spread and a share
/// of their own (shares as likely as any others), so that a spread that is merely cut in two gains
/// less than it costs, however many the visits are, and a few visits to levels far apart are not
/// one level's. Of many stretches each cluster more must gain more than it costs, since none is
/// quite normal.
std::size_t number_of_levels(Clusters& clusters, std::size_t stretches);

}  // namespace kuvio
