#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Changes one value in one row, one byte, or the length of a book, many times over, and runs the
commands (with --window the window) on what comes out: no crash, no hang, and no figure that differs
while verify says whole. A third of the rows are changed with the checksums taken out, as a forger
would: then anything may be said, but in order.

With --window nothing outside the book's folder may be opened by what a book names (strace).

Usage: books.py BIN COUNT [SEED] [--window]
"""
import multiprocessing
import os
import random
import re
import shutil
import sqlite3
import subprocess
import sys
import tempfile

import common

PAGES = 0.3  # of the changes: a byte anywhere
BAIT = "/usr/share/kuvio-bait.budget.toml"  # a name that only a book says
FORGED = 0.35  # of the changed rows: without checksums


def change_row(path, chance, forged):
    """Says what was changed, or nothing when the change was refused."""
    db = sqlite3.connect(path)
    tables = [t for (t,) in db.execute("SELECT name FROM sqlite_schema WHERE type='table' AND "
                                       "name NOT GLOB 'sqlite_*'")]
    filled = [t for t in tables if db.execute(f"SELECT count(*) FROM {t}").fetchone()[0] > 0]
    table = chance.choice(filled)
    columns = [c[1] for c in db.execute(f"PRAGMA table_info({table})")]
    rows = db.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
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
        if forged:
            db.execute("DELETE FROM checksum")
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
        return chance.choice([old + 1, old - 1, -old, 0, 2**61, -(2**61), 2**63 - 1, old ^ (1 << chance.randrange(40))])
    if isinstance(old, float):
        return chance.choice([old * 2, -old, 0.0, 1e308, -1e308, float("inf"), 1e-308, old + 1e-3])
    if isinstance(old, str):
        at = chance.randrange(len(old) + 1)
        return chance.choice([old[:at] + "x" + old[at + 1:], "", old + "\x1b[31m", f"<img src='{BAIT}'>", BAIT,
                              old[::-1], "a." * 60000 + "a=1", old * 40000])
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


def figures(book):
    """The calls whose answers rest on the book, each with what stands for its answer."""
    calls = [["list", book, "--json"]]
    for capture in ("1", "2"):
        calls += [["span", book, capture, "--channel", "I", "--json"], ["ledger", book, capture, "--json"],
                  ["lifetime", book, capture, "--battery", "cell.battery.toml", "--json"],
                  ["export", book, capture, "--format", "csv", "--out", "/dev/stdout"],
                  ["export", book, capture, "--format", "json", "--out", "/dev/stdout"]]
    calls += [["compare", book, "--reference", "one", "--candidate", "two", "--json"],
              ["line-up", book, "1", "2", "--json"], ["line-up", book, "1", "2", "--entry", "Work", "--json"]]
    calls += [["check", book, "--budget", "limits.budget.toml", "--build", "one", "--json"],
              ["report", book, "--out", "/dev/stdout", "--budget", "limits.budget.toml", "--battery",
               "cell.battery.toml"]]
    return calls


def writers(book):
    return [["states", book, "1", "--recipe", "two.recipe.toml"], ["states", book, "two", "--recipe", "two.recipe.toml"],
            ["copy", book, "copy.kuvio"], ["import", book, "one.csv", "--name", "more"],
            ["line-up", book, "1", "2", "--offset", "0.5", "--keep"]]


class Attack:
    def __init__(self, binary, books, seed):
        self.cli = os.path.abspath(os.path.join(binary, "kuvio-cli"))
        self.books, self.seed = books, seed
        self.right = {}
        self.traced = False

    def answer(self, call):
        ran = common.Ran(self.cli, *call)
        return ran, (ran.status, re.sub(rb"\d{4}-\d\d-\d\dT[0-9:.]+Z?", b"", ran.out))

    def begin(self, number):
        """A folder with a changed book, and what was changed; nothing when that was not possible."""
        chance = random.Random(self.seed * 1000003 + number)
        original = chance.choice(self.books)
        folder = tempfile.mkdtemp(prefix="attack-")
        os.chdir(folder)
        for name in ("two.recipe.toml", "limits.budget.toml", "cell.battery.toml", "one.csv"):
            shutil.copy(os.path.join(os.path.dirname(original), name), folder)
        shutil.copy(original, "b.kuvio")
        forged = False
        if chance.random() < PAGES:
            what = change_file("b.kuvio", chance)
        else:
            forged = chance.random() < FORGED
            what = change_row("b.kuvio", chance, forged)
        if what is not None:
            what = f"{number} {os.path.basename(original)}{' forged' if forged else ''}: {what}"
        return chance, original, what, forged

    def one(self, number):
        chance, original, what, forged = self.begin(number)
        folder = os.getcwd()
        try:
            if what is None:
                return "not possible", [], 0.0
            faults, longest = [], 0.0
            verify = common.Ran(self.cli, "verify", "b.kuvio")
            calls = chance.sample(figures("b.kuvio"), 3)
            differ = []
            for call in calls:
                ran, got = self.answer(call)
                longest = max(longest, ran.computed)
                if ran.fault():
                    faults.append(f"{what}: {call[0]}: {ran.fault()}")
                key = (original, *call)
                if key not in self.right:
                    shutil.copy(original, "right.kuvio")
                    os.rename("b.kuvio", "changed.kuvio")
                    os.rename("right.kuvio", "b.kuvio")
                    self.right[key] = self.answer(call)[1]
                    os.rename("changed.kuvio", "b.kuvio")
                if got != self.right[key]:
                    differ.append(call[0])
            call = chance.choice(writers("b.kuvio"))
            ran = common.Ran(self.cli, *call)
            if ran.fault():
                faults.append(f"{what}: {call[0]}: {ran.fault()}")
            if verify.fault():
                faults.append(f"{what}: verify: {verify.fault()}")
            longest = max(longest, verify.computed, ran.computed)
            if verify.status != 0:
                return "told", faults, longest
            if differ and not forged:
                faults.append(f"{what}: {differ} differ, and verify says whole")
            return "forged" if forged else "whole", faults, longest
        finally:
            os.chdir("/")
            shutil.rmtree(folder)

    def one_in_window(self, number):
        _, _, what, _ = self.begin(number)
        folder = os.getcwd()
        try:
            if what is None:
                return "not possible", [], 0.0
            tour = os.path.join(os.path.dirname(self.cli), "kuvio-tour")
            trace = os.path.join(folder, "trace")
            call = ["strace", "-f", "-qq", "-e", "trace=%file", "-o", trace, tour] if self.traced else [tour]
            ran = common.Ran(*call, "b.kuvio", env={"QT_QPA_PLATFORM": "offscreen"}, timeout=120)
            faults = []
            if ran.status not in (0, 65):
                faults.append(f"{what}: the window: exit {ran.status}: {ran.err[-300:].decode(errors='replace')}")
            named = []
            if self.traced:
                with open(trace, errors="replace") as lines:
                    named = [line for line in lines if "kuvio-bait" in line]
            if named:
                faults.append(f"{what}: opens what the book names: {named[0].strip()}")
            longest = common.stall(ran.out) or 0.0
            if longest > common.SLOW:
                faults.append(f"{what}: the window stood still for {longest} s")
            return "refused" if ran.status == 65 else "shown", faults, longest
        finally:
            os.chdir("/")
            shutil.rmtree(folder)


def can_trace():
    """Not every machine lets one program trace another."""
    try:
        return subprocess.run(["strace", "-qq", "-o", "/dev/null", "true"], capture_output=True).returncode == 0
    except FileNotFoundError:
        return False


def main():
    words = [word for word in sys.argv[1:] if not word.startswith("--")]
    binary, count = words[0], int(words[1])
    seed = common.seed_from(words, 2).randrange(2**31)
    with tempfile.TemporaryDirectory() as folder:
        attack = Attack(binary, common.make_books(binary, folder), seed)
        if "--window" in sys.argv:
            attack.traced = can_trace()
            print("" if attack.traced else "what is opened cannot be traced here\n", end="", flush=True)
        one = attack.one_in_window if "--window" in sys.argv else attack.one
        counts, faults, longest = {}, [], 0.0
        with multiprocessing.Pool(4 if one == attack.one_in_window else 2) as pool:  # a window mostly waits
            for verdict, found, took in pool.imap_unordered(one, range(count), chunksize=4):
                counts[verdict] = counts.get(verdict, 0) + 1
                faults += found
                longest = max(longest, took)
    print(f"{count} books: " + ", ".join(f"{n} {verdict}" for verdict, n in sorted(counts.items())) +
          f"; longest {longest:.2f} s")
    return common.judged(faults)


if __name__ == "__main__":
    sys.exit(main())
