# SPDX-License-Identifier: GPL-3.0-or-later
"""What the attacks share: calls with their time, partners on the wire, and books to begin with."""
import datetime
import os
import random
import re
import resource
import signal
import subprocess
import sys
import threading
import time

HERE = os.path.dirname(os.path.abspath(__file__))
SLOW = 2.0  # s of computing after which a call hangs

RECIPE = """kuvio = "recipe/1"
name = "two"
channel = "I"
[[state]]
name = "Sleep"
level = { below = "1 mA" }
[[state]]
name = "Work"
level = { above = "1 mA" }
"""
BUDGET = """kuvio = "budget/1"
name = "limits"
[[limit]]
state = "Work"
mean_current = { max = "30 mA" }
[[limit]]
state = "Sleep"
charge = { max = "1 mC" }
[[limit]]
whole = true
mean_current = { max = "10 mA" }
"""
BATTERY = """kuvio = "battery/1"
name = "cell"
charge = "1000 mAh"
self_discharge = "1 %/y"
"""


class Ran:
    """One call: its exit status (below 0: killed by that signal), what it wrote, its seconds."""

    def __init__(self, binary, *call, timeout=60, env=None, given=None):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        begun = time.monotonic()
        self.hung = False
        try:
            p = subprocess.run([binary, *call], capture_output=True, timeout=timeout, input=given,
                               env={**os.environ, **(env or {})})
            self.status, self.out, self.err = p.returncode, p.stdout, p.stderr
        except subprocess.TimeoutExpired:
            self.status, self.out, self.err, self.hung = -signal.SIGKILL, b"", b"", True
        self.took = time.monotonic() - begun
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        self.computed = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

    def fault(self):
        """Why no input whatever excuses this end, or nothing."""
        if self.hung or self.computed > SLOW:
            return f"hangs ({self.computed:.1f} s computed)"
        if self.status < 0:
            return f"killed by signal {-self.status}"
        if self.status in (70, 74):
            return f"exit {self.status}: {self.err[-200:].decode(errors='replace')}"
        return None


class Pulse:
    """How long this machine itself holds everything up: its disk and its scheduler. No program can
    keep more than they let it."""

    def __init__(self, folder):
        self.ended, self.begun, self.over = 0.0, time.monotonic(), threading.Event()
        self.thread = threading.Thread(target=self.beat, args=(os.path.join(folder, ".pulse"),), daemon=True)

    def beat(self, path):
        with open(path, "wb", buffering=0) as file:
            while not self.over.is_set():
                self.begun = time.monotonic()
                file.write(b".")
                os.fsync(file.fileno())
                self.over.wait(0.1)
                self.ended = self.longest

    @property
    def longest(self):
        """Also while it stands still."""
        return max(self.ended, time.monotonic() - self.begun - 0.1)

    def __enter__(self):
        self.thread.start()
        return self

    def __exit__(self, *_):
        self.over.set()
        self.thread.join()


def stall(said):
    """How long kuvio-tour's window stood still beside what its machine did (s); None: it says nothing."""
    found = re.search(rb"longest stall ([0-9.]+) s, the machine's ([0-9.]+) s", said)
    return max(0.0, float(found.group(1)) - 2 * float(found.group(2))) if found else None


class Partner:
    """A server of this folder; `uri` is where it listens."""

    SCHEMES = {"lines.py": "lines+tcp", "stream.py": "stream+tcp", "instrument.py": "scpi+tcp"}

    def __init__(self, script, way, *value):
        self.process = subprocess.Popen([sys.executable, os.path.join(HERE, script), way, *map(str, value)],
                                        stdout=subprocess.PIPE, text=True)
        self.uri = f"{self.SCHEMES[script]}://127.0.0.1:{self.process.stdout.readline().strip()}"

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.process.kill()
        self.process.wait()


def write(folder, name, content):
    path = os.path.join(folder, name)
    with open(path, "w", encoding="utf-8") as out:
        out.write(content)
    return path


def plans(folder):
    """Recipe, budget and battery that fit the books below."""
    return (write(folder, "two.recipe.toml", RECIPE), write(folder, "limits.budget.toml", BUDGET),
            write(folder, "cell.battery.toml", BATTERY))


def log_text(uneven, level=20):
    """4 s of sleep and work in turn; one reading is out of range; uneven in its second half."""
    lines, t = ["t [s],I [mA]"], 0.0
    for i in range(4000):
        value = 0.003 if i % 400 < 300 else level
        lines.append(f"{t:.4f},{'OVLD' if i == 2350 else value}")
        t += 0.001 if not uneven or i % 2 or i < 2000 else 0.0015
    return "\n".join(lines) + "\n"


def make_books(binary, folder):
    """A book of two split builds, one whose recording was killed, and one of several channels."""
    cli = os.path.join(binary, "kuvio-cli")
    recipe, _, _ = plans(folder)
    made = []

    def must(*call):
        ran = Ran(cli, *call)
        if ran.status != 0:
            raise SystemExit(f"{call}: {ran.err.decode(errors='replace')}")

    split = os.path.join(folder, "split.kuvio")
    for name, uneven, level in (("one", False, 20), ("two", True, 21)):
        log = write(folder, name + ".csv", log_text(uneven, level))
        must("import", split, log, "--name", name, "--build", name, "--samples", "averaged",
             "--voltage", "3.6 V")
        must("states", split, name, "--recipe", recipe)
    must("line-up", split, "one", "two", "--entry", "Work", "--keep")
    made.append(split)

    killed = os.path.join(folder, "killed.kuvio")
    for script, seconds in (("lines.py", 1.5), ("stream.py", 1.2)):
        with Partner(script, "honest") as partner:
            p = subprocess.Popen([cli, "capture", killed, "--input", partner.uri], stderr=subprocess.DEVNULL,
                                 stdout=subprocess.DEVNULL)
            time.sleep(seconds)
            p.kill()
            p.wait()
    # Whoever writes next settles them: until then a recording that died has no checksum.
    must("import", killed, os.path.join(folder, "one.csv"), "--name", "after")
    made.append(killed)

    bench = os.path.join(folder, "bench.kuvio")
    with Partner("instrument.py", "honest") as meter, Partner("lines.py", "honest") as lines:
        profile = os.path.join(HERE, "../../profiles/generic-analyser.profile.toml")
        must("capture", bench, "--input", meter.uri, "--profile", profile, "--input", lines.uri, "--seconds",
             "2", "--build", "one")
    must("states", bench, "1", "--recipe", recipe)
    made.append(bench)
    return made


def utc_us(text):
    """Of "2026-05-04T14:02:31.250Z", microseconds since the epoch."""
    moment = datetime.datetime.strptime(text, "%Y-%m-%dT%H:%M:%S.%fZ").replace(tzinfo=datetime.timezone.utc)
    return int(moment.timestamp() * 1e6)


def seed_from(arguments, at):
    seed = int(arguments[at]) if len(arguments) > at else int(time.time())
    print(f"seed {seed}", flush=True)
    return random.Random(seed)


def judged(faults):
    for fault in faults[:20]:
        print("FAULT", fault)
    print(f"{len(faults)} faults")
    return 1 if faults else 0
