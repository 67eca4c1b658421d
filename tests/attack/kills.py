#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""kill -9 of one or all programs that work on a book: in captures, imports, edits, copies and as a
capture is being closed. At most a second is lost, nothing finished goes, the book is whole.

Usage: kills.py BIN COUNT [SEED]
"""
import multiprocessing
import os
import random
import shutil
import signal
import sys
import tempfile
import time

import common
from work import Work, judge, now_us


def one(job):
    binary, seed, old, recipe, uris = job
    chance = random.Random(seed)
    folder = tempfile.mkdtemp(prefix="kills-")
    work = Work(binary, folder, chance, old, recipe)
    pulse = common.Pulse(folder)
    try:
        pulse.__enter__()
        threads = work.run(uris, 2.5)
        closing = chance.random() < 0.25
        time.sleep(0.3 + chance.random() * 2.6)
        with work.lock:
            victims = list(work.running)
        if closing:  # as it ends by itself, or a moment after it was told to
            for p in victims:
                p.send_signal(signal.SIGINT)
            time.sleep(chance.random() * 0.12)
        if chance.random() < 0.5 and victims:
            victims = [chance.choice(victims)]
        if len(victims) > 1 or closing:
            work.over.set()
        cut = now_us()
        for p in victims:
            p.kill()
        work.end(threads)
        alive = [r for r in work.recordings if r[1] is None]
        faults, whole, lost = judge(work.cli, folder, work.done, alive, cut, work.first, 1 + 2 * pulse.longest)
        # The next who writes finds everything as it should be.
        again = common.Ran(work.cli, "import", work.book, work.log, "--name", "after")
        if again.status != 0:
            faults.append(f"import afterwards: {again.err.decode(errors='replace')[-200:]}")
        if common.Ran(work.cli, "verify", work.book).status != 0:
            faults.append("not whole after the next import")
        beside = [f for f in os.listdir(folder) if f.startswith("b.kuvio-")]
        if beside:
            faults.append(f"beside the book: {beside}")
        lost -= 2 * pulse.longest
        return len(victims), [f"seed {seed}: {f}" for f in faults + work.faults], lost
    finally:
        work.over.set()
        pulse.__exit__()
        shutil.rmtree(folder, ignore_errors=True)


def main():
    binary, count = sys.argv[1], int(sys.argv[2])
    seed = common.seed_from(sys.argv, 3).randrange(2**31)
    with tempfile.TemporaryDirectory() as folder, common.Partner("lines.py", "honest") as lines, \
            common.Partner("stream.py", "honest") as stream:
        old = common.make_books(binary, folder)[0]
        recipe = os.path.join(folder, "two.recipe.toml")
        jobs = [(binary, seed + i, old, recipe, [lines.uri, stream.uri]) for i in range(count)]
        faults, longest, killed = [], 0.0, 0
        with multiprocessing.Pool(3) as pool:
            for victims, found, lost in pool.imap_unordered(one, jobs):
                faults += found
                killed += victims
                longest = max(longest, lost)
    print(f"{count} rounds, {killed} programs killed: at most {longest:.2f} s lost "
          "beside what the disk stood still")
    return common.judged(faults)


if __name__ == "__main__":
    sys.exit(main())
