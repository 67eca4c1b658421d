#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Power cuts. Work on a book runs with machine.so, which writes down what is done to every file; then
the disk is made as a cut at a random moment would have left it: what was synced is there, of what
was not any part, in sectors of 512 bytes; of names made, changed and removed the first few.

Usage: power.py BIN MACHINE.so CUTS [SEED]
"""
import json
import os
import random
import shutil
import struct
import sys
import tempfile

import common
from work import Work, judge

HEAD = struct.Struct("<Ic3xQqqII")
SECTOR = 512


class File:
    def __init__(self, data=b""):
        self.data, self.durable, self.pending = bytearray(data), bytearray(data), []

    @staticmethod
    def put(to, offset, data):
        if len(to) < offset:
            to.extend(bytes(offset - len(to)))
        to[offset:offset + len(data)] = data

    def write(self, offset, data):
        self.pending.append((offset, data))
        self.put(self.data, offset, data)

    def truncate(self, size):
        self.pending.append((size, None))
        self.cut(self.data, size)

    @staticmethod
    def cut(to, size):
        del to[size:]
        to.extend(bytes(size - len(to)))

    def sync(self):
        self.durable, self.pending = bytearray(self.data), []

    def left(self, chance):
        """What a cut leaves of it."""
        out, way = bytearray(self.durable), chance.choice(["none", "all", "first", "any", "sectors"])
        pending = self.pending
        if way == "none":
            pending = []
        elif way == "first":
            pending = pending[:chance.randint(0, len(pending))]
        for offset, data in pending:
            if way in ("any", "sectors") and chance.random() < 0.5:
                continue
            if data is None:
                self.cut(out, offset)
            elif way != "sectors":
                self.put(out, offset, data)
            else:
                for at in range(0, len(data), SECTOR):
                    if chance.random() < 0.6:
                        self.put(out, offset + at, data[at:at + SECTOR])
        return out


class Disk:
    """Files by inode, names as they are and as they are known to be durable."""

    def __init__(self, folder):
        self.files, self.names = {}, {}
        for name in os.listdir(folder):
            path = os.path.join(folder, name)
            inode = os.stat(path).st_ino
            with open(path, "rb") as content:
                self.files[inode] = File(content.read())
            self.names[path] = self.files[inode]
        self.durable, self.pending = dict(self.names), []

    def rename(self, names, change):
        what, a, b = change
        if what == "C":
            names[a] = b
        elif what == "R" and a in names:
            names[b] = names.pop(a)
        elif what == "L" and a in names:
            names[b] = names[a]
        elif what == "U":
            names.pop(a, None)

    def named(self, *change):
        self.rename(self.names, change)
        self.pending.append(change)

    def take(self, what, inode, offset, first, second):
        if what == "C":
            self.files[inode] = File()
            self.named("C", first.decode(), self.files[inode])
        elif what in ("R", "L"):
            self.named(what, first.decode(), second.decode())
        elif what == "U":
            self.named("U", first.decode(), None)
        elif what == "D":
            self.durable, self.pending = dict(self.names), []
        elif inode not in self.files:
            raise SystemExit(f"a file that nobody made: {what} {inode}")
        elif what == "W":
            self.files[inode].write(offset, first)
        elif what == "T":
            self.files[inode].truncate(offset)
        elif what == "S":
            self.files[inode].sync()

    def cut(self, folder, chance):
        names = dict(self.durable)
        for change in self.pending[:chance.randint(0, len(self.pending))]:
            self.rename(names, change)
        for path, file in names.items():
            with open(os.path.join(folder, os.path.basename(path)), "wb") as out:
                out.write(file.left(chance))


def records(path):
    with open(path, "rb") as log:
        content = log.read()
    at = 0
    while at + HEAD.size <= len(content):
        length, what, inode, offset, us, first, second = HEAD.unpack_from(content, at)
        at += HEAD.size
        yield what.decode(), inode, offset, us, content[at:at + first], content[at + first:at + first + second]
        at += length


def one(binary, machine, chance, old, recipe, uris, cuts):
    """A stretch of work, cut at some moments. Gives the faults and the most seconds lost."""
    faults, longest, told = [], 0.0, 0
    folder = tempfile.mkdtemp(prefix="power-")
    log = folder + ".log"
    try:
        log_file = os.open(log, os.O_WRONLY | os.O_CREAT | os.O_APPEND)

        def tell(kind, name):
            text = json.dumps([kind, name]).encode()
            os.write(log_file, HEAD.pack(len(text), b"M", 0, 0, 0, len(text), 0) + text)

        env = {"LD_PRELOAD": machine, "KUVIO_MACHINE_FOLDER": folder, "KUVIO_MACHINE_LOG": log}
        work = Work(binary, folder, chance, old, recipe, env, tell)
        disk = Disk(folder)
        with common.Pulse(tempfile.gettempdir()) as pulse:
            work.end(work.run(uris, 2.5))
        faults += work.faults
        os.close(log_file)
        after = {name: open(os.path.join(folder, name), "rb").read() for name in os.listdir(folder)
                 if name.endswith(".out.csv")}
        all_records = list(records(log))
        moments = sorted(chance.sample(range(len(all_records)), min(cuts, len(all_records))))
        done, at = [], 0
        for moment in moments:
            while at <= moment:
                what, inode, offset, us, first, second = all_records[at]
                at += 1
                if what == "M":
                    kind, name = json.loads(first)
                    done.append((0, kind, name))
                else:
                    last_us = us
                    disk.take(what, inode, offset, first, second)
            with tempfile.TemporaryDirectory(prefix="cut-") as left:
                disk.cut(left, chance)
                recordings = [(b, None, n) for b, e, n in work.recordings
                              if b < last_us and ("capture", n) not in [d[1:] for d in done]]
                found, whole, lost = judge(work.cli, left, done, recordings, last_us, work.first, 1 + 2 * pulse.longest)
                longest = max(longest, lost)
                told += not whole
                for name, content in after.items():
                    path = os.path.join(left, name)
                    if os.path.exists(path) and open(path, "rb").read() != content:
                        found.append(f"{name} is neither there nor not")
                faults += [f"record {moment} of {len(all_records)}: {f}" for f in found]
        return faults, longest, len(moments), told
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        if os.path.exists(log):
            os.unlink(log)


def main():
    binary, machine, cuts = sys.argv[1], os.path.abspath(sys.argv[2]), int(sys.argv[3])
    seed = common.seed_from(sys.argv, 4).randrange(2**31)
    faults, longest, made, told, number = [], 0.0, 0, 0, 0
    with tempfile.TemporaryDirectory() as folder, common.Partner("lines.py", "honest") as lines, \
            common.Partner("stream.py", "honest") as stream:
        old = common.make_books(binary, folder)[0]
        recipe = os.path.join(folder, "two.recipe.toml")
        while made < cuts:
            chance = random.Random(seed + number)
            number += 1
            found, lost, n, unwhole = one(binary, machine, chance, old, recipe, [lines.uri, stream.uri], min(30, cuts - made))
            faults += [f"seed {seed + number - 1}: {f}" for f in found]
            longest = max(longest, lost)
            made += n
            told += unwhole
    print(f"{made} power cuts in {number} stretches of work: at most {longest:.2f} s lost, {told} books told of an unclean end")
    return common.judged(faults)


if __name__ == "__main__":
    sys.exit(main())
