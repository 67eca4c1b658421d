#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Storms of mishaps on the wire: instruments, line meters and digitisers whose every sample can be
told by its value. Every capture ends in time, what is kept was sent and stands where it belongs, and
the book is whole.

Usage: wires.py BIN COUNT [SEED] (of instruments; as many lines and streams together)
"""
import json
import math
import multiprocessing
import os
import sys
import tempfile

import common

WANTED = 3.0  # s
# On top of it: reaching the partner, its own silences and what may still catch up.
GRACE = 12.0


def samples(text):
    """(time, value) of an export."""
    out = []
    rows = [line for line in text.decode(errors="replace").split("\n") if line and not line.startswith("#")]
    for line in rows[1:]:
        t, v = line.split(",")[:2]
        if v:
            out.append((float(t), float(v)))
    return out


def misplaced(kept, rate):
    """How many samples do not stand where their number says, beside the place that most agree on."""
    places = {}
    for t, v in kept:
        place = round(v * 1e6 - 1000 - t * rate) % 500
        places[place] = places.get(place, 0) + 1
    good = 0
    for place, _ in sorted(places.items(), key=lambda p: -p[1])[:1]:
        good = sum(n for p, n in places.items() if min((p - place) % 500, (place - p) % 500) <= 1)
    return len(kept) - good


def one(job):
    binary, script, seed = job
    cli = os.path.join(os.path.abspath(binary), "kuvio-cli")
    faults = []
    with tempfile.TemporaryDirectory(prefix="wires-") as folder, common.Partner(script, "storm", seed % 10 ** 6) as partner:
        book = os.path.join(folder, "b.kuvio")
        call = ["capture", book, "--input", partner.uri, "--seconds", str(WANTED), "--json"]
        if script == "instrument.py":
            call += ["--profile", os.path.join(common.HERE, "../../profiles/generic-analyser.profile.toml")]
        ran = common.Ran(cli, *call, timeout=60)
        if ran.hung or ran.took > WANTED + GRACE:
            faults.append(f"it took {ran.took:.1f} s")
        if ran.status < 0 or ran.status in (70, 74):
            faults.append(f"exit {ran.status}: {ran.err[-300:].decode(errors='replace')}")
        kept = 0.0
        if os.path.exists(book):
            if common.Ran(cli, "verify", book).status != 0:
                faults.append("the book is not whole")
            listed = json.loads(common.Ran(cli, "list", book, "--json").out)["captures"]
            if listed and any(c["samples"] for c in listed[0]["channels"]):
                text = common.Ran(cli, "export", book, "1", "--format", "csv", "--out", "/dev/stdout", "--channel", "I")
                if text.status != 0:
                    faults.append(f"export: {text.err[-200:].decode(errors='replace')}")
                values = samples(text.out)
                strange = [v for _, v in values if not (math.isfinite(v) and abs(v * 1e6 - round(v * 1e6)) < 0.01 and
                                                        999.5 < v * 1e6 < 1499.5)]
                if strange:
                    faults.append(f"{len(strange)} values that nobody sent: {strange[:3]}")
                rate = {"lines.py": 100, "stream.py": 2000, "instrument.py": 1000}[script]
                wrong = misplaced(values, rate)
                # A garbled stamp that nothing contradicts is believed; counts begin anew after a lost link.
                allowed = {"lines.py": 12, "stream.py": 0, "instrument.py": len(values)}[script]
                if wrong > allowed:
                    faults.append(f"{wrong} of {len(values)} samples stand in a wrong place")
                length = listed[0]["duration_s"]
                kept = len(values) / rate / WANTED
                if length > WANTED * 1.02 + 0.1:
                    faults.append(f"{length} s long")
                if ran.status == 0 and length < WANTED * 0.9 and not ran.err:
                    faults.append(f"complete, {length:.2f} s long, and nothing said")
        elif ran.status == 0:
            faults.append("done, and no book")
    return script, ran.status, kept, [f"{script} storm {seed % 10 ** 6}: {f}" for f in faults]


def main():
    binary, count = sys.argv[1], int(sys.argv[2])
    seed = common.seed_from(sys.argv, 3).randrange(10 ** 6)
    jobs = [(binary, "instrument.py", seed + i) for i in range(count)]
    jobs += [(binary, ("lines.py", "stream.py")[i % 2], seed + count + i) for i in range(count)]
    faults, ends, parts = [], {}, {}
    with multiprocessing.Pool(6) as pool:
        for script, status, kept, found in pool.imap_unordered(one, jobs):
            faults += found
            ends[script, status] = ends.get((script, status), 0) + 1
            parts.setdefault(script, []).append(kept)
    for script, kept in sorted(parts.items()):
        ended = ", ".join(f"{n} exit {s}" for (w, s), n in sorted(ends.items()) if w == script)
        print(f"{script}: {len(kept)} captures, {sum(kept) / len(kept):.0%} of what was wanted kept; {ended}")
    return common.judged(faults)


if __name__ == "__main__":
    sys.exit(main())
