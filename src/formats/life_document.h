// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/lifetime.h"

namespace kuvio::formats {

/// What a life is shown with.
struct LifeDocument {
  FieldMean mean;
  Battery battery;
  LifeInterval life;
  Counts counts = Counts::given;
  std::optional<double> wanted_s;
};

}  // namespace kuvio::formats
