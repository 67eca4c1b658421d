# SPDX-License-Identifier: GPL-3.0-or-later
"""Exchanged files against h5py and an independent reader of value change dumps."""
import json, math, os, re, subprocess, sys, tempfile
from fractions import Fraction

import h5py
import numpy as np

BIN = sys.argv[1]
HERE = tempfile.mkdtemp()
failures = 0


def check(what, ok, more=""):
    global failures
    if not ok:
        failures += 1
        print("FAILED:", what, more)


def cli(*arguments, status=0):
    ran = subprocess.run([BIN + "/kuvio-cli", *map(str, arguments)], capture_output=True, text=True)
    check(" ".join(map(str, arguments)), ran.returncode == status, f"{ran.returncode}: {ran.stderr}")
    return ran


def span(book, capture, channel):
    return json.loads(cli("span", book, capture, "--channel", channel, "--json").stdout)


# --- what we write, read by h5py -----------------------------------------------------------------
demo = HERE + "/demo.kuvio"
cli("demo", demo, "--quick", "--speed", "200")
out = HERE + "/demo.h5"
cli("export", demo, "2.3.0", "--format", "hdf5", "--out", out)
with h5py.File(out) as f:
    (capture,) = f["captures"].values()
    check("name and build", capture.attrs["name"] == "2.3.0" and capture.attrs["build"] == "2.3.0")
    values = capture["I/values"]
    num, den = map(int, values.attrs["period_s"])
    period = Fraction(num, den)
    s = span(demo, "2.3.0", "I")
    charge = math.fsum(values[:].astype(float)) * float(period)
    check("charge by h5py", abs(charge - s["charge_c"]) <= 1e-9 * abs(charge), f"{charge} {s['charge_c']}")
    check("unit and kind", values.attrs["unit"] == "A" and values.attrs["kind"] == "averaged")
    check("start", values.attrs["start_s"] == s["from_s"])
    lines = capture["radio_on"]
    check("times of their own", len(lines["times_s"]) == len(lines["values"]) and "period_s" not in lines.attrs)
    edges = [(t, v) for t, v in zip(lines["times_s"][:], lines["values"][:])]
    check("a log", any(b"uplink" in row["text"] for row in capture["log"][:]))

# --- a dump of the same line, read here ----------------------------------------------------------
dump = HERE + "/demo.vcd"
cli("export", demo, "2.3.0", "--format", "vcd", "--out", dump)
text = open(dump).read()
scale = {"s": 1, "ms": 10**3, "us": 10**6, "ns": 10**9, "ps": 10**12}
number, unit = re.search(r"\$timescale\s+(\d+)\s*(\w+)\s+\$end", text).groups()
tick = Fraction(int(number), scale[unit])
names = {code: name for code, name in re.findall(r"\$var wire 1 (\S+) (\S+) \$end", text)}
time, changes = None, {name: [] for name in names.values()}
for word in text.split("$enddefinitions $end")[1].split():
    if word.startswith("#"):
        time = int(word[1:]) * tick
    elif word[0] in "01xz":
        changes[names[word[1:]]].append((float(time), word[0]))
mine = [(t, "1" if v > 0.5 else "0") for t, v in edges]
mine = [e for i, e in enumerate(mine) if i == 0 or e[1] != mine[i - 1][1]]
last = changes["radio_on"].pop()
check("unknown once the capture ends", last == (s["to_s"], "x"), last)
check("the same edges in dump and HDF5", changes["radio_on"] == mine, f"{changes['radio_on']} {mine}")

# --- what others write, read by us ---------------------------------------------------------------
rng = np.random.default_rng()
seed = int(rng.integers(1 << 30))
rng = np.random.default_rng(seed)
for round_ in range(24):
    path, book = f"{HERE}/o{round_}.h5", f"{HERE}/o{round_}.kuvio"
    n = int(rng.integers(2, 200_000))
    values = rng.lognormal(-9, 2, n).astype(rng.choice(["f4", "f8", ">f8", ">f4"]))
    den = int(rng.choice([1000, 48000, 44100, 50000, 7]))
    period = Fraction(int(rng.choice([1, 3])), den)
    start = float(rng.choice([0, -0.5, 0.125, 17.001]))
    averaged = bool(rng.integers(2))
    timed = round_ % 3 == 2
    with h5py.File(path, "w", libver=("earliest", "latest")[round_ % 2]) as f:
        g = f.create_group(f"captures/{round_ + 1}")
        g.attrs["name"], g.attrs["build"] = f"run {round_}", "9.9"
        c = g.create_group("I")
        extra = dict(compression="gzip", shuffle=True) if round_ % 4 == 0 else {}
        v = c.create_dataset("values", data=values, **extra)
        at = v if round_ % 2 else c
        at.attrs["name"], at.attrs["unit"] = "I", np.bytes_(b"A") if round_ % 5 == 0 else "A"
        at.attrs["kind"] = "averaged" if averaged else "instant"
        if timed:
            times = start + np.cumsum(rng.integers(1, 9, n)) * 1e-4
            c["times_s"] = times
        else:
            at.attrs["start_s"] = start
            at.attrs["period_s"] = [np.array([period.numerator, period.denominator]), float(period),
                                    f"{period.numerator}/{period.denominator}"][round_ % 7 % 3]
    cli("import", book, path)
    s = span(book, f"run {round_}", "I")
    x = values.astype(float)
    if timed:
        d = np.diff(times)
        charge = math.fsum(x[:-1] * d) + x[-1] * d[-1] if averaged else math.fsum((x[1:] + x[:-1]) / 2 * d)
        first = times[0]
    else:
        charge = math.fsum(x) if averaged else math.fsum((x[1:] + x[:-1]) / 2)
        charge *= float(period)
        first = start
    check(f"charge of round {round_} (seed {seed})", abs(s["charge_c"] - charge) <= 1e-6 * charge if timed else abs(s["charge_c"] - charge) <= 1e-9 * charge,
          f"{s['charge_c']} {charge} timed={timed} averaged={averaged} period={period} start={start} n={n}")
    check(f"start of round {round_}", abs(s["from_s"] - first) < 1e-6, f"{s['from_s']} {first}")
    check(f"samples of round {round_}", s["samples"] == n)

# What is missing of what others write is missing here.
path = HERE + "/gaps.h5"
with h5py.File(path, "w") as f:
    c = f.create_group("captures/1/I")
    x = np.full(1000, 2e-3)
    x[100:200] = np.nan
    x[300:310] = 9.9e37
    v = c.create_dataset("values", data=x)
    v.attrs["unit"], v.attrs["kind"], v.attrs["start_s"], v.attrs["period_s"] = "A", "averaged", 0.0, [1, 1000]
cli("import", HERE + "/gaps.kuvio", path)
s = span(HERE + "/gaps.kuvio", 1, "I")
check("NaN and over-range are flags", abs(s["charge_c"] - 0.89 * 2e-3) < 1e-12 and s["flagged"]["not_a_number"] == 100 and
      s["flagged"]["over_range"] == 10 and s["lower_bound"], s)

# What is wrong is told with its place, and nothing stays.
def refuse(what, make, says):
    path = f"{HERE}/wrong.h5"
    with h5py.File(path, "w") as f:
        make(f)
    book = HERE + "/wrong.kuvio"
    ran = cli("import", book, path, status=65)
    check(what, says in ran.stderr and not os.path.exists(book), ran.stderr)


def channel(f, **attributes):
    v = f.create_dataset("captures/1/I/values", data=np.ones(10))
    for key, value in attributes.items():
        v.attrs[key] = value
    return v


refuse("an empty file", lambda f: None, "/captures")
refuse("no channel", lambda f: f.create_group("captures/1"), "no capture")
refuse("no times", lambda f: channel(f, unit="A"), "neither")
refuse("a period of nothing", lambda f: channel(f, unit="A", period_s=[0, 1]), "period_s")
refuse("a period below nothing", lambda f: channel(f, unit="A", period_s=-1.0), "period_s")
refuse("another kind", lambda f: channel(f, unit="A", kind="mean", period_s=1.0), "kind")
refuse("mA in place of A", lambda f: channel(f, unit="mA", quantity="current", period_s=1.0), "mA")
refuse("two dimensions", lambda f: f.create_dataset("captures/1/I/values", data=np.ones((3, 3))), "row of numbers")
refuse("texts", lambda f: f.create_dataset("captures/1/I/values", data=[b"a", b"b"]), "row of numbers")


def short_times(f):
    channel(f, unit="A")
    f["captures/1/I/times_s"] = np.arange(5.0)


def back_times(f):
    channel(f, unit="A")
    f["captures/1/I/times_s"] = np.arange(10.0)[::-1]


refuse("fewer times", short_times, "times_s")
refuse("times that go back", back_times, "goes back")
refuse("times that are none", lambda f: (channel(f, unit="A"), f.create_dataset("captures/1/I/times_s", data=np.full(10, np.nan))), "time")

print("exchanged files:", "all agree" if failures == 0 else f"{failures} do not agree")
sys.exit(1 if failures else 0)
