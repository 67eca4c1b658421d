// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/recorder.h"

#include "acquire/recording.h"

namespace kuvio::acquire {

RecordResult record(book::Book& book, const RecordSettings& settings, const std::stop_token& stop,
                    const std::function<void(const RecordProgress&)>& progress) {
  return Recording(book, settings, stop, progress).run(stop);
}

}  // namespace kuvio::acquire
