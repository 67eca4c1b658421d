#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Text logs with some bytes changed, lost or added: what is taken has the charge that a parser of its
own finds in it, or says what it did not take as it stands.

Usage: logs.py BIN COUNT [SEED]
"""
import json
import math
import multiprocessing
import os
import random
import re
import subprocess
import sys
import tempfile

import common

PREFIX = {"": 1, "m": 1e-3, "u": 1e-6, "n": 1e-9, "p": 1e-12, "f": 1e-15, "c": 1e-2, "k": 1e3, "h": 100, "da": 10}
TIME = {p + "s": f for p, f in PREFIX.items() if p not in ("c", "h", "da")}
TIME.update({"min": 60, "h": 3600, "d": 86400, "y": 31557600})
CURRENT = {p + "A": f for p, f in PREFIX.items()}


def make(chance):
    form = chance.choice(["t [{}],I [{}]", "time ({}),current ({})", "t_{},current_{}", "t {},I {}"])
    separator = chance.choice([",", ";", "\t"])
    lines, t = [form.format(chance.choice(["s", "ms", "us", "min", "h"]), chance.choice(["A", "mA", "uA"])).replace(",", separator)], 0.0
    step = chance.choice([1, 0.5, 2, 0.1])
    for _ in range(chance.randint(3, 60)):
        lines.append(f"{t:g}{separator}{chance.randint(-100 if chance.random() < 0.1 else 0, 1000) / 10:g}")
        t += step * (chance.choice([1, 1, 1, 1, 3, 50]) if chance.random() < 0.15 else 1)
    raw = bytearray("\n".join(lines).encode() + b"\n")
    for _ in range(chance.choice([0, 1, 1, 2, 5])):
        at, kind = chance.randrange(len(raw)), chance.random()
        byte = chance.randrange(32, 127) if chance.random() < 0.9 else chance.randrange(256)
        if kind < 0.4:
            raw[at] = byte
        elif kind < 0.7:
            del raw[at]
        else:
            raw.insert(at, byte)
    return bytes(raw)


def unit_of(title):
    """In brackets, or a word of the title that is one."""
    found = re.findall(r"\[\s*([A-Za-zµ%]+)\s*\]|\(\s*([A-Za-zµ%]+)\s*\)", title)
    if found:
        units = ["s" if "".join(one) == "S" else "".join(one) for one in found]
        return next((unit for unit in units if unit in TIME or unit in CURRENT), units[0])
    words = [word[:-1] + "A" if word in ("a", "ma", "ua") else word for word in re.split(r"[_ ,/]", title)[1:]]
    units = [word for word in words if word in TIME or word in CURRENT]
    return units[0] if units else None


def charge(raw):
    """Straight lines between readings, or nothing where this plain parser does not follow."""
    lines = raw.decode("latin-1").lstrip("\n").split("\n")
    separator = max([",", ";", "\t"], key=lambda c: sum(c in line for line in lines))
    titles = lines[0].split(separator)
    if len(titles) == 1:
        titles = lines[0].split()  # blanks part both, a tab among them
    units = [unit_of(c.strip().strip('"')) for c in titles]
    times = [i for i, u in enumerate(units) if u in TIME]
    currents = [i for i, u in enumerate(units) if u in CURRENT]
    if len(times) != 1 or len(currents) != 1:
        return None, f"which columns? {units}"
    t, v = [], []
    for line in lines[1:]:
        if line == "" or line.startswith("#"):
            continue
        cells = [c.strip().strip('"') for c in line.rstrip("\r").split(separator)]
        try:
            t.append(float(cells[times[0]]) * TIME[units[times[0]]])
            v.append(float(cells[currents[0]]) * CURRENT[units[currents[0]]])
        except (ValueError, IndexError):
            return None, ""  # a flag, a quote
    return sum((v[i] + v[i + 1]) / 2 * (t[i + 1] - t[i]) for i in range(len(t) - 1)), ""


def some(job):
    binary, seed, count = job
    chance = random.Random(seed)
    counts, faults = {}, []
    with tempfile.TemporaryDirectory(prefix="logs-", dir="/dev/shm" if os.path.isdir("/dev/shm") else None) as folder:
        reader = subprocess.Popen([os.path.join(binary, "kuvio-read-logs"), os.path.join(folder, "b.kuvio")],
                                  stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        path = os.path.join(folder, "log.csv")
        for number in range(count):
            raw = make(chance)
            with open(path, "wb") as out:
                out.write(raw)
            reader.stdin.write(path + "\n")
            reader.stdin.flush()
            line = reader.stdout.readline()
            if not line:
                return counts, [f"seed {seed}, log {number}: the reader died ({reader.wait()}) of {raw!r}"]
            verdict, fault = judge(json.loads(line), raw)
            counts[verdict] = counts.get(verdict, 0) + 1
            if fault:
                faults.append(f"seed {seed}, log {number}: {fault}: {raw[:160]!r}")
        reader.stdin.close()
        reader.wait()
    return counts, faults


def judge(read, raw):
    if "error" in read:
        if read["failure"] > 1:  # neither of the call nor of the file
            return "refused", f"refused as {read['failure']}: {read['error']}"
        return "refused", None
    currents = [c for c in read["channels"] if c["quantity"] == "current"]
    if read["warnings"]:
        return "told", None
    if len(currents) != 1:
        return "taken", f"{len(currents)} currents"
    right, why = charge(raw)
    if why:
        return "taken", why
    if right is None or currents[0]["missing_s"] > 0:
        return "taken, not compared", None
    if not math.isclose(currents[0]["charge_c"], right, rel_tol=1e-6, abs_tol=1e-12):
        return "taken", f"{currents[0]['charge_c']} C, right {right} C"
    return "taken, the same charge", None


def main():
    binary, count = sys.argv[1], int(sys.argv[2])
    seed = common.seed_from(sys.argv, 3).randrange(2**31)
    share = 250
    jobs = [(binary, seed + i, min(share, count - i * share)) for i in range((count + share - 1) // share)]
    counts, faults = {}, []
    with multiprocessing.Pool(2) as pool:
        for part, found in pool.imap_unordered(some, jobs):
            faults += found
            for verdict, n in part.items():
                counts[verdict] = counts.get(verdict, 0) + n
    print(f"{count} logs: " + ", ".join(f"{n} {verdict}" for verdict, n in sorted(counts.items())))
    return common.judged(faults)


if __name__ == "__main__":
    sys.exit(main())
