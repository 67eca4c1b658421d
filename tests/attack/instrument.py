#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""A logging current meter with an output that speaks the generic analyser's commands and
misbehaves in one way, chosen by name.

Prints its port, then every command that switches its output, each with its time. Its current is
1 mA, its voltage 3.6 V, 1 kS/s, unless its way of misbehaving says otherwise. With "storm SEED" the
current counts its samples (1.000 mA and their number in uA, up to 1.499), and mishaps of all kinds
come at random.
"""
import argparse
import random
import socket
import struct
import sys
import threading
import time

RATE = 1000.0
CURRENT, VOLTAGE = 1e-3, 3.6


class Meter:
    def __init__(self, way, value):
        self.way, self.value = way, value
        self.started = None
        self.queries = 0
        self.on = False
        self.restarted = False
        self.chance = random.Random(value)

    def storms(self):
        return self.way == "storm" and self.since() > 0.3 and self.chance.random() < 0.008

    def since(self):
        return 0.0 if self.started is None else time.monotonic() - self.started

    def window(self):
        """Numbers of the oldest sample kept and of the next."""
        end = int(self.since() * RATE)
        if self.way == "stand_still":
            end = min(end, int(self.value))
        if self.way == "oldest_after_end":
            return end + 10, end
        if self.way == "jump" and self.since() > 1:  # what came between is gone
            return end + int(self.value), end + int(self.value)
        if self.way == "lost_to_the_end" and self.since() > self.value:
            hole = int(self.value * RATE)
            return (hole, hole) if self.since() < self.value * 2 else (hole * 2, end)
        if self.way == "count_again" and self.since() > 1 and not self.restarted:
            self.restarted = True
            self.started = time.monotonic() - 0.02
            end = 20
        return 0, end

    def level(self, index):
        if self.way == "over_range_at_the_end" and index >= self.value * RATE:
            return 9.9e37
        if self.way == "nan_at_the_end" and index >= self.value * RATE:
            return 9.91e37
        if self.way == "storm":
            return CURRENT * (1 + index % 500 / 1000)
        return CURRENT

    def block(self, first, count, level):
        if self.way == "empty_blocks" and self.since() > 1:
            count = 0
        if self.way == "long_blocks":
            count += 5
        if self.way == "random" and self.queries % 7 == 6:
            return bytes((self.queries * k * 37) % 251 for k in range(40)) + b"\n"
        if self.storms():
            count = max(0, count + self.chance.choice([-count, -1, 1, 7]))
            if self.chance.random() < 0.5:
                level, plain = (lambda i: 9.9e37 if i % 3 else plain(i)), level
        data = b"".join(struct.pack("<f", level(first + i)) for i in range(count))
        size = str(len(data))
        if self.storms():
            size = self.chance.choice(["", "0", size + "0", "99999999", size])
        return b"#" + str(len(size)).encode() + size.encode() + data + b"\n"

    def answer(self, message):
        self.queries += 1
        word, _, argument = message.partition(" ")
        if word == "*IDN?":
            return b"Made-up,Meter,1,1.0\n" if self.way != "latin_name" else b"Me\xdfger\xe4t,\x1b[2J,1,1\n"
        if word == "*OPC?":
            return b"1\n"
        if word == "SYST:ERR?":
            return b'0,"No error"\n'
        if word == "SENS:SWE:TINT?":
            return (str(self.value) if self.way == "interval" else "0.001").encode() + b"\n"
        if word == "OUTP":
            self.on = argument == "ON"
            print(f"OUTP {argument} {time.time():.3f}", flush=True)
        if word == "OUTP?":
            return b"1\n" if self.on else b"0\n"
        if word in ("VOLT?", "MEAS:VOLT?"):
            return b"3.6\n"
        if word == "MEAS:CURR?":
            return b"0.001\n"
        if word == "CURR?":
            return b"0.5\n"
        if word == "CURR:PROT:STAT?":
            return b"0\n"
        if word == "INIT":
            self.started = time.monotonic()
        if word == "FETC:ARR:POIN?":
            return ("%d,%d\n" % self.window()).encode()
        if word in ("FETC:ARR:CURR?", "FETC:ARR:VOLT?"):
            first, count = (int(x) for x in argument.split(","))
            voltage = word.endswith("VOLT?")
            return self.block(first, count, (lambda i: VOLTAGE) if voltage else self.level)
        return b"\n" if word.endswith("?") else b""


def drip(connection):
    """An answer that never ends, a byte a second."""
    try:
        while True:
            connection.sendall(b"x")
            time.sleep(1)
    except OSError:
        pass


def talk_unasked(connection):
    try:
        while True:
            time.sleep(0.25 + random.random() / 10)
            connection.sendall(b"3.6\n")
    except OSError:
        pass


def serve(connection, meter):
    held = b""
    dripping = False
    if meter.way == "unasked":
        threading.Thread(target=talk_unasked, args=(connection,), daemon=True).start()
    while True:
        piece = connection.recv(4096)
        if not piece:
            return
        held += piece
        while b"\n" in held:
            line, held = held.split(b"\n", 1)
            answer = meter.answer(line.decode("latin-1").strip())
            drips = (meter.way == "drip" and line.startswith(b"*IDN?")) or (
                meter.way == "drip_later" and meter.since() > 0.5 and b"?" in line) or (
                meter.way == "drip_block" and meter.since() > 0.5 and b"FETC:ARR:CURR" in line)
            if drips:
                threading.Thread(target=drip, args=(connection,), daemon=True).start()
                dripping = True
            if dripping:
                continue
            if meter.storms():
                kind = meter.chance.choice(["late", "twice", "nothing", "junk", "cut", "hang_up", "unasked", "slow"])
                if kind in ("late", "slow"):
                    time.sleep(0.4 if kind == "late" else 1.5)
                if kind == "hang_up":
                    connection.close()
                    return
                answer = {"late": answer, "slow": answer, "twice": answer * 2, "nothing": b"",
                          "junk": bytes(meter.chance.randrange(256) for _ in range(50)), "unasked": b"3.6\n" + answer,
                          "cut": answer[:len(answer) // 2]}[kind]
            if meter.way == "silent_later" and meter.since() > 0.5:
                continue
            if meter.way == "hang_up" and meter.since() > meter.value:
                connection.close()
                return
            connection.sendall(answer)


def main():
    arguments = argparse.ArgumentParser()
    arguments.add_argument("way")
    arguments.add_argument("value", nargs="?", default="0")
    told = arguments.parse_args()
    try:
        value = float(told.value) if told.way != "interval" else told.value
    except ValueError:
        value = 0.0
    meter = Meter(told.way, value)
    listener = socket.create_server(("127.0.0.1", 0))
    print(listener.getsockname()[1], flush=True)
    while True:
        connection, _ = listener.accept()
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

        def run(c=connection):
            try:
                serve(c, meter)
            except OSError:
                pass

        threading.Thread(target=run, daemon=True).start()


if __name__ == "__main__":
    sys.exit(main())
