#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""A digitiser that sends the framed binary stream (docs/stream-protocol.md, written from that page
alone) and misbehaves in one way, chosen by name.

Prints its port. int16 codes of 1 uA, 1 mA, 2 kS/s, 20 ms a frame. With "storm SEED" the
codes count the samples (1000 and their number, up to 1499), and mishaps of all kinds come at random.
"""
import argparse
import random
import socket
import struct
import sys
import threading
import time
import zlib

RATE, FRAME = 2000, 40


def frame(kind, payload, sequence):
    head = struct.pack("<BBHI", 1, kind, len(payload), sequence)
    return b"KVST" + head + payload + struct.pack("<I", zlib.crc32(head + payload))


def text(words):
    return bytes([len(words)]) + words


def header(session):
    out = struct.pack("<IIIBBH", session, 1, RATE, 1, 1, 0) + text(b"made-up digitiser")
    out += struct.pack("<BB", 1, 0) + text(b"I") + text(b"")
    out += struct.pack("<ddiiB", 1e-6, 0.0, -32768, 32767, 0)
    return out


def mishap(chance, data, held):
    """One of the things that happen to a frame on its way: what is sent now, what is kept for the
    next mishap, and a pause before."""
    kind = chance.choice(["lost", "twice", "flip", "flips", "cut", "junk", "late", "held", "old", "header", "empty"])
    at = chance.randrange(len(data))
    if kind == "flip":
        return data[:at] + bytes([data[at] ^ 1 << chance.randrange(8)]) + data[at + 1:], held, 0
    if kind == "flips":
        return bytes(b ^ (chance.random() < 0.02) * chance.randrange(256) for b in data), held, 0
    return {
        "lost": (b"", held, 0), "twice": (data * 2, held, 0), "cut": (data[:at], held, 0),
        "junk": (bytes(chance.randrange(256) for _ in range(chance.choice([3, 300, 30000]))) + data, held, 0),
        "late": (data, held, chance.choice([0.05, 0.5, 1.5])), "held": (b"", data, 0), "old": (held + data, b"", 0),
        "header": (frame(1, header(7), 0) + data, held, 0), "empty": (b"KVST" + data, held, 0)}[kind]


def talk(connection, way, value):
    begun = time.monotonic()
    sequence = number = 0
    codes = struct.pack("<h", 1000) * FRAME
    chance = random.Random(value)
    held = b""
    while True:
        if number % 50 == 0:
            connection.sendall(frame(1, header(7), sequence))
            sequence += 1
        due = begun + number * FRAME / RATE
        time.sleep(max(0.0, due - time.monotonic()))
        at = number * FRAME / RATE
        if way == "storm":  # the current counts the samples
            codes = b"".join(struct.pack("<h", 1000 + n % 500) for n in range(number * FRAME, number * FRAME + FRAME))
        data = frame(2, struct.pack("<QHBB", number * FRAME, FRAME, 0, 0) + codes, sequence)
        number += 1
        sequence += 1
        if way == "long_length" and number == 50:
            data = data[:6] + struct.pack("<H", struct.unpack("<H", data[6:8])[0] | 0x8000) + data[8:]
        if way == "lost_over_the_end" and value <= at < value + 1.5:
            continue
        if way == "silent_later" and at > 1:
            time.sleep(600)
        if way == "messages_only" and at > 1:
            data = frame(3, b"all is well", sequence)
        if way == "junk" and number % 10 == 3:
            connection.sendall(bytes((number * k) % 256 for k in range(77)))
        if way == "rate_changes" and number == 60:
            data = frame(1, header(7).replace(struct.pack("<I", RATE), struct.pack("<I", 1000)),
                         sequence)
        if way == "storm" and number > 5 and chance.random() < 0.05:
            data, held, pause = mishap(chance, data, held)
            time.sleep(pause)
        if way == "backlog" and at < 1:
            continue_at = begun + 1
            time.sleep(max(0.0, continue_at - time.monotonic()))
        connection.sendall(data)


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
