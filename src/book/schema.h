// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>

namespace kuvio::book {

// The book's constants and schema; docs/book-format.md explains them. Text and page agree.

inline constexpr std::int64_t kApplicationId = 0x4b75766f;  // "Kuvo"
inline constexpr std::int64_t kSchemaVersion = 6;
inline constexpr std::int64_t kChunkSamples = 65536;
inline constexpr std::int64_t kStrideSamples = 256;
inline constexpr std::int64_t kCoarseSamples = 4096;

/// Tables of version 1.
inline constexpr std::array kSchema{
    "CREATE TABLE capture("
    "id INTEGER PRIMARY KEY, name TEXT NOT NULL, build TEXT NOT NULL, started_utc TEXT NOT NULL, "
    "phase TEXT NOT NULL, end_reason TEXT NOT NULL, owner TEXT NOT NULL, heartbeat_us INTEGER NOT "
    "NULL)",

    "CREATE TABLE condition("
    "capture INTEGER NOT NULL REFERENCES capture(id) ON DELETE CASCADE, "
    "key TEXT NOT NULL, value TEXT NOT NULL, PRIMARY KEY(capture, key)) WITHOUT ROWID",

    "CREATE TABLE channel("
    "id INTEGER PRIMARY KEY, capture INTEGER NOT NULL REFERENCES capture(id) ON DELETE CASCADE, "
    "name TEXT NOT NULL, quantity TEXT NOT NULL, unit TEXT NOT NULL, kind TEXT NOT NULL, "
    "encoding TEXT NOT NULL, tick_num INTEGER NOT NULL, tick_den INTEGER NOT NULL, "
    "input TEXT NOT NULL, accuracy TEXT NOT NULL)",

    "CREATE TABLE segment("
    "channel INTEGER NOT NULL REFERENCES channel(id) ON DELETE CASCADE, seq INTEGER NOT NULL, "
    "start_tick INTEGER NOT NULL, period_ticks INTEGER NOT NULL, end_tick INTEGER NOT NULL, "
    "first_sample INTEGER NOT NULL, samples INTEGER NOT NULL, gain REAL NOT NULL, offset REAL NOT "
    "NULL, "
    "PRIMARY KEY(channel, seq)) WITHOUT ROWID",

    "CREATE TABLE chunk("
    "id INTEGER PRIMARY KEY, segment INTEGER NOT NULL, first_sample INTEGER NOT NULL, samples "
    "INTEGER NOT NULL, "
    "q REAL NOT NULL, r REAL NOT NULL, coarse BLOB NOT NULL, strides_crc INTEGER NOT NULL, "
    "times_crc INTEGER NOT NULL)",
    "CREATE TABLE chunk_samples(id INTEGER PRIMARY KEY, data BLOB NOT NULL)",
    "CREATE TABLE chunk_strides(id INTEGER PRIMARY KEY, data BLOB NOT NULL)",
    "CREATE TABLE chunk_times(id INTEGER PRIMARY KEY, data BLOB NOT NULL)",

    "CREATE TABLE tail("
    "channel INTEGER NOT NULL, first_sample INTEGER NOT NULL, samples INTEGER NOT NULL, crc "
    "INTEGER NOT NULL, "
    "data BLOB NOT NULL, times BLOB NOT NULL, PRIMARY KEY(channel, first_sample))",

    "CREATE TABLE flag_run("
    "channel INTEGER NOT NULL REFERENCES channel(id) ON DELETE CASCADE, flag TEXT NOT NULL, "
    "from_s REAL NOT NULL, to_s REAL NOT NULL, samples INTEGER NOT NULL)",

    "CREATE TABLE log_line("
    "id INTEGER PRIMARY KEY, capture INTEGER NOT NULL REFERENCES capture(id) ON DELETE CASCADE, "
    "time_s REAL NOT NULL, direction TEXT NOT NULL, text TEXT NOT NULL)",
    "CREATE INDEX log_line_by_time ON log_line(capture, time_s)",

    "CREATE TABLE event("
    "id INTEGER PRIMARY KEY, capture INTEGER NOT NULL REFERENCES capture(id) ON DELETE CASCADE, "
    "kind TEXT NOT NULL, earliest_s REAL NOT NULL, latest_s REAL NOT NULL, text TEXT NOT NULL)",

    "CREATE TABLE split("
    "id INTEGER PRIMARY KEY, capture INTEGER NOT NULL REFERENCES capture(id) ON DELETE CASCADE, "
    "channel INTEGER NOT NULL, recipe_name TEXT NOT NULL, recipe_text TEXT NOT NULL, made_utc TEXT "
    "NOT NULL)",
    "CREATE TABLE visit("
    "split INTEGER NOT NULL REFERENCES split(id) ON DELETE CASCADE, ordinal INTEGER NOT NULL, "
    "state TEXT NOT NULL, from_s REAL NOT NULL, to_s REAL NOT NULL, whole INTEGER NOT NULL, "
    "PRIMARY KEY(split, ordinal)) WITHOUT ROWID",
};

/// What version 2 added. A book of version 1 gets them when it is first written to; until then it
/// is read as it is.
inline constexpr std::array kSchemaSince2{
    "CREATE TABLE note("
    "capture INTEGER NOT NULL, key TEXT NOT NULL, value TEXT NOT NULL, PRIMARY KEY(capture, key)) "
    "WITHOUT ROWID",
};

/// What version 3 added: clocks of inputs, and calibration.
inline constexpr std::array kSchemaSince3{
    "CREATE TABLE clock("
    "channel INTEGER PRIMARY KEY REFERENCES channel(id) ON DELETE CASCADE, map INTEGER NOT NULL, "
    "origin_s REAL NOT NULL, rate REAL NOT NULL, spread_s REAL NOT NULL)",
    "CREATE TABLE sync_point("
    "channel INTEGER NOT NULL REFERENCES channel(id) ON DELETE CASCADE, own_s REAL NOT NULL, "
    "earliest_s REAL, latest_s REAL)",
    "CREATE TABLE calibration("
    "channel INTEGER PRIMARY KEY REFERENCES channel(id) ON DELETE CASCADE, gain REAL NOT NULL, "
    "offset REAL NOT NULL, text TEXT NOT NULL)",
};

/// What version 4 added: how a chunk's blobs are packed (book/packing.h). NULL: they are not, as in
/// every chunk of an older book; no samples are rewritten.
inline constexpr std::array kSchemaSince4{
    "ALTER TABLE chunk ADD COLUMN packed BLOB",
    "ALTER TABLE chunk ADD COLUMN packed_times BLOB",
};

/// What version 5 added: the cell of the edge at which a visit begins (both 0: it has none), visits
/// narrower than a sample, those that go on through a stretch out of range, and by which rules a
/// split found its edges (0: on samples, as every older book did; such a split is made anew before
/// a budget is held against it).
inline constexpr std::array kSchemaSince5{
    "ALTER TABLE visit ADD COLUMN cell_from_s REAL NOT NULL DEFAULT 0",
    "ALTER TABLE visit ADD COLUMN cell_to_s REAL NOT NULL DEFAULT 0",
    "ALTER TABLE visit ADD COLUMN narrow INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE visit ADD COLUMN continues INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE split ADD COLUMN rules INTEGER NOT NULL DEFAULT 0",
};
/// What version 6 added: checksums over rows (book/checksums.h). Since then a book's header also
/// says whether it was closed (book/book_file.h).
inline constexpr std::array kSchemaSince6{
    "CREATE TABLE checksum("
    "kind TEXT NOT NULL, id INTEGER NOT NULL, crc INTEGER NOT NULL, PRIMARY KEY(kind, id)) WITHOUT "
    "ROWID",
};
/// Edges inside samples.
inline constexpr std::int64_t kSplitRules = 1;

}  // namespace kuvio::book
