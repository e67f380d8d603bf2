# The board's peripherals, as MicroPython has them, on the bench's virtual board.
import board


class Pin:
    IN, OUT = 0, 1
    PULL_UP, PULL_DOWN = 1, 2
    IRQ_RISING, IRQ_FALLING = 8, 4

    def __init__(self, number, mode=-1, pull=None, value=None):
        if not board.has(number):
            raise ValueError("invalid pin")
        self.number = number
        self.init(mode, pull, value)

    def init(self, mode=-1, pull=None, value=None):
        if mode == Pin.OUT:
            board.sm_loses(self.number)
        if value is not None:
            self.value(value)
        elif mode == Pin.IN and pull == Pin.PULL_UP:
            board.rest(self.number, 1)

    def value(self, level=None):
        if level is None:
            return board.level(self.number)
        board.drive(self.number, level, 0)

    def irq(self, handler, trigger=0, hard=False):
        board.irq(self.number, lambda: handler(self))


class PWM:
    def __init__(self, pin, freq=0, duty_u16=0):
        self.pin, self.hz = pin, freq

    def freq(self, hz):
        self.hz = hz

    def duty_u16(self, duty):
        board.drive(self.pin.number, 1 if duty else 0, self.hz if 0 < duty < 65535 else 0)

    def deinit(self):
        board.drive(self.pin.number, 0, 0)


class WDT:
    def __init__(self, timeout=5000):
        board.watch(timeout)

    def feed(self):
        board.feed()


class RTC:
    def datetime(self, parts):
        year, month, day, _, hour, minute, second, _ = parts
        board.set_date(year, month - 1, day, hour, minute, second)
