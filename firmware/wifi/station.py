# A station of the link that docs/station-link.md describes: its messages, ids, and the way back to the house. What a
# port does stands in ports.py and in software.py, rmt.py or pio.py; names, pins and Wi-Fi in main.py. It is so many
# files because compiling one takes a hundred bytes of memory for each line.
import asyncio
import gc
import json
import machine
import micropython
import os
from time import ticks_add, ticks_diff, ticks_ms

import websocket
from ports import LONGEST, Clock

FIRMWARE = "1"
MESSAGE = 3 * 8 * LONGEST + 512  # bytes of the longest message
REMEMBERED = 64  # ids
MOST = 6_000_000  # us of a part of a send: the watchdog waits a little longer
SOONEST, LATEST = 1, 60  # s until the next dial
STABLE = 30  # s after which a connection counts as one, and without a word from the house as none
ENOUGH = 90  # s without Wi-Fi after which the radio begins anew


def say(*words):
    print("urbo:", *words)


class Station:
    def __init__(self, name, model, house, token, ports, make, led=None, authority=None, certified=None):
        self.name, self.model, self.house, self.token = name, model, house, token
        self.authority, self.certified = authority, certified
        self.clock = Clock()
        self.socket, self.heard_at = None, ticks_ms()
        self.answers, self.order = {}, []  # (started, took) by id; None on the air, a reason where it failed
        self.outs, self.ears, self.ports, self.wrong = {}, {}, [], []
        self.led = self.light(led)
        self.dog = None
        for p in ports:
            self.add(p, make)
        gc.collect()

    def light(self, pin):
        try:
            return machine.Pin(pin, machine.Pin.OUT, value=0) if pin is not None else None
        except (ValueError, TypeError, OSError) as e:
            say("no LED at pin", pin, "-", e)

    def add(self, p, make):
        """Takes a port into use. One that cannot be is named, and left out."""
        try:
            sends = p["direction"] == "transmitter"
            (self.outs if sends else self.ears)[p["id"]] = make(p)
            usual = (30_000, 60_000) if sends and p["medium"] == "infrared" else (p.get("hz", 38_000),) * 2
            self.ports.append(
                {"id": p["id"], "direction": p["direction"], "medium": p["medium"], "from_hz": usual[0],
                 "to_hz": usual[1], "longest": LONGEST}
            )
        except Exception as e:
            self.wrong.append("port {} at pin {} does not work: {}".format(p.get("id"), p.get("pin"), e))
            say(self.wrong[-1])

    def hello(self):
        self.tell({"t": "hello", "link": 1, "station": self.name, "model": self.model, "firmware": FIRMWARE,
                   "message": MESSAGE, "ports": self.ports})

    def tell(self, m):
        if self.socket:
            self.socket.send(json.dumps(m))

    def answer(self, id):
        """Answers a send that is over, or was before."""
        a = self.answers[id]
        if isinstance(a, str):
            self.tell({"t": "failed", "id": id, "reason": a})
        elif a:
            self.tell({"t": "sent", "id": id, "started": a[0], "took": a[1]})

    def remember(self, id):
        self.answers[id] = None
        self.order.append(id)
        if len(self.order) > REMEMBERED:
            self.answers.pop(self.order.pop(0), None)

    def hear(self, text, whole):
        """Takes a message of the house, whatever it is."""
        self.heard_at = ticks_ms()
        try:
            self.take(text, whole)
        except (TypeError, ValueError, KeyError, AttributeError) as e:
            say("a message is passed over:", e)

    def take(self, text, whole):
        """Does what the house says."""
        if not whole:
            begins = text.split('"id":"', 1)
            if len(begins) == 2 and text.find('"t":"send"') >= 0:
                self.tell({"t": "failed", "id": begins[1].split('"', 1)[0], "reason": "this message is too long"})
            return
        try:
            m = json.loads(text)
            t = m.get("t")
        except (ValueError, AttributeError, RuntimeError, MemoryError):
            return  # no message
        if t == "ping":
            self.tell({"t": "pong"})
        elif t == "who":
            self.hello()
        elif t == "refused":
            say("the house refuses this station:", m.get("reason"))
        elif t == "welcome":
            say("at the house, as", self.name)
            for text in self.wrong:
                self.tell({"t": "note", "severity": "error", "text": text})
        elif t == "send":
            self.send(m)
        elif t in ("hold", "cancel"):
            for out in self.outs.values():
                if out.id is not None and out.id == m.get("id"):
                    if t == "cancel":
                        out.cancelled = True
                    elif isinstance(m.get("lease_ms", 0), int):
                        out.hold(m.get("lease_ms", 0))

    def send(self, m):
        id = m.get("id")
        if not isinstance(id, str) or not 0 < len(id) <= 24:
            return
        if id in self.answers:  # it is answered again, and not sent again
            self.answer(id)
            return
        why = self.refuses(m)
        if why:
            self.tell({"t": "failed", "id": id, "reason": why})
            return
        out = self.outs[m["port"]]
        out.begin(m)  # at once: a hold may be the next message
        self.remember(id)
        asyncio.create_task(self.play(out, m))

    def refuses(self, m):
        """Why a send cannot be played, None where it can."""
        out = self.outs.get(m.get("port"))
        if out is None:
            return "no transmitter {} here".format(m.get("port"))
        if out.id is not None:
            return "still sending something else"
        port = [p for p in self.ports if p["id"] == m["port"]][0]
        try:
            hz = m.get("carrier_hz", 0) + m.get("frequency_hz", 0)
            if hz and not port["from_hz"] <= hz <= port["to_hz"]:
                return "{} Hz cannot be sent here".format(hz)
            n = 0
            for name in ("once", "repeat", "last"):
                part = m.get(name) or []
                n += len(part)
                if len(part) % 2:
                    return "a part has to end with a space"
                if sum(part) > MOST:
                    return "a part lasts {} s at most".format(MOST // 1_000_000)
                for d in part:
                    if not isinstance(d, int) or not 0 < d <= 10_000_000:
                        return "a duration is 1 to 10000000 us"
            if n > LONGEST:
                return "{} durations are too long: the most is {}".format(n, LONGEST)
            if not n or m.get("repeats", 0) < 0 or m.get("gap_us", 0) < 0 or not 0 <= (m.get("duty") or 0) <= 1:
                return "there is nothing that can be sent"
        except TypeError:
            return "this is no send"

    async def play(self, out, m):
        answer = "it was not begun in time"
        came = ticks_ms()
        try:
            gc.collect()  # now, and not between two durations
            if not m.get("within_ms") or ticks_diff(ticks_ms(), came) <= m["within_ms"]:
                started = self.clock.now()
                took = await out.send(m, m.get("carrier_hz") or 38_000)
                answer = (started, took)
        except Exception as e:
            answer = "the transmitter failed: {}".format(e)
            say(answer)
        finally:
            out.off()
            out.id = None
        if m["id"] in self.answers:
            self.answers[m["id"]] = answer
        try:
            self.answer(m["id"])
        except (KeyError, OSError):
            pass  # it is told when the house asks again

    def listen(self):
        for id, ear in self.ears.items():
            h = ear.heard()
            if h is None:
                continue
            at = self.clock.now() - h["end"] - sum(h["train"])
            m = {"t": "heard", "port": id, "at": max(at, 0), "train": h["train"], "gap_us": h["gap_us"]}
            if h["more"]:
                m["more"] = True
            self.tell(m)

    def feed(self):
        if self.dog:
            self.dog.feed()

    async def visit(self):
        """One connection to the house, from the dial to its end. last_visit is how many ms it lasted."""
        self.feed()
        await websocket.prepare(self.house)
        self.feed()
        self.socket = websocket.WebSocket(self.house, self.token, MESSAGE, self.authority, self.certified)
        began = self.heard_at = ticks_ms()
        greeted = pinged = False
        try:
            while True:
                self.feed()
                m = self.socket.poll()
                if m:
                    self.hear(*m)
                if self.socket.greeted and not greeted:
                    greeted = True
                    self.hello()
                if greeted:
                    self.listen()
                quiet = ticks_diff(ticks_ms(), self.heard_at)
                if quiet < 1000 * STABLE // 2:
                    pinged = False
                elif quiet > 1000 * STABLE:
                    raise OSError("the house says nothing any more")
                elif greeted and not pinged:
                    pinged = True
                    self.tell({"t": "ping"})
                self.shine(greeted)
                await asyncio.sleep_ms(0 if m else 4)
        finally:
            self.last_visit = ticks_diff(ticks_ms(), began)
            self.socket.close()
            self.socket = None

    def shine(self, on):
        if self.led:
            self.led.value(1 if on or ticks_ms() // 250 % 2 else 0)

    async def pause(self, seconds):
        """Waits, somewhat longer or shorter each time, so that not all boards dial at once."""
        end = ticks_add(ticks_ms(), seconds * 750 + os.urandom(1)[0] * seconds * 2)
        while ticks_diff(end, ticks_ms()) > 0:
            self.feed()
            self.shine(False)
            for ear in self.ears.values():
                ear.heard()  # nobody is told
            self.clock.now()
            await asyncio.sleep_ms(100)

    async def run(self, wifi=None, watchdog=True):
        """Serves the house, for good. Transmitters are off whatever happens."""
        pause, lost = SOONEST, ticks_ms()
        if watchdog:
            try:
                self.dog = machine.WDT(timeout=8000)
            except (AttributeError, ValueError, TypeError, OSError) as e:
                say("no watchdog:", e)
        while True:
            try:
                if wifi and not wifi.here():
                    if ticks_diff(ticks_ms(), lost) > 1000 * ENOUGH:
                        wifi.begin()
                        lost = ticks_ms()
                    await self.pause(SOONEST)
                    continue
                lost = ticks_ms()
                self.last_visit = 0
                await self.visit()
            except OSError as e:
                say("not at the house:", e)
            except Exception as e:  # a fault of this program: it begins anew
                say("failed:", repr(e))
            gc.collect()
            if self.last_visit > 1000 * STABLE:
                pause = SOONEST
            try:
                await self.pause(pause)
            except Exception as e:
                say("failed:", repr(e))
                await asyncio.sleep(pause)
            pause = min(2 * pause, LATEST)


class WiFi:
    """The network: it comes back by itself after the router was away."""

    def __init__(self, name, password, country=None):
        import network

        if country and hasattr(network, "country"):
            network.country(country)
        self.network, self.name, self.password, self.was = network, name, password, None
        self.wlan = network.WLAN(network.STA_IF)
        self.begin()

    def begin(self):
        say("Wi-Fi:", self.name)
        self.wlan.active(False)
        self.wlan.active(True)
        for quick in (getattr(self.wlan, "PM_NONE", None), 0xA11140):  # no power saving: it costs 100 ms a message
            try:
                if quick is not None:
                    self.wlan.config(pm=quick)
                    break
            except (ValueError, OSError, TypeError):
                pass
        try:
            self.wlan.connect(self.name, self.password)
        except OSError as e:
            say("Wi-Fi:", e)

    def here(self):
        is_here = self.wlan.isconnected()
        if is_here != self.was:
            self.was = is_here
            say("Wi-Fi:", "here, as " + self.wlan.ifconfig()[0] if is_here else "away; the network is looked for")
        return is_here


if hasattr(micropython, "alloc_emergency_exception_buf"):
    micropython.alloc_emergency_exception_buf(100)  # errors in interrupts are named
