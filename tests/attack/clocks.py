#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Captures during which the clock of the day jumps: forward, back, by a day. Each is as long as was
wanted, without a gap, and whole; so are imports and readers meanwhile.

Usage: clocks.py BIN MACHINE.so [ROUNDS] [SEED]
"""
import json
import multiprocessing
import os
import random
import sys
import tempfile

import common

WANTED = 2.0
JUMPS = [0.4, -0.4, 30, -30, 3600, -3600, 86400, -86400, 1e7]


def one(job):
    binary, machine, seed = job
    chance = random.Random(seed)
    cli = os.path.join(os.path.abspath(binary), "kuvio-cli")
    by = JUMPS[seed % len(JUMPS)]
    inputs = chance.choice([["lines.py"], ["stream.py"], ["instrument.py"], ["stream.py", "lines.py"],
                            ["instrument.py", "lines.py"]])
    env = {"LD_PRELOAD": machine, "KUVIO_MACHINE_JUMP": f"{0.2 + 2 * chance.random():.3f}:{by}"}
    what = f"{'+'.join(inputs)}, {env['KUVIO_MACHINE_JUMP']}"
    faults, partners = [], [common.Partner(script, "honest") for script in inputs]
    try:
        with tempfile.TemporaryDirectory(prefix="clocks-") as folder, common.Pulse(folder) as pulse:
            book = os.path.join(folder, "b.kuvio")
            call = ["capture", book, "--seconds", str(WANTED)]
            for script, partner in zip(inputs, partners):
                call += ["--input", partner.uri]
                if script == "instrument.py":
                    call += ["--profile", os.path.join(common.HERE, "../../profiles/generic-analyser.profile.toml")]
            ran = common.Ran(cli, *call, timeout=60, env=env)
            if ran.status != 0 or ran.took > WANTED + 6 + 4 * pulse.longest:
                faults.append(f"exit {ran.status} after {ran.took:.1f} s: {ran.err[-300:].decode(errors='replace')}")
                return [f"{what}: {f}" for f in faults]
            if common.Ran(cli, "verify", book).status != 0:
                faults.append("not whole")
            capture = json.loads(common.Ran(cli, "list", book, "--json").out)["captures"][0]
            if abs(capture["duration_s"] - WANTED) > 0.1:
                faults.append(f"{capture['duration_s']} s long")
            for channel in capture["channels"]:
                span = json.loads(common.Ran(cli, "span", book, "1", "--channel", channel["name"], "--json").out)
                if span["missing_s"] > 0.06 or channel["from_s"] > 0.8 or channel["to_s"] < WANTED - 0.15:
                    faults.append(f"{channel['name']}: {span['missing_s']} s missing, "
                                  f"{channel['from_s']} to {channel['to_s']} s")
    finally:
        for partner in partners:
            partner.__exit__()
    return [f"{what}: {f}" for f in faults]


def main():
    binary, machine = sys.argv[1], os.path.abspath(sys.argv[2])
    rounds = int(sys.argv[3]) if len(sys.argv) > 3 else len(JUMPS)
    seed = common.seed_from(sys.argv, 4).randrange(10 ** 6) * len(JUMPS)
    faults = []
    with multiprocessing.Pool(4) as pool:
        for found in pool.imap_unordered(one, [(binary, machine, seed + i) for i in range(rounds)]):
            faults += found
    print(f"{rounds} captures with a jump of the clock")
    return common.judged(faults)


if __name__ == "__main__":
    sys.exit(main())
