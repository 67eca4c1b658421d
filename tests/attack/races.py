#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Two to nine programs make, fill, read and copy one book at the same moment, some of them killed.

Whatever said it was done must be in the book at the end, the book whole, and nothing beside it.
Usage: races.py BIN ROUNDS [SEED]
"""
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time

HERE = os.path.dirname(os.path.abspath(__file__))


def main():
    binary, rounds = sys.argv[1] + "/kuvio-cli", int(sys.argv[2])
    seed = int(sys.argv[3]) if len(sys.argv) > 3 else int(time.time())
    chance = random.Random(seed)
    print(f"seed {seed}")
    lines = subprocess.Popen([sys.executable, HERE + "/lines.py", "honest"],
                             stdout=subprocess.PIPE, text=True)
    uri = "lines+tcp://127.0.0.1:" + lines.stdout.readline().strip()
    done = killed = refused = 0
    faults = []
    folder = tempfile.TemporaryDirectory()
    log = os.path.join(folder.name, "log.csv")
    with open(log, "w") as out:
        out.write("t [s],I [mA]\n" + "".join(f"{i * 0.001:.3f},{1 + i % 3}\n" for i in range(3000)))
    path = None
    said = {}
    for number in range(rounds):
        if path is None or chance.random() < 0.6:
            path = os.path.join(folder.name, f"b{number}.kuvio")
            said = {}
        running = []
        for k in range(chance.randint(2, 9)):
            name = f"r{number}k{k}"
            what = chance.choice(["import", "import", "import", "capture", "list", "copy", "states"])
            call = {
                "import": ["import", path, log, "--name", name],
                "capture": ["capture", path, "--input", uri, "--seconds", "0.3", "--name", name],
                "list": ["list", path, "--json"],
                "copy": ["copy", path, os.path.join(folder.name, name + ".copy")],
                "states": ["verify", path],
            }[what]
            p = subprocess.Popen([binary] + call, stdout=subprocess.DEVNULL,
                                 stderr=subprocess.PIPE, text=True)
            running.append((what, name, p, chance.random() < 0.1))
        for what, name, p, doomed in running:
            if doomed:
                time.sleep(chance.random() * 0.2)
                p.send_signal(signal.SIGKILL)
            error = p.communicate()[1]
            if what in ("import", "capture"):
                if p.returncode == 0:
                    said[name] = what
                    done += 1
                elif doomed:
                    killed += 1
                else:
                    refused += 1
                    faults.append(f"{name}: {what} ended with {p.returncode}: {error.strip()[-200:]}")
        if not os.path.exists(path):
            if said:
                faults.append(f"round {number}: the book is gone")
            continue
        verify = subprocess.run([binary, "verify", path], capture_output=True, text=True)
        listed = subprocess.run([binary, "list", path, "--json"], capture_output=True, text=True)
        names = {c["name"] for c in json.loads(listed.stdout)["captures"]}
        missing = set(said) - names
        if missing:
            faults.append(f"round {number}: said done and missing: {sorted(missing)}")
        if verify.returncode != 0:
            faults.append(f"round {number}: {verify.stdout.strip()[:300]}")
        beside = [f for f in os.listdir(folder.name)
                  if f.startswith(os.path.basename(path)) and f != os.path.basename(path)]
        if beside:
            faults.append(f"round {number}: beside it {beside}")
    lines.kill()
    print(f"{rounds} rounds: {done} said done, {killed} killed, {refused} refused")
    for fault in faults[:20]:
        print("FAULT", fault)
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
