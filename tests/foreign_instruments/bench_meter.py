#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""A stranger's instrument for the tests: a current meter with an output, whose SCPI is its own.

CRLF at the end of messages, milliampere and microseconds as units, readings as text taken out of a
memory, an operation-complete query that takes its time, an error queue of another form. Prints its
port and serves one client after the other.
"""
import socket
import sys
import time

SLOW_OPC = 0.4


class Meter:
    def __init__(self):
        self.start = None
        self.stopped = None
        self.taken = 0
        self.interval_us = 5000
        self.millivolts = 3600
        self.limit_ma = 200
        self.on = False
        self.on_at = 0.0
        self.errors = []

    def level_ma(self, index):
        """A square of 2 mA and 12 mA, half a second each, once the output is on."""
        t = self.start + index * self.interval_us * 1e-6
        if not self.on or t < self.on_at:
            return 0.0
        return 2.0 if int((t - self.on_at) * 2) % 2 == 0 else 12.0

    def waiting(self):
        if self.start is None:
            return 0
        end = self.stopped or time.monotonic()
        return int((end - self.start) / (self.interval_us * 1e-6)) - self.taken

    def answer(self, message):
        word, _, argument = message.partition(" ")
        if word == "ID?":
            return "WORKSHOP METER 7; S/N 0042"
        if word == "READY?":
            time.sleep(SLOW_OPC)
            return "+1"
        if word == "FAULT?":
            return self.errors.pop(0) if self.errors else "0 none"
        if word == "SUPPLY":
            value = float(argument.removesuffix("MV"))
            if 0 <= value <= 5000:
                self.millivolts = value
            else:
                self.errors.append("12 supply out of range")
            return None
        if word == "SUPPLY?":
            return f"{self.millivolts:.1f} mV"
        if word == "MAXI":
            self.limit_ma = float(argument)
            return None
        if word == "MAXI?":
            return f"{self.limit_ma}"
        if word == "FEED":
            self.on = argument == "YES"
            self.on_at = time.monotonic()
            return None
        if word == "FEED?":
            return "ON" if self.on else "OFF"
        if word == "SCALE":
            if argument not in ("ALL", "10", "100"):
                self.errors.append("14 no such scale")
            return None
        if word == "NOW?":
            return f"{2.0 if self.on else 0.0:.4f}"
        if word == "STEP":
            self.interval_us = int(argument.split(".")[0])
            return None
        if word == "STEP?":
            return f"{self.interval_us}"
        if word == "GO":
            self.start, self.stopped, self.taken = time.monotonic(), None, 0
            return None
        if word == "HALT":
            self.stopped = time.monotonic()
            return None
        if word == "HOWMANY?":
            return str(self.waiting())
        if word == "GIVE":
            count = min(int(argument), self.waiting())
            values = [f"{self.level_ma(self.taken + i):.4f}" for i in range(count)]
            self.taken += count
            return " ; ".join(values)
        self.errors.append(f"7 unknown word {word}")
        return None


def serve(connection, meter):
    data = b""
    while True:
        got = connection.recv(4096)
        if not got:
            return
        data += got
        while b"\r\n" in data:
            line, data = data.split(b"\r\n", 1)
            reply = meter.answer(line.decode())
            if reply is not None:
                connection.sendall(reply.encode() + b"\r\n")


def main():
    meter = Meter()
    with socket.socket() as server:
        server.bind(("127.0.0.1", 0))
        server.listen()
        print(server.getsockname()[1], flush=True)
        while True:
            connection, _ = server.accept()
            connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            with connection:
                try:
                    serve(connection, meter)
                except OSError:
                    pass


if __name__ == "__main__":
    sys.exit(main())
