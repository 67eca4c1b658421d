// SPDX-License-Identifier: GPL-3.0-or-later
// layers: study formats book core
// error: deleted function
#include "study/pool.h"

kuvio::study::Pools of(const std::string& path) {
  return kuvio::study::Pools(kuvio::book::Book::open(path, kuvio::book::Book::Mode::read));
}
