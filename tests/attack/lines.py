#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""A meter that prints readings as lines over TCP and misbehaves in one way, chosen by name.

Prints its port. 1 mA every 10 ms, by its own clock in ms, to everybody who connects. With "storm
SEED" the current counts its readings (1000 uA and their number, up to 1499), and mishaps of all
kinds come at random.
"""
import argparse
import random
import socket
import sys
import threading
import time

STEP = 0.01


def mishap(chance, line, stamp):
    """One of the things that happen to a line on its way; no figure of a reading is made up."""
    kind = chance.choice(["lost", "twice", "junk", "far", "back", "no_end", "half", "header", "late", "digits", "bytes",
                          "long", "blank"])
    value = line.split(",")[1]
    if kind == "late":
        time.sleep(chance.choice([0.05, 0.5, 1.5]))
    return {
        "lost": "", "twice": line * 2, "junk": line + "error: overheated 3.6\n",
        "far": f"{stamp + chance.choice([100000, 10 ** 9, 10 ** 18])},{value}",
        "back": f"{chance.randrange(stamp)},{value}", "no_end": line.rstrip("\n"), "half": line.split(",")[0] + ",",
        "header": "t [ms],I [uA]\n" + line, "late": line, "digits": f"{stamp}{chance.randrange(10)},{value}",
        "bytes": "".join(chr(chance.randrange(1, 256)) for _ in range(30)).replace("\n", "") + "\n" + line,
        "long": "y" * chance.choice([5000, 300000]) + "\n" + line, "blank": "\n\r\n" + line}[kind]


def talk(connection, way, value):
    begun = time.monotonic()
    chance = random.Random(value)
    connection.sendall(b"t [ms],I [uA]\n")
    number = 0
    while True:
        due = begun + number * STEP
        time.sleep(max(0.0, due - time.monotonic()))
        stamp, current = int(number * STEP * 1000), "1000"
        line = f"{stamp},{current}\n"
        after = number * STEP > 1.0
        if way == "garbled_stamp" and number == 150:
            line = f"91500000,{current}\n"
        if way == "stamp_back" and number == 150:
            line = f"3,{current}\n"
        if way == "lost_newline" and number == 150:
            line = f"{stamp},{current}"
        if way == "clock_again" and after:
            line = f"{stamp - 1010},{current}\n"
        if way == "gap" and after:
            line = f"{stamp + 5000},{current}\n"
        if way == "slows" and after:  # thirty times, for good
            stamp = 1000 + (number - 100) * 300
            line = f"{stamp},{current}\n"
        if way == "text_later" and after:
            line = "all is well\n"
        if way == "other_unit" and number == 101:
            connection.sendall(b"t [ms],I [mA]\n")
        if way == "other_unit" and after:
            line = f"{stamp},1\n"
        if way == "other_columns" and number == 101:
            connection.sendall(b"I [uA],t [ms]\n")
        if way == "silent_later" and after:
            time.sleep(600)
        if way == "flood" and after:
            line = "x" * 100000
        if way == "storm":
            line = f"{stamp},{1000 + number % 500}\n"
            if number > 20 and chance.random() < 0.03:
                line = mishap(chance, line, stamp)
        connection.sendall(line.encode("latin-1"))
        number += 1


def main():
    arguments = argparse.ArgumentParser()
    arguments.add_argument("way")
    arguments.add_argument("value", nargs="?", type=float, default=0)
    told = arguments.parse_args()
    listener = socket.create_server(("127.0.0.1", 0))
    print(listener.getsockname()[1], flush=True)
    while True:
        connection, _ = listener.accept()

        def run(c=connection):
            try:
                talk(c, told.way, told.value)
            except OSError:
                pass

        threading.Thread(target=run, daemon=True).start()


if __name__ == "__main__":
    sys.exit(main())
