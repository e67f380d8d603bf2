# What all ports of a station have in common: the clock, the ring that a receiver fills, and how a send is played.
import asyncio
import machine
from array import array
from time import ticks_add, ticks_diff, ticks_ms, ticks_us

LONGEST = 512  # durations of all parts of a send, and of a train that is heard
LONG = 8_000  # us of a space in which others may go on
SILENCE = 20_000  # us after which a train that is heard is over


class Clock:
    """us since the start, which does not wrap as ticks_us does. It is asked at least every few minutes."""

    def __init__(self):
        self.last, self.us = ticks_us(), 0

    def now(self):
        ticks = ticks_us()
        self.us += ticks_diff(ticks, self.last)
        self.last = ticks
        return self.us


class Ear:
    """Durations as a receiver hears them, in a ring that an interrupt fills. A subclass calls put."""

    def __init__(self, active_low):
        self.active_low = active_low
        self.ring = array("i", bytes(4 * 2 * LONGEST))
        self.head = self.tail = 0
        self.train, self.last = [], ticks_us()

    def put(self, us):
        """A level has lasted us and is over: marks are positive, spaces negative."""
        after = (self.head + 1) % len(self.ring)
        if after != self.tail:  # else it is full, and the rest of the train is lost
            self.ring[self.head] = us
            self.head = after
        self.last = ticks_us()

    def heard(self):
        """A train that is over, as what the link says of it, or None."""
        while self.tail != self.head:
            us = self.ring[self.tail]
            self.tail = (self.tail + 1) % len(self.ring)
            if us < 0:
                if not self.train:
                    continue
                if -us >= SILENCE:
                    return self.give(-us, False)
                if len(self.train) >= LONGEST - 1:
                    return self.give(-us, True)
                self.train.append(max(-us, 1))
            elif len(self.train) % 2:  # a space was lost
                self.train[-1] += us
            else:
                self.train.append(max(us, 1))
        quiet = ticks_diff(ticks_us(), self.last)
        if len(self.train) % 2 and quiet >= SILENCE and self.rests():
            return self.give(quiet, False)
        return None

    def give(self, gap, more):
        train, self.train = self.train, []
        end = ticks_diff(ticks_us(), self.last)
        return {"gap_us": gap, "train": train, "end": end, "more": more}

    def rests(self):
        """Whether no mark goes on."""
        return True


class PinEar(Ear):
    """A receiver whose edges interrupt the program."""

    def __init__(self, number, active_low):
        Ear.__init__(self, active_low)
        self.pin = machine.Pin(number, machine.Pin.IN, machine.Pin.PULL_UP if active_low else None)
        self.at = ticks_us()
        edges = machine.Pin.IRQ_RISING | machine.Pin.IRQ_FALLING
        try:
            self.pin.irq(self.edge, edges, hard=True)
        except TypeError:  # a chip without hard interrupts
            self.pin.irq(self.edge, edges)

    def edge(self, pin):
        now = ticks_us()
        us = ticks_diff(now, self.at)
        self.at = now
        mark = pin.value() == self.active_low  # the level that is over now
        self.put(us if mark else -us)

    def rests(self):
        return self.pin.value() == self.active_low


class Output:
    """What all transmitters do with a send. A subclass has play(durations, hz, duty), a task that returns about when
    the last duration is over, and gives the ticks of that; and off()."""

    id = None  # of the send on the air

    def begin(self, m):
        self.id, self.until, self.cancelled = m["id"], None, False

    def hold(self, lease):
        self.until = ticks_add(ticks_ms(), min(lease, 60_000))

    def held(self):
        return self.until is not None and ticks_diff(self.until, ticks_ms()) > 0

    async def send(self, m, hz):
        """Plays a send, and returns how long it took in us."""
        began, end, trailing = None, ticks_us(), 0
        duty = m.get("duty") or 0.33
        repeats = m.get("repeats", 0)
        for name in ("once", "repeat", "last"):
            part = m.get(name)
            while part and (name != "repeat" or not self.cancelled and (repeats > 0 or self.held())):
                end, trailing = await self.play(part, hz, duty), part[-1]
                if began is None:
                    began = ticks_add(end, -sum(part))
                if trailing <= LONG:
                    await asyncio.sleep_ms(0)  # so that a hold or a cancel is read; in a long space it was
                if name != "repeat":
                    break
                repeats -= 1
        rest = max(m.get("gap_us", 0) - trailing, 0)
        took = rest if began is None else ticks_diff(end, began) + rest
        wait = ticks_diff(end, ticks_us()) + rest
        if wait > 0:
            await asyncio.sleep_ms(wait // 1000)
        return took
