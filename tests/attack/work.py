# SPDX-License-Identifier: GPL-3.0-or-later
"""Work on one book by several programs at once, of which any moment may be the last."""
import json
import os
import shutil
import signal
import subprocess
import threading
import time

import common


def now_us():
    return int(time.time() * 1e6)


class Work:
    """Captures, imports, edits and readers on a new or an old book, in a folder.

    `done` collects what programs said they had finished, as (moment, kind, name); `recordings` what
    was being recorded, as (began, ended or None, name)."""

    def __init__(self, binary, folder, chance, old_book, recipe, env=None, tell=None):
        self.cli = os.path.join(os.path.abspath(binary), "kuvio-cli")
        self.folder, self.chance, self.env = folder, chance, {**os.environ, **(env or {})}
        self.book = os.path.join(folder, "b.kuvio")
        self.recipe, self.tell = recipe, tell or (lambda *what: None)
        self.done, self.recordings, self.running, self.faults = [], [], [], []
        self.lock = threading.Lock()
        self.over = threading.Event()
        self.names = 0
        self.first = []
        if old_book and chance.random() < 0.5:
            shutil.copy(old_book, self.book)
            self.first = ["one", "two"]
        self.log = common.write(folder, "log.csv", common.log_text(False))

    def start(self, *call):
        p = subprocess.Popen([self.cli, *call], env=self.env, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
        with self.lock:
            self.running.append(p)
        return p

    def finish(self, p, kind, name):
        error = p.communicate()[1].decode(errors="replace")
        with self.lock:
            self.running.remove(p)
            if p.returncode == 0:
                self.done.append((now_us(), kind, name))
                self.tell(kind, name)
            elif p.returncode > 0 and not self.over.is_set():
                self.faults.append(f"{kind} {name} ended with {p.returncode}: {error.strip()[-200:]}")
        return p.returncode == 0

    def name(self):
        self.names += 1
        return f"n{self.names}"

    def record(self, uri, seconds, stopped=False):
        name = self.name()
        began = now_us()
        entry = [began, None, name]
        self.recordings.append(entry)
        call = ["capture", self.book, "--input", uri, "--name", name]
        p = self.start(*call, *([] if stopped else ["--seconds", str(seconds)]))
        if stopped:
            self.over.wait(seconds)
            p.send_signal(signal.SIGINT)
        if self.finish(p, "capture", name):
            entry[1] = now_us()

    def imports(self):
        name = self.name()
        if not self.finish(self.start("import", self.book, self.log, "--name", name, "--samples", "averaged"), "import", name):
            return
        if self.finish(self.start("states", self.book, name, "--recipe", self.recipe), "states", name):
            out = os.path.join(self.folder, name + ".out.csv")
            self.finish(self.start("export", self.book, name, "--format", "csv", "--out", out), "export", name)

    def edits(self):
        for _ in range(6):
            if self.over.is_set() or not self.first:
                return
            self.finish(self.start("states", self.book, "one", "--recipe", self.recipe), "states", "one")
            self.finish(self.start("line-up", self.book, "one", "two", "--offset", str(self.chance.random()), "--keep"),
                        "line-up", "two")

    def copies(self):
        copy = os.path.join(self.folder, self.name() + ".copy.kuvio")
        if os.path.exists(self.book):
            self.finish(self.start("copy", self.book, copy), "copy", os.path.basename(copy))

    def reads(self):
        while not self.over.is_set():
            if os.path.exists(self.book):
                self.finish(self.start("list", self.book, "--json"), "list", "")
            self.over.wait(0.1)

    def run(self, uris, seconds):
        """Everything at once, for about so many seconds."""
        works = [lambda: self.record(self.chance.choice(uris), seconds * (0.6 + 0.4 * self.chance.random()),
                                     self.chance.random() < 0.4), self.reads]
        works += self.chance.sample([self.imports, self.imports, self.edits, self.copies], self.chance.randint(1, 3))
        if self.chance.random() < 0.3:
            works.append(lambda: self.record(self.chance.choice(uris), seconds / 2))
        threads = [threading.Thread(target=w) for w in works]
        for t in threads:
            t.start()
            time.sleep(self.chance.random() * 0.1)
        return threads

    def end(self, threads):
        for t in threads:
            if t is not threads[1]:
                t.join()
        self.over.set()
        threads[1].join()


def judge(cli, folder, done, recordings, cut_us, first=(), grace_s=1.0):
    """What is wrong with what a folder holds after everything ended at a moment. `done` is what was
    finished before it. Gives the faults, whether the book was called whole, and the most seconds of
    a recording that are lost."""
    faults, lost = [], 0.0
    book = os.path.join(folder, "b.kuvio")
    names = [name for _, kind, name in done if kind in ("import", "capture")] + list(first)
    if not os.path.exists(book):
        if names:
            faults.append(f"the book is gone, with {names}")
        if recordings and cut_us - min(r[0] for r in recordings) > 3e6:
            faults.append("there is no book after 3 s of recording")
        return faults, True, lost
    before = common.Ran(cli, "list", book, "--json")
    if before.status != 0:
        return [f"list: {before.status} {before.err.decode(errors='replace')[-300:]}"], False, lost
    # Whoever writes next settles what was left behind; a look at it must be the same before.
    verify = common.Ran(cli, "verify", book)
    told = verify.status != 0
    if told and b"1 problems" in verify.err and b"closed uncleanly" in verify.err:
        pass  # cut as it was being opened: whether a log was begun cannot be known
    elif told:
        faults.append(f"verify: {verify.status} {(verify.out + verify.err).decode(errors='replace')[-300:]}")
    captures = {c["name"]: c for c in json.loads(before.out)["captures"]}
    missing = [n for n in names if n not in captures]
    if missing:
        faults.append(f"said done and missing: {missing}")
    for _, kind, name in done:
        if kind == "states" and name in captures and not captures[name]["split"]:
            faults.append(f"the split of {name} is gone")
        if kind == "copy":
            copy = common.Ran(cli, "verify", os.path.join(folder, name))
            if copy.status != 0:
                faults.append(f"a finished copy: {copy.err.decode(errors='replace')[-200:]}")
    for began, ended, name in recordings:
        if ended is not None and ended <= cut_us:
            continue
        if name not in captures:
            if cut_us - began > 2.5e6:
                faults.append(f"{name}: nothing is left of {(cut_us - began) / 1e6:.1f} s")
            continue
        c = captures[name]
        started = common.utc_us(c["started_utc"])
        gone = (cut_us - started) / 1e6 - c["duration_s"]
        if not c["interrupted"] and not c["recording"] and c["end_reason"]:
            continue  # closed, only not yet said
        lost = max(lost, gone)
        if gone > grace_s:
            faults.append(f"{name}: {gone:.2f} s of {(cut_us - started) / 1e6:.2f} s are lost")
    return faults, not told, lost
