#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Changes one value in one row, one byte, or the length of a book, many times over, and runs the
commands on what comes out: no crash, no hang, and no figure that differs while verify says whole.

Usage: books.py BIN BOOK COUNT [SEED]
"""
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time

PAGES = 0.3  # of the changes: a byte anywhere


def run(binary, *call):
    try:
        p = subprocess.run([binary, *call], capture_output=True, timeout=20)
    except subprocess.TimeoutExpired:
        return "hang", b"", b""
    return p.returncode, p.stdout, p.stderr


def change_row(path, chance):
    """Says what was changed, or nothing when the change was refused."""
    db = sqlite3.connect(path)
    tables = [t for (t,) in db.execute("SELECT name FROM sqlite_schema WHERE type='table' AND "
                                       "name NOT GLOB 'sqlite_*'")]
    table = chance.choice(tables)
    columns = [c[1] for c in db.execute(f"PRAGMA table_info({table})")]
    rows = db.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
    if rows == 0:
        return None
    keys = [c[1] for c in db.execute(f"PRAGMA table_info({table})") if c[5]] or ["rowid"]
    where = db.execute(f"SELECT {','.join(keys)} FROM {table} LIMIT 1 OFFSET ?",
                       (chance.randrange(rows),)).fetchone()
    match = " AND ".join(f"{k}=?" for k in keys)
    try:
        if chance.random() < 0.15:
            db.execute(f"DELETE FROM {table} WHERE {match}", where)
            what = f"delete from {table}"
        else:
            column = chance.choice(columns)
            (old,) = db.execute(f"SELECT {column} FROM {table} WHERE {match}", where).fetchone()
            new = changed(old, chance)
            db.execute(f"UPDATE {table} SET {column}=? WHERE {match}", (new, *where))
            what = f"{table}.{column}: {str(old)[:40]!r} to {str(new)[:40]!r}"
        db.commit()
    except (sqlite3.Error, OverflowError):
        return None
    finally:
        db.close()
    return what


def changed(old, chance):
    if isinstance(old, bool) or old is None:
        return chance.choice([0, 1, b"", "x"])
    if isinstance(old, int):
        return chance.choice([old + 1, old - 1, -old, 0, 2**61, -(2**61), old ^ (1 << chance.randrange(40))])
    if isinstance(old, float):
        return chance.choice([old * 2, -old, 0.0, 1e308, -1e308, float("inf"), old + 1e-3])
    if isinstance(old, str):
        at = chance.randrange(len(old) + 1)
        return chance.choice([old[:at] + "x" + old[at + 1:], "", old + "\x1b[31m", "<img src='/etc/passwd'>",
                              old[::-1]])
    data = bytearray(old)
    if data:
        data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
    return chance.choice([bytes(data), bytes(data[:-1]), bytes(data) + b"\0"])


def change_file(path, chance):
    size = os.path.getsize(path)
    if chance.random() < 0.3:
        length = chance.randrange(size)
        os.truncate(path, length)
        return f"cut at {length}"
    at = chance.randrange(100, size)  # what stands before says who wrote it
    with open(path, "r+b") as f:
        f.seek(at)
        old = f.read(1)[0]
        f.seek(at)
        f.write(bytes([old ^ (1 << chance.randrange(8))]))
    return f"byte {at}"


def main():
    binary, book, count = sys.argv[1] + "/kuvio-cli", sys.argv[2], int(sys.argv[3])
    seed = int(sys.argv[4]) if len(sys.argv) > 4 else int(time.time())
    chance = random.Random(seed)
    print(f"seed {seed}")
    figures = (["ledger", "{}", "1", "--json"], ["span", "{}", "1", "--json"], ["list", "{}", "--json"])
    faults, told, unchanged, refused = [], 0, 0, 0
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, "b.kuvio")
        shutil.copy(book, path)
        right = [run(binary, *(a.format(path) for a in f))[1] for f in figures]
        for number in range(count):
            for name in os.listdir(folder):
                os.unlink(os.path.join(folder, name))
            shutil.copy(book, path)
            what = change_file(path, chance) if chance.random() < PAGES else change_row(path, chance)
            if what is None:
                refused += 1
                continue
            verdict, out, err = run(binary, "verify", path)
            results = [run(binary, *(a.format(path) for a in f)) for f in figures]
            for status, _, error in [(verdict, out, err), *results]:
                if status == "hang" or status < 0 or status in (70, 74):
                    faults.append(f"{number} ({what}): {status}: {error[-200:]!r}")
            if verdict == 0:
                if any(r[0] != 0 or r[1] != ok for r, ok in zip(results, right)):
                    faults.append(f"{number} ({what}): figures differ, and verify says whole")
                unchanged += 1
            else:
                told += 1
    print(f"{count} books: {told} told, {unchanged} whole with the same figures, {refused} changes not possible")
    for fault in faults[:20]:
        print("FAULT", fault)
    print(f"{len(faults)} faults")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
