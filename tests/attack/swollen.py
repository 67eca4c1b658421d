#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Small books that are too much of one thing: told by verify, no hang, the window answers, and the
other captures are there.

Usage: swollen.py BIN [COUNT [SEED]], so many kinds by chance
"""
import json
import os
import shutil
import sqlite3
import sys
import tempfile

import common

MB = 1 << 20


def captures(db, count):
    db.executemany("INSERT INTO capture SELECT NULL, name||?1, build||?1, started_utc, phase, end_reason, owner, "
                   "heartbeat_us FROM capture WHERE id=1", ((i,) for i in range(count)))


def channels(db, count):
    db.executemany("INSERT INTO channel SELECT NULL, capture, 'c'||?1, quantity, unit, kind, encoding, tick_num, "
                   "tick_den, input, accuracy FROM channel WHERE id=1", ((i,) for i in range(count)))


def log_lines(db, count, length):
    db.executemany("INSERT INTO log_line VALUES(NULL, 1, ?1, 'received', ?2)",
                   ((i * 3.0 / count, "<b>x" * (length // 4)) for i in range(count)))


def visits(db, count):
    split = db.execute("SELECT max(id) FROM split WHERE capture=1").fetchone()[0]
    db.execute("DELETE FROM visit WHERE split=?", (split,))
    db.executemany("INSERT INTO visit(split, ordinal, state, from_s, to_s, whole) VALUES(?1, ?2, ?3, ?4, ?5, 1)",
                   ((split, i, f"S{i % 5000}", i * 4.0 / count, (i + 1) * 4.0 / count) for i in range(count)))


def name(db, column, length):
    db.execute(f"UPDATE capture SET {column}=? WHERE id=1", ("<h1>é" * (length // 6),))


def note(db, key, value):
    db.execute("INSERT OR REPLACE INTO note VALUES(0, ?, ?)", (key, value))


def deep(levels):
    return "a." * levels + "a = 1\n"


def document(text, path="/usr/share/kuvio-bait.budget.toml"):
    return json.dumps({"name": "limits.budget.toml", "path": path, "text": text, "saved": ""})


WAYS = {
    "channels": lambda db: channels(db, 20000),
    "captures": lambda db: captures(db, 3000),
    "log-lines": lambda db: log_lines(db, 200000, 40),
    "log-line": lambda db: log_lines(db, 1, 10 * MB),
    "log-line-beyond": lambda db: log_lines(db, 1, 60 * MB),
    "name": lambda db: name(db, "name", 8 * MB),
    "name-beyond": lambda db: name(db, "name", 60 * MB),
    "build": lambda db: name(db, "build", 8 * MB),
    "build-beyond": lambda db: name(db, "build", 60 * MB),
    "conditions": lambda db: db.executemany("INSERT INTO condition VALUES(1, ?, ?)",
                                            ((f"k{i}", "v" * 900) for i in range(20000))),
    "condition": lambda db: db.execute("INSERT INTO condition VALUES(1, 'k', ?)", ("v" * 8 * MB,)),
    "visits": lambda db: visits(db, 60000),
    "events": lambda db: db.executemany("INSERT INTO event VALUES(NULL, 1, 'mark', ?1, ?1, ?2)",
                                        ((i * 1e-5, "m" * 50) for i in range(100000))),
    "flags": lambda db: db.executemany("INSERT INTO flag_run VALUES(1, 'over_range', ?1, ?1, 1)",
                                       ((i * 4e-5,) for i in range(100000))),
    "segments": lambda db: db.executemany(
        "INSERT INTO segment SELECT channel, ?1, start_tick, period_ticks, end_tick, first_sample, samples, gain, "
        "offset FROM segment WHERE channel=1 AND seq=0", ((i,) for i in range(1000, 100000))),
    "notes": lambda db: db.executemany("INSERT INTO note VALUES(0, ?, 'x')", ((f"n{i}",) for i in range(50000))),
    "recipe": lambda db: db.execute("UPDATE split SET recipe_text=?", ("[[state]]\nname='x'\n" * 400000,)),
    "deep-recipe": lambda db: db.execute("UPDATE split SET recipe_text=?", (deep(60000),)),
    "budget": lambda db: note(db, "budget", document("[[limit]]\nstate = 'x'\n" * 300000)),
    "deep-budget": lambda db: note(db, "budget", document(deep(60000))),
    "many-limits": lambda db: note(db, "budget", document(
        'kuvio = "budget/1"\nname = "n"\n' +
        "".join(f'[[limit]]\nstate = "S{i}"\ncharge = {{ max = "1 mC" }}\n' for i in range(8000)))),
    "nested-note": lambda db: note(db, "lanes", "[" * 500000),
    "edits": lambda db: db.execute("INSERT OR REPLACE INTO note VALUES(1, 'edits', ?)", (
        "[" + ",".join('{"do":"rename","at_s":%g,"state":"x"}' % (i * 1e-4) for i in range(20000)) + "]",)),
    "samples": lambda db: db.execute("UPDATE segment SET samples=1<<39 WHERE channel=1"),
    "ticks": lambda db: db.execute("UPDATE segment SET end_tick=9223372036854775807 WHERE channel=1"),
}


def main():
    binary = os.path.abspath(sys.argv[1])
    cli, tour = os.path.join(binary, "kuvio-cli"), os.path.join(binary, "kuvio-tour")
    faults, longest, ways = [], 0.0, list(WAYS)
    if len(sys.argv) > 2 and int(sys.argv[2]) < len(ways):
        ways = common.seed_from(sys.argv, 3).sample(ways, int(sys.argv[2]))
    with tempfile.TemporaryDirectory() as made:
        book = common.make_books(binary, made)[0]
        for way in ways:
            swell = WAYS[way]
            with tempfile.TemporaryDirectory() as folder:
                path = os.path.join(folder, way + ".kuvio")
                shutil.copy(book, path)
                db = sqlite3.connect(path)
                swell(db)
                db.commit()
                db.close()
                for call in (["list", path], ["verify", path], ["span", path, "2", "--channel", "I"]):
                    ran = common.Ran(cli, *call)
                    if ran.fault():
                        faults.append(f"{way}: {call[0]}: {ran.fault()}")
                    if call[0] == "verify" and ran.status != 65:
                        faults.append(f"{way}: verify calls it whole")
                    # One capture that is too much locks none of the others away.
                    if call[0] == "span" and ran.status != 0:
                        faults.append(f"{way}: the other capture: {ran.err[-200:].decode(errors='replace')}")
                shown = common.Ran(tour, path, env={"QT_QPA_PLATFORM": "offscreen"}, timeout=90)
                stall = common.stall(shown.out)
                if shown.status not in (0, 65) or stall is None:
                    faults.append(f"{way}: the window: exit {shown.status} after {shown.took:.0f} s")
                    continue
                longest = max(longest, stall)
                if stall > common.SLOW:
                    faults.append(f"{way}: the window stood still for {stall:.1f} s")
    print(f"{len(ways)} books that are too much of one thing: longest stall {longest:.2f} s")
    return common.judged(faults)


if __name__ == "__main__":
    sys.exit(main())
