# Transmitters that the program times itself, with a PWM for the carrier: for any board. Wi-Fi may stall a duration by
# 10 to 30 us, which receivers forgive.
import asyncio
import machine
from time import ticks_add, ticks_diff, ticks_us

import ports

MODEL = "Wi-Fi board"


class Transmitter(ports.Output):
    def __init__(self, number, carrier, active_low):
        self.idle = 65_535 if active_low else 0
        self.carrier, self.active_low = carrier, active_low
        self.number, self.pwm = number, None
        self.pin = machine.Pin(number, machine.Pin.OUT, value=1 if active_low else 0)

    def off(self):
        if self.pwm:
            self.pwm.duty_u16(self.idle)
            self.pwm.deinit()
            self.pwm = None
        self.pin = machine.Pin(self.number, machine.Pin.OUT, value=1 if self.active_low else 0)

    async def play(self, durations, hz, duty):
        if self.carrier:
            if not self.pwm:
                self.pwm = machine.PWM(machine.Pin(self.number))
                self.pwm.freq(hz)
                self.pwm.duty_u16(self.idle)
            on = int(65_535 * duty)
            level, marks, spaces = self.pwm.duty_u16, 65_535 - on if self.active_low else on, self.idle
        else:
            level, marks, spaces = self.pin.value, 0 if self.active_low else 1, 1 if self.active_low else 0
        at = ticks_us()
        n = len(durations)
        try:
            for i in range(0, n, 2):
                level(marks)
                at = ticks_add(at, durations[i])
                while ticks_diff(at, ticks_us()) > 0:
                    pass
                level(spaces)
                space = durations[i + 1]
                at = ticks_add(at, space)
                if space > ports.LONG:  # the house may say something meanwhile
                    await asyncio.sleep_ms((space - ports.LONG // 2) // 1000)
                while ticks_diff(at, ticks_us()) > 0:
                    pass
        finally:
            level(spaces)
        return at


def make(p):
    """The transmitter or receiver of a port of main.py."""
    low = p.get("active_low", p["direction"] == "receiver")
    if p["direction"] == "receiver":
        return ports.PinEar(p["pin"], low)
    return Transmitter(p["pin"], p["medium"] == "infrared", low)
