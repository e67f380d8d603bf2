# Transmitters with the pulse peripheral of ESP32 chips, which keeps time to the microsecond by itself. Receivers are
# pin interrupts.
import asyncio
import esp32
import machine
from time import ticks_add, ticks_diff, ticks_us

import ports

MODEL = "Wi-Fi board (ESP32)"
MOST = 32_767  # us of one entry of the peripheral
CHANNELS = []  # of the transmitters


def peripheral(channel, pin, carrier, idle):
    """The peripheral at a resolution of 1 us, in the forms that its constructor had."""
    tx = {"tx_carrier": carrier} if carrier else {}
    forms = (
        lambda: esp32.RMT(pin=pin, resolution_hz=1_000_000, idle_level=idle, **tx),
        lambda: esp32.RMT(channel, pin=pin, clock_div=80, idle_level=idle, **tx),
    )
    for form in forms:
        try:
            return form()
        except TypeError as e:
            wrong = e
    raise wrong


class Transmitter(ports.Output):
    def __init__(self, number, carrier, active_low):
        self.number, self.carrier, self.active_low = number, carrier, active_low
        self.rmt, self.now = None, None
        self.channel = len(CHANNELS)
        CHANNELS.append(number)
        self.rest()

    def rest(self):
        self.pin = machine.Pin(self.number, machine.Pin.OUT, value=1 if self.active_low else 0)

    def off(self):
        if self.rmt:
            self.rmt.deinit()
            self.rmt, self.now = None, None
        self.rest()

    def tune(self, hz, duty):
        """Takes the peripheral for a carrier, or for none."""
        want = (hz, int(100 * duty), 0 if self.active_low else 1) if self.carrier else 0
        if self.now != want:
            self.off()
            self.rmt = peripheral(self.channel, machine.Pin(self.number), want, self.active_low)
            self.now = want

    async def play(self, durations, hz, duty):
        self.tune(hz, duty)
        us, levels = [], []
        level = not self.active_low
        for d in durations:
            while d > MOST:
                us.append(MOST)
                levels.append(level)
                d -= MOST
            us.append(d)
            levels.append(level)
            level = not level
        began = ticks_us()
        self.rmt.write_pulses(tuple(us), tuple(levels))
        rest = sum(durations) - ticks_diff(ticks_us(), began)
        while rest > 2_000:  # the others go on meanwhile
            await asyncio.sleep_ms(min(rest // 1000, 20))
            rest = sum(durations) - ticks_diff(ticks_us(), began)
        while not self.rmt.wait_done(timeout=0):
            await asyncio.sleep_ms(0)
        return ticks_add(began, sum(durations))


def make(p):
    """The transmitter or receiver of a port of main.py."""
    low = p.get("active_low", p["direction"] == "receiver")
    if p["direction"] == "receiver":
        return ports.PinEar(p["pin"], low)
    return Transmitter(p["pin"], p["medium"] == "infrared", low)
