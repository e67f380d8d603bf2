# Transmitters and receivers with the state machines of the RP2040 and RP2350. They keep time by themselves, to a cycle
# of the carrier when they send, and to 2 us when they hear.
import asyncio
import machine
import rp2
from time import ticks_add, ticks_diff, ticks_us

import ports

MODEL = "Wi-Fi board (RP2040)"
CYCLE = 12  # clocks of a state machine in a cycle of the carrier
MOST = 65_000  # of a count: a longer space goes out in parts
USED = []  # numbers of the state machines


@rp2.asm_pio(set_init=rp2.PIO.OUT_LOW, out_shiftdir=rp2.PIO.SHIFT_RIGHT, autopull=True, pull_thresh=32,
             fifo_join=rp2.PIO.JOIN_TX)
def keyed():
    # a word: cycles of the carrier less one in the low half (0 is none), then pairs of clocks without it
    wrap_target()
    out(x, 16)
    jmp(not_x, "space")
    label("mark")
    set(pins, 1)[3]
    set(pins, 0)[6]
    jmp(x_dec, "mark")
    label("space")
    out(x, 16)
    label("wait")
    jmp(x_dec, "wait")[1]
    wrap()


@rp2.asm_pio(set_init=rp2.PIO.OUT_LOW, out_shiftdir=rp2.PIO.SHIFT_RIGHT, autopull=True, pull_thresh=32,
             fifo_join=rp2.PIO.JOIN_TX)
def plain():
    # the same without a carrier, in pairs of clocks of 1 us
    wrap_target()
    out(x, 16)
    jmp(not_x, "space")
    set(pins, 1)
    label("mark")
    jmp(x_dec, "mark")[1]
    set(pins, 0)
    label("space")
    out(x, 16)
    label("wait")
    jmp(x_dec, "wait")[1]
    wrap()


@rp2.asm_pio(in_shiftdir=rp2.PIO.SHIFT_LEFT, fifo_join=rp2.PIO.JOIN_RX)
def ear():
    # counts down from all ones while the line stays, and pushes what is left
    wrap_target()
    mov(x, invert(null))
    label("high")
    jmp(x_dec, "stays")
    label("stays")
    jmp(pin, "high")
    mov(isr, x)
    push(noblock)
    irq(rel(0))
    mov(x, invert(null))
    label("low")
    jmp(pin, "rises")
    jmp(x_dec, "low")
    label("rises")
    mov(isr, x)
    push(noblock)
    irq(rel(0))
    wrap()


def machine_for(program, **how):
    """A state machine that nobody uses yet."""
    wrong = ValueError("all state machines are in use")
    for number in range(8):
        if number in USED:
            continue
        try:
            sm = rp2.StateMachine(number, program, **how)
            USED.append(number)
            return sm
        except (ValueError, OSError) as e:
            wrong = e
    raise wrong


class Transmitter(ports.Output):
    def __init__(self, number, carrier, active_low):
        self.carrier = carrier
        self.pin = machine.Pin(number, machine.Pin.OUT, value=0)
        if active_low:
            raise ValueError("state machines drive no line that is active low: turn it with a transistor")
        self.hz = 38_000 * CYCLE if carrier else 1_000_000  # clocks a second
        self.program = keyed if carrier else plain
        self.sm = machine_for(self.program, freq=self.hz, set_base=self.pin)
        self.off()

    def off(self):
        self.sm.active(0)
        self.pin.init(machine.Pin.OUT, value=0)  # the pin is the program's now, until the state machine begins anew
        self.runs = False

    def words(self, durations):
        """What the state machine takes: a mark and a space in each word. Spaces take up what marks cannot be."""
        owed = 0.0  # clocks that went out too much
        for i in range(0, len(durations), 2):
            mark, space = (durations[i + k] * self.hz / 1e6 for k in (0, 1))
            if self.carrier:
                cycles = max(int((mark - owed) / CYCLE + 0.5), 2)
                low, took = cycles - 1, cycles * CYCLE + 2
            else:
                pairs = max(int((mark - owed - 3) / 2 + 0.5), 1)
                low, took = pairs, 2 * pairs + 6
            rest = mark + space - owed - took
            while rest / 2 > MOST:
                yield MOST << 16 | low
                rest -= 2 * MOST + 3 + (2 if low else 0)
                low = 0
            pairs = max(int((rest - 3) / 2 + 0.5), 0)
            yield pairs << 16 | low
            owed = 2 * pairs + 3 - rest

    async def play(self, durations, hz, duty):
        if self.carrier and self.hz != hz * CYCLE:
            self.hz, self.runs = hz * CYCLE, False
        if not self.runs:
            self.sm.init(self.program, freq=self.hz, set_base=self.pin)
            self.sm.active(1)
            self.runs = True
        began = ticks_us()
        for word in self.words(durations):
            while self.sm.tx_fifo() > 6:
                await asyncio.sleep_ms(0)
            self.sm.put(word)
        rest = sum(durations) - ticks_diff(ticks_us(), began)
        while rest > 0:
            await asyncio.sleep_ms(rest // 1000)
            rest = sum(durations) - ticks_diff(ticks_us(), began)
        return ticks_add(began, sum(durations))


class Receiver(ports.Ear):
    """A receiver whose durations a state machine counts, in turns of high and low."""

    def __init__(self, number, active_low):
        ports.Ear.__init__(self, active_low)
        self.pin = machine.Pin(number, machine.Pin.IN, machine.Pin.PULL_UP if active_low else None)
        self.sm = machine_for(ear, freq=1_000_000, in_base=self.pin, jmp_pin=self.pin)
        self.high = True  # what comes next
        self.sm.irq(self.edge)
        self.sm.active(1)

    def edge(self, sm):
        while sm.rx_fifo():
            # two clocks a turn, and what begins and ends it; the ring has room for a quarter of an hour
            us = min(2 * (0xFFFFFFFF - (sm.get() & 0xFFFFFFFF)) + 4, 1_000_000_000)
            self.put(-us if self.high == self.active_low else us)
            self.high = not self.high

    def rests(self):
        return self.pin.value() == self.active_low


def make(p):
    """The transmitter or receiver of a port of main.py."""
    low = p.get("active_low", p["direction"] == "receiver")
    if p["direction"] == "receiver":
        return Receiver(p["pin"], low)
    return Transmitter(p["pin"], p["medium"] == "infrared", low)
