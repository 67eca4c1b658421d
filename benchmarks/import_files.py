# SPDX-License-Identifier: GPL-3.0-or-later
"""Makes a text log of a given size, and says what pandas takes merely to parse one.

import_files.py make KIND MEGABYTES FILE     KIND: clean, units, comma, iso
import_files.py parse KIND FILE              MB/s of pandas.read_csv with what the kind needs
"""
import datetime
import os
import sys
import time

HEADERS = {
    "clean": "time_s,current_ma,voltage_v\n",
    "units": "time;current;voltage\n",
    "comma": "Zeit (s);Strom (mA);Spannung (V)\n",
    "iso": "timestamp,current (mA),voltage (V)\n",
}
OPTIONS = {
    "clean": {},
    "units": {"sep": ";"},
    "comma": {"sep": ";", "decimal": ","},
    "iso": {"parse_dates": ["timestamp"]},
}


def rows(kind, ticks, current, voltage):
    """Lines of 10 kS/s: sleep and bursts with noise."""
    if kind == "iso":
        began = datetime.datetime(2026, 5, 4, 14, 2, 31)
        stamps = ((began + datetime.timedelta(microseconds=100 * k)).isoformat(timespec="microseconds") for k in ticks)
        return "".join(f"{t},{i:.4f},{v:.3f}\n" for t, i, v in zip(stamps, current, voltage))
    if kind == "units":
        return "".join(f"{k / 1e4:.4f} s;{i:.4f} mA;{v:.3f} V\n" for k, i, v in zip(ticks, current, voltage))
    mark = ";" if kind == "comma" else ","
    text = "".join(f"{k / 1e4:.4f}{mark}{i:.4f}{mark}{v:.3f}\n" for k, i, v in zip(ticks, current, voltage))
    return text.replace(".", ",") if kind == "comma" else text


def make(kind, size, path):
    import numpy

    random = numpy.random.default_rng(7)
    written, at, step = 0, 0, 200_000
    with open(path, "w", encoding="ascii") as file:
        file.write(HEADERS[kind])
        while written < size:
            k = numpy.arange(at, at + step)
            current = numpy.where((k // 3000) % 7 == 0, 28.0, 0.8) + random.normal(0, 0.05, step)
            voltage = 3.6 - 0.01 * current + random.normal(0, 0.001, step)
            text = rows(kind, k.tolist(), current.tolist(), voltage.tolist())
            file.write(text)
            written += len(text)
            at += step


def parse(kind, path):
    import pandas

    begun = time.monotonic()
    table = pandas.read_csv(path, **OPTIONS[kind])
    took = time.monotonic() - begun
    assert len(table) > 0
    print(f"{os.path.getsize(path) / 1e6 / took:.1f}")


if sys.argv[1] == "make":
    make(sys.argv[2], float(sys.argv[3]) * 1e6, sys.argv[4])
else:
    parse(sys.argv[2], sys.argv[3])
