#!/usr/bin/env python3
"""A whole station of the link in docs/station-link.md, with one infrared transmitter that waits instead of sending.

usage: reference-station.py --listen PATH     waits at a Unix socket for urbo station check
       reference-station.py --serial PATH     speaks over a serial port or a pseudo terminal
"""
import json, os, socket, sys, threading, time

LONGEST, REMEMBERED = 1024, 64
HELLO = {"t": "hello", "link": 1, "station": "reference", "model": "Reference station", "firmware": "1", "sum": True,
         "ports": [{"id": "ir-out", "direction": "transmitter", "medium": "infrared", "from_hz": 30000, "to_hz": 60000,
                    "longest": LONGEST}]}


def crc(data):
    value = 0xFFFF
    for byte in data:
        value ^= byte << 8
        for _ in range(8):
            value = (value << 1 ^ 0x1021) & 0xFFFF if value & 0x8000 else value << 1
    return value


class Station:
    def __init__(self, read_line, write):
        self.read_line, self.write_bytes, self.writing = read_line, write, threading.Lock()
        self.answers = {}  # by id, the oldest first; None while it is on the air
        self.playing = None  # the send on the air
        self.held_until, self.cancelled = 0, False
        self.sums = False  # Urbo writes check sums

    def say(self, message):
        data = json.dumps(message, separators=(",", ":")).encode()
        with self.writing:
            self.write_bytes(data + (b" #%04X" % crc(data) if self.sums else b"") + b"\n")

    def run(self):
        self.say(HELLO)
        for line in iter(self.read_line, b""):
            body, mark, sum_ = line.rstrip(b"\r\n").rpartition(b" #")
            if not mark and not self.sums:
                body = line  # nobody has said a check sum yet
            elif not mark or sum_ != b"%04X" % crc(body):
                continue  # damaged: nobody acts on it
            else:
                self.sums = True
            try:
                message = json.loads(body)
            except ValueError:
                continue
            if isinstance(message, dict):
                self.take(message.get("t"), message)

    def take(self, kind, m):
        if kind == "ping":
            self.say({"t": "pong"})
        elif kind == "who":
            self.say(HELLO)
        elif kind == "send":
            self.send(m)
        elif kind in ("hold", "cancel") and self.playing and m.get("id") == self.playing["id"]:
            self.cancelled |= kind == "cancel"
            if kind == "hold":
                self.held_until = time.monotonic() + m.get("lease_ms", 0) / 1000

    def send(self, m):
        if m["id"] in self.answers:  # known: it is answered again, and not sent again
            if self.answers[m["id"]]:
                self.say(self.answers[m["id"]])
            return
        why = self.refuses(m)
        if why:
            self.say({"t": "failed", "id": m["id"], "reason": why})
            return
        self.playing, self.held_until, self.cancelled = m, 0, False
        self.answers[m["id"]] = None
        while len(self.answers) > REMEMBERED:
            del self.answers[next(iter(self.answers))]
        threading.Thread(target=self.play, args=(m,), daemon=True).start()

    def refuses(self, m):
        parts = [m.get(name, []) for name in ("once", "repeat", "last")]
        if m.get("port") != "ir-out":
            return "no such transmitter here"
        if self.playing:
            return "still sending something else"
        if not 30000 <= m.get("carrier_hz", 0) <= 60000:
            return "this carrier cannot be made"
        if sum(map(len, parts)) > LONGEST:
            return "too long: the most is %d durations" % LONGEST
        if any(len(p) % 2 or any(d <= 0 for d in p) for p in parts) or not any(parts):
            return "a part has to end with a space, and something has to be sent"

    def play(self, m):
        began = self.clock = time.monotonic()
        trailing, repeats = self.emit(m.get("once", [])), m.get("repeats", 0)
        while m.get("repeat") and not self.cancelled and (repeats > 0 or time.monotonic() < self.held_until):
            trailing, repeats = self.emit(m["repeat"]), repeats - 1
        trailing = self.emit(m.get("last", [])) or trailing
        self.wait(max(m.get("gap_us", 0) - trailing, 0))
        answer = {"t": "sent", "id": m["id"], "started": int(began * 1e6), "took": int((self.clock - began) * 1e6)}
        self.answers[m["id"]], self.playing = answer, None
        self.say(answer)

    def emit(self, part):  # here a board switches its carrier on and off
        self.wait(sum(part))
        return part[-1] if part else 0

    def wait(self, us):
        self.clock += us / 1e6
        time.sleep(max(self.clock - time.monotonic(), 0))


if __name__ == "__main__":
    if len(sys.argv) != 3 or sys.argv[1] not in ("--listen", "--serial"):
        sys.exit(__doc__)
    if sys.argv[1] == "--listen":
        door = socket.socket(socket.AF_UNIX)
        door.bind(sys.argv[2])
        door.listen(1)
        stream = door.accept()[0].makefile("rwb", buffering=0)
    else:
        stream = open(os.open(sys.argv[2], os.O_RDWR | os.O_NOCTTY), "r+b", buffering=0)
    Station(stream.readline, stream.write).run()
