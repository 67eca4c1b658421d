// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/envelope.h"
#include "formats/log_plan.h"
#include "formats/text_columns.h"
#include "formats/text_import.h"

#include <QString>
#include <QStringList>

#include <stop_token>
#include <vector>

namespace kuvio::app {

/// A text log as it would be imported: what it was taken for, and what comes of it.
struct ImportPreview {
  QString file;
  QString kind;      ///< of a file that says itself what it holds: "HDF5 file"; "" of a text log
  QStringList head;  ///< its first lines
  std::int64_t first_line = 0;           ///< of its samples; 0 where none was found
  std::vector<formats::Column> columns;  ///< as taken, corrections included
  std::vector<formats::ImportGuess> guesses;
  std::vector<formats::SkippedLine> skipped;
  QStringList warnings;
  std::vector<EnvelopeColumn> sketch;     ///< of its first current, else its first voltage
  Quantity quantity = Quantity::current;  ///< of what is sketched
  QString figures;                        ///< "2 captures, 10 samples each second, mean 3.0 mA"
  QString trouble;                        ///< why it cannot be imported so; "" when it can
  formats::LogAsks asks = formats::LogAsks::nothing;
};

/// Reads the head of a log, and imports it, or the first megabytes of one that is larger, into a
/// book that is thrown away. For a thread of its own; throws Error where it cannot be read at all.
ImportPreview preview_import(const QString& file, const formats::ImportSettings& settings,
                             const std::stop_token& stop);

}  // namespace kuvio::app
